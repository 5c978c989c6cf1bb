"""Change the core by a little, many times over, and say how many of the changes the tests notice.

``make mutants`` samples two hundred. A change is one operator, bound or figure of one line; a copy of the source is
changed, never the source itself. Whatever lives is named, so that a test can be written for it.
"""

import argparse
import ast
import copy
import os
import random
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

CORE = Path("src/cool_sheen/core")
WANTED = 0.90

_COMPARES = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
             ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In}  # fmt: skip
_SUMS = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
_CALLS = {"min": "max", "max": "min", "any": "all", "all": "any", "minimum": "maximum", "maximum": "minimum"}


_KINDS = (ast.Compare, ast.BinOp, ast.BoolOp, ast.Call, ast.Constant)


@dataclass(frozen=True, slots=True)
class Mutant:
    """A file as it would read, and what was changed where."""

    file: Path
    line: int
    says: str
    text: str


def places_in(file: Path) -> list[tuple[Path, int]]:
    """Return every place of a file that can be changed."""
    tree = ast.parse(file.read_text())
    silent = _not_run(tree)
    return [
        (file, place) for place, node in enumerate(_nodes(tree))
        if id(node) not in silent and _change(copy.deepcopy(node))
    ]  # fmt: skip


def mutant_at(file: Path, place: int) -> Mutant:
    """Change one place."""
    tree = ast.parse(file.read_text())
    node = _nodes(tree)[place]
    before = ast.unparse(node)
    _change(node)
    return Mutant(file, node.lineno, f"{before[:60]}  ->  {ast.unparse(node)[:60]}", ast.unparse(tree))


def _nodes(tree: ast.AST) -> list[ast.expr]:
    return [n for n in ast.walk(tree) if isinstance(n, _KINDS)]


def _not_run(tree: ast.AST) -> set[int]:
    """Annotations and what decorators say: nothing that a figure follows from."""
    out: set[int] = set()
    for node in ast.walk(tree):
        parts: list[ast.AST | None] = []
        if isinstance(node, ast.AnnAssign | ast.arg):
            parts.append(node.annotation)
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            parts.extend(node.decorator_list)
        if isinstance(node, ast.FunctionDef):
            parts.append(node.returns)
        if isinstance(node, ast.JoinedStr | ast.Raise):
            parts.append(node)
        out.update(id(inner) for part in parts if part is not None for inner in ast.walk(part))
    return out


def _change(node: ast.AST) -> bool:
    """Change a node in place; say whether it was."""
    if isinstance(node, ast.Compare) and type(node.ops[0]) in _COMPARES:
        node.ops[0] = _COMPARES[type(node.ops[0])]()
        return True
    if isinstance(node, ast.BinOp) and type(node.op) in _SUMS and not _is_text(node):
        node.op = _SUMS[type(node.op)]()
        return True
    if isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        return True
    if isinstance(node, ast.Call):
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        if name in _CALLS:
            if isinstance(node.func, ast.Attribute):
                node.func.attr = _CALLS[name]
            else:
                node.func = ast.Name(_CALLS[name], ast.Load())
            return True
    if isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.value:
        node.value = node.value * 2
        return True
    return False


def _is_text(node: ast.BinOp) -> bool:
    return any(isinstance(n, ast.JoinedStr) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
               for n in (node.left, node.right))  # fmt: skip


def is_caught(mutant: Mutant, folder: Path) -> bool:
    """Run the core's tests over the changed copy."""
    changed = folder / mutant.file
    was = changed.read_text()
    changed.write_text(mutant.text)
    env = {**os.environ, "PYTHONPATH": str(folder / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    paths = f"pythonpath={folder / 'src'} ."
    command = [
        sys.executable,
        "-m",
        "pytest",
        "-x",
        "-q",
        "-n",
        "2",
        "-p",
        "no:cacheprovider",
        "-o",
        paths,
        "tests/unit",
    ]
    try:
        run = subprocess.run(command, env=env, capture_output=True, timeout=600, check=False)
    except subprocess.TimeoutExpired:
        return True
    finally:
        changed.write_text(was)
    return run.returncode != 0


def main() -> int:
    """Sample, run, report; fail when too many live."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--count", type=int, default=200)
    asked.add_argument("--seed", type=int, default=1)
    said = asked.parse_args()
    everything = [place for file in sorted(CORE.rglob("*.py")) for place in places_in(file)]
    sample = random.Random(said.seed).sample(everything, min(said.count, len(everything)))
    folder = Path(tempfile.mkdtemp())
    shutil.copytree("src", folder / "src")
    lived = []
    for n, (file, place) in enumerate(sample, 1):
        mutant = mutant_at(file, place)
        if not is_caught(mutant, folder):
            lived.append(mutant)
            print(f"lives: {mutant.file}:{mutant.line}  {mutant.says}", flush=True)
        if n % 10 == 0:
            print(f"{n} of {len(sample)}: {n - len(lived)} caught", flush=True)
    share = 1 - len(lived) / len(sample)
    print(f"{len(sample)} of {len(everything)} changes tried, {share:.0%} caught")
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    sys.exit(main())
