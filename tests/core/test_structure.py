"""No circle of files: what a file imports never leads back to it, for types neither."""

from __future__ import annotations

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def _modules() -> dict[str, Path]:
    found = {}
    for package in ("caligo", "studio", "demo"):
        for path in (ROOT / package).rglob("*.py"):
            name = ".".join(path.relative_to(ROOT).with_suffix("").parts)
            found[name.removesuffix(".__init__")] = path
    return found


def _imports(path: Path, modules: dict[str, Path]) -> set[str]:
    """The modules that a file names in its imports, wherever they stand."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            inside = {f"{node.module}.{alias.name}" for alias in node.names}
            found |= (inside & modules.keys()) or {node.module}
    return found & modules.keys()


def test_no_file_leads_back_to_itself() -> None:
    modules = _modules()
    graph = {name: _imports(path, modules) - {name} for name, path in modules.items()}
    assert sum(map(len, graph.values())) > 1_000
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        pytest.fail(" -> ".join(error.args[1]))
