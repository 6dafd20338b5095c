"""The parts keep apart: no module imports in a circle, and the core knows nothing of the web."""

import ast
import re
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

pytestmark = pytest.mark.long

ROOT = Path(__file__).parents[2]
SOURCE, PAGE = ROOT / "src", ROOT / "frontend" / "src"


def python_imports() -> dict[str, set[str]]:
    """Of each module of Nephos those that it imports anywhere, functions included."""
    paths = {
        ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__"): path
        for path in SOURCE.rglob("*.py")
    }
    found: dict[str, set[str]] = {}
    for name, path in paths.items():
        mine = found[name] = set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("nephos"):
                mine |= {
                    f"{node.module}.{item.name}" if f"{node.module}.{item.name}" in paths else node.module
                    for item in node.names
                }
            elif isinstance(node, ast.Import):
                mine |= {item.name for item in node.names if item.name in paths}
        mine.discard(name)
    return found


def page_imports() -> dict[str, set[str]]:
    """Of each file of the page those that it imports."""
    found: dict[str, set[str]] = {}
    for path in [*PAGE.rglob("*.ts"), *PAGE.rglob("*.tsx")]:
        mine = found[str(path.relative_to(PAGE))] = set()
        for target in re.findall(r'(?:from|import\()\s*"(\.[^"]*)"', path.read_text()):
            base = (path.parent / target).resolve()
            mine |= {
                str(one.relative_to(PAGE))
                for one in (base.with_name(base.name + end) for end in (".ts", ".tsx"))
                if one.exists()
            }
    return found


@pytest.mark.parametrize("imports", [python_imports, page_imports])
def test_nothing_imports_in_a_circle(imports) -> None:
    graph = imports()
    assert len(graph) > 50
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as circle:
        pytest.fail(" -> ".join(circle.args[1]))


@pytest.mark.parametrize(("part", "others"), [("core", ("web", "command")), ("web", ("command",))])
def test_parts_know_nothing_of_those_above(part: str, others: tuple[str, ...]) -> None:
    for name, targets in python_imports().items():
        if name.startswith(f"nephos.{part}"):
            wrong = [other for other in targets if other.startswith(tuple(f"nephos.{one}" for one in others))]
            assert not wrong, f"{name} imports {wrong}"


def test_the_core_imports_no_framework() -> None:
    for path in (SOURCE / "nephos" / "core").rglob("*.py"):
        assert not re.search(r"^\s*(from|import) (django|ninja|procrastinate|psycopg)", path.read_text(), re.M), path


ASKED_BY_NAME = re.compile(
    r"""\.strategy\.startswith|\.strategy\ (==|in)\ |isinstance\([^()]*CutOutSettings
    |getattr\([\w.]*\.settings,\ ["']""",
    re.X,
)


def test_nobody_looks_at_the_name_of_a_strategy() -> None:
    """It says what it is for, where it can be cut and what it holds: a new one needs no edits elsewhere."""
    for path in (SOURCE / "nephos" / "core").rglob("*.py"):
        if "strategies" not in path.parts:
            found = ASKED_BY_NAME.search(path.read_text())
            assert not found, f"{path.relative_to(SOURCE)}: {found and found.group()}"


ASKED_FOR_KIND = re.compile(r"\bkind ==|\bRotaryIndex\b|\bradius is None|\.tiles?\b")
OWN_KINDS = {"setups", "surface", "stock"}
"""Folders that may know which kind a setup is of, or which index a surface has."""


def test_nobody_else_asks_for_the_kind_of_a_setup() -> None:
    """What differs from kind to kind is a method of the kind: a new one needs no edits elsewhere."""
    for path in (SOURCE / "nephos").rglob("*.py"):
        if not OWN_KINDS & set(path.parts):
            found = ASKED_FOR_KIND.search(path.read_text())
            assert not found, f"{path.relative_to(SOURCE)}: {found and found.group()}"
