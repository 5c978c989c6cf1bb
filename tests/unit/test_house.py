"""The house: what formulas say of themselves, and how wide a line may be."""

import ast
import re
from pathlib import Path

_QUANTITIES = {
    "Celsius", "Kelvin", "Percent", "Pascal", "Minutes", "Hours", "Micron", "SquareMetres", "Millilitres", "Grams",
    "GramsPerMillilitre", "Floats", "float",
}  # fmt: skip
_AROUND_THEM = {"tuple", "list", "None", "int", "dict", "str", "Mapping", "Sequence"}
_STANDARDS = ("ASHRAE", "ISO ", "FEPA", "the Astral package", "EnergyPlus", "RFC ")
_CONVERT = {"seconds", "grid", "read_quantity", "shown"}  # instants, and whatever unit somebody typed


def _formulas():
    """Public functions and properties of the core that give a quantity, each with what it says of itself."""
    for file in sorted(Path("src/cool_sheen/core").rglob("*.py")):
        tree = ast.parse(file.read_text())
        for node in ast.walk(tree):
            if not isinstance(node, ast.FunctionDef) or node.name.startswith("_") or node.returns is None:
                continue
            given = {n.id for n in ast.walk(node.returns) if isinstance(n, ast.Name)}
            if given & _QUANTITIES and given <= _QUANTITIES | _AROUND_THEM and node.name not in _CONVERT:
                yield f"{file.stem}.{node.name}", node in tree.body, ast.get_docstring(node) or ""


def test_every_formula_gives_its_unit_and_its_source():
    found = list(_formulas())
    assert len(found) > 60
    assert [name for name, _, says in found if not re.search(r"\[[^\]]+\]", says)] == []
    assert [name for name, stands_alone, says in found if stands_alone and "Source:" not in says] == []


def test_every_source_is_a_standard_or_a_chapter_of_the_trade():
    chapters = set(re.findall(r"^## (.+)$", Path("docs/trade.md").read_text(), re.MULTILINE))
    said = {
        " ".join(source.split())
        for file in Path("src/cool_sheen").rglob("*.py")
        for source in re.findall(r"Source: ((?:[^\n]|\n +)+?)(?=\n *\n|\n? *\"\"\")", file.read_text())
    }
    strange = [
        source for source in said
        if not any(source.startswith(f"docs/trade.md, {chapter}") for chapter in chapters)
        and not any(standard in source for standard in _STANDARDS)
    ]  # fmt: skip
    assert said
    assert strange == []


def test_no_line_is_too_wide_to_be_read():
    files = [f for kind in ("css", "js", "html") for f in Path("src/cool_sheen/web").rglob(f"*.{kind}")]
    ours = [f for f in files if "vendor" not in f.parts]
    assert len(ours) > 60
    assert [f"{f}:{n}" for f in ours for n, line in enumerate(f.read_text().splitlines(), 1) if len(line) > 140] == []


def test_no_page_uses_of_the_style_framework_what_was_left_out():
    known = set(Path("tests/browser/vendor/bulma.classes.txt").read_text().split())
    ships = Path("src/cool_sheen/web/static/vendor/bulma.min.css").read_text()
    there = set(re.findall(r"\.([a-z][a-z0-9-]*)", ships))
    own = set(re.findall(r"\.([a-z][a-z0-9-]*)", Path("src/cool_sheen/web/static/app.css").read_text()))
    pages = " ".join(file.read_text() for file in Path("src/cool_sheen/web/templates").rglob("*.html"))
    used = {word for text in re.findall(r'class="([^"]*)"', pages) for word in re.findall(r"[a-z][a-z0-9-]*", text)}
    assert "select" in there & used
    assert not (used & known) - there - own  # what is missing: run scripts/styles
