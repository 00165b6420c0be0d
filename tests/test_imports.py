"""Imports run one way: from what people see down to what rests on nothing, late imports too, and never in a circle."""

from __future__ import annotations

import ast
import re
import tomllib
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

import mint_ledger

SOURCE = Path(mint_ledger.__file__).parent
ROOT = Path(__file__).parent.parent
# Commands and calls import late, so that a short command starts quickly; below them there is little reason to.
MOST_LATE_BELOW = 4
CALLS = tuple(f"mint_ledger.{name}" for name in ("cli", "client", "sharing", "pytest_plugin"))


def modules() -> dict[str, Path]:
    found = {}
    for file in SOURCE.rglob("*.py"):
        parts = ("mint_ledger", *file.relative_to(SOURCE).with_suffix("").parts)
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = file
    return found


MODULES = modules()


def imported(file: Path) -> list[tuple[str, bool]]:
    """The modules that a file imports, and whether it does so late, within a function."""
    found = []

    def visit(node: ast.AST, late: bool) -> None:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.Import):
                found.extend((alias.name, late) for alias in child.names)
            elif isinstance(child, ast.ImportFrom) and child.module:
                names = [f"{child.module}.{alias.name}" for alias in child.names]
                found.extend((name if name in MODULES else child.module, late) for name in names)
            visit(child, late or isinstance(child, ast.FunctionDef))

    visit(ast.parse(file.read_text("utf-8")), False)
    return [(name, late) for name, late in found if name in MODULES]


GRAPH = {name: imported(file) for name, file in MODULES.items()}


def layers() -> list[set[str]]:
    """The folders in their order, from the top, as `.ci/run` checks it."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"]
    return [set(re.split(r"\s*[:|]\s*", layer)) for layer in contracts[0]["layers"]]


def test_no_file_imports_in_a_circle() -> None:
    graph = {name: {other for other, _ in others} - {name} for name, others in GRAPH.items()}
    try:
        assert list(TopologicalSorter(graph).static_order())
    except CycleError as circle:
        pytest.fail(" → ".join(circle.args[1]))


def test_no_folder_imports_one_above_it() -> None:
    rank = {folder: place for place, folders in enumerate(layers()) for folder in folders}
    folders = {name.split(".")[1] for name in MODULES if "." in name}
    assert folders == set(rank)
    upward = [
        f"{name} → {other}"
        for name, others in GRAPH.items()
        for other, _ in others
        if "." in name and rank[name.split(".")[1]] > rank[(other + ".").split(".")[1] or "cli"]
    ]
    assert upward == []


def test_only_commands_and_calls_import_late() -> None:
    late = sorted(
        {
            f"{name} → {other}"
            for name, others in GRAPH.items()
            for other, is_late in others
            if is_late and not name.startswith((*CALLS, "mint_ledger.__main__"))
        }
    )
    assert len(late) <= MOST_LATE_BELOW, late


def test_the_docs_tell_the_same_order() -> None:
    told = re.findall(r"^\| (?:`\w+/`(?:, )?)+", (ROOT / "docs" / "code.md").read_text("utf-8"), re.MULTILINE)
    rows = [re.findall(r"`(\w+)/`", row) for row in told]
    place = {folder: number for number, row in enumerate(rows) for folder in row}
    ranked = [sorted(place[f] for f in folders if f in place) for folders in reversed(layers())]
    order = [number for numbers in ranked for number in numbers]
    assert order == sorted(order)
    assert set(place) == {f for f in (m.split(".")[1] for m in MODULES if "." in m) if (SOURCE / f).is_dir()} - {"demo"}
