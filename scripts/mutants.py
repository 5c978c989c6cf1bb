"""Change the core by a little, many times over, and say how many of the changes the tests notice.

``make mutants`` samples two hundred. A change is one operator, bound or figure of one line; a copy of the source is
changed, never the source itself. Whatever lives is named, so that a test can be written for it.
"""

import argparse
import ast
import copy
import os
import random
import re
import shutil
import signal
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import fastapi  # noqa: F401 - imported here once, for all the children
import jinja2  # noqa: F401
import numpy  # noqa: F401
import pytest
import sqlalchemy.orm  # noqa: F401

CORE = Path("src/cool_sheen/core")
SLOW = ["tests/unit/test_told.py", "tests/app/test_contract.py"]  # they ask for most, and take the longest
FIRST = [
    f"tests/unit/test_{room}.py"
    for room in ("thresholds", "room_thresholds", "log", "mixing", "film", "climate", "materials", "drying")
]
_OTHERS = {str(file) for file in Path("tests/unit").glob("test_*.py")} - {*SLOW, *FIRST}
TESTS = [*FIRST, *sorted(_OTHERS), *SLOW]
WANTED = 0.90
PATIENCE_S = 300
MOST_FIRST = 12
UNCHANGED = "unchanged"

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
        (file, place)
        for place, node in enumerate(_nodes(tree))
        if id(node) not in silent and _change(copy.deepcopy(node))
    ]


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
    return any(
        isinstance(n, ast.JoinedStr) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
        for n in (node.left, node.right)
    )


@dataclass
class Trial:
    """A copy of the source in which one mutant at a time is tried, by a child of this process."""

    folder: Path
    pid: int = 0
    mutant: Mutant | None = None

    @property
    def says(self) -> Path:
        """What the tests wrote."""
        return self.folder / "says.txt"

    def begin(self, mutant: Mutant, files: list[str]) -> None:
        """Fork: what the tests import of others is there already, the changed copy is not."""
        self.mutant = mutant
        (self.folder / mutant.file).write_text(mutant.text)
        self.pid = os.fork()
        if not self.pid:
            code = 1
            try:
                code = self._tests(files)
            finally:
                os._exit(code)

    def _tests(self, files: list[str]) -> int:
        signal.alarm(PATIENCE_S)  # a change that never comes to an end is noticed, too
        os.dup2(os.open(self.says, os.O_WRONLY | os.O_CREAT | os.O_TRUNC), 1)
        os.dup2(1, 2)
        sys.path[:] = [str(self.folder / "src"), *(p for p in sys.path if Path(p).resolve() != Path("src").resolve())]
        paths, early = f"pythonpath={self.folder / 'src'} .", "ignore::pytest.PytestAssertRewriteWarning"
        return int(pytest.main(["-x", "-q", "-p", "no:cacheprovider", "-o", paths, "-W", early, *files]))

    def end(self, status: int) -> str:
        """Put the source right again; return the test that noticed, an empty text where none ended in time."""
        assert self.mutant is not None
        shutil.copy(self.mutant.file, self.folder / self.mutant.file)
        self.pid, said = 0, self.says.read_text()
        found = re.search(r"^FAILED (tests/\S+::.+?)(?: - .*)?$", said, re.MULTILINE)
        if self.mutant.says == UNCHANGED and status:
            raise RuntimeError(f"The tests do not pass without a change:\n{said[-2000:]}")
        return found.group(1) if found else ""


def try_all(sample: list[tuple[Path, int]], at_once: int) -> list[Mutant]:
    """Try every change; return those that live."""
    folder = Path(tempfile.mkdtemp())
    benches = [Trial(folder / str(n)) for n in range(at_once)]
    for bench in benches:
        shutil.copytree("src", bench.folder / "src")
    noticed: dict[Path, list[str]] = {file.parent: [] for file, _ in sample}  # by room: who noticed last is asked first
    file = sample[0][0]
    benches[0].begin(Mutant(file, 0, UNCHANGED, file.read_text()), list(TESTS))
    benches[0].end(os.wait()[1])
    left, lived, tried = list(reversed(sample)), [], 0
    while left or any(bench.pid for bench in benches):
        for bench in benches:
            if not bench.pid and left:
                file, place = left.pop()
                bench.begin(mutant_at(file, place), [*noticed[file.parent][:MOST_FIRST], *TESTS])
        pid, status = os.wait()
        bench = next(bench for bench in benches if bench.pid == pid)
        mutant, by, tried = bench.mutant, bench.end(status), tried + 1
        if status == 0:
            lived.append(mutant)
            print(f"lives: {mutant.file}:{mutant.line}  {mutant.says}", flush=True)
        elif by:
            first = noticed[mutant.file.parent]
            noticed[mutant.file.parent] = [by, *(test for test in first if test != by)]
        if tried % 20 == 0:
            print(f"{tried} of {len(sample)}: {tried - len(lived)} caught", flush=True)
    shutil.rmtree(folder)
    return lived


def main() -> int:
    """Sample, run, report; fail when too many live."""
    asked = argparse.ArgumentParser()
    asked.add_argument("--count", type=int, default=200)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--at-once", type=int, default=os.cpu_count() or 1)
    asked.add_argument("--room", default="", help="only files whose path has this in it")
    said = asked.parse_args()
    everything = [place for file in sorted(CORE.rglob("*.py")) if said.room in str(file) for place in places_in(file)]
    sample = random.Random(said.seed).sample(everything, min(said.count, len(everything)))
    lived = try_all(sample, said.at_once)
    share = 1 - len(lived) / len(sample)
    print(f"{len(sample)} of {len(everything)} changes tried, {share:.0%} caught")
    return 0 if share >= WANTED else 1


if __name__ == "__main__":
    sys.exit(main())
