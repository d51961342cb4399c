"""The shape of the house: which way imports go, that core knows no Qt, and that nobody is named."""

from __future__ import annotations

import ast
from pathlib import Path

import dubbin

ROOT = Path(dubbin.__file__).parent
# Lower floors first: a module may import from its own floor and from those below.
FLOORS = ["sound", "measure", "treat", "speech", "episode", "mix", "deliver"]
SHARED = {"errors", "jobs", "folders", "memory"}


def imports_of(path: Path) -> set[str]:
    out = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            out |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            out.add(node.module)
    return out


def test_core_knows_no_qt_and_no_window():
    for path in (ROOT / "core").rglob("*.py"):
        for name in imports_of(path):
            assert not name.startswith(("PyQt6", "pyqtgraph", "dubbin.window", "dubbin.cli", "dubbin.demo")), (
                f"{path}: {name}"
            )


def test_imports_inside_core_only_go_down():
    for path in (ROOT / "core").rglob("*.py"):
        parts = path.relative_to(ROOT / "core").parts
        if len(parts) < 2:
            continue
        floor = FLOORS.index(parts[0])
        for name in imports_of(path):
            if name.startswith("dubbin.core.") and name.split(".")[2] not in SHARED:
                assert FLOORS.index(name.split(".")[2]) <= floor, f"{path} imports {name}"


def test_the_command_line_reaches_the_window_only_to_open_it():
    for path in (ROOT / "cli").rglob("*.py"):
        if path.name != "window_commands.py":
            assert not any(n.startswith(("PyQt6", "dubbin.window")) for n in imports_of(path)), path


def test_every_module_says_what_it_is_for():
    for path in ROOT.rglob("*.py"):
        assert ast.get_docstring(ast.parse(path.read_text())), path


def _kernels(function: ast.AST) -> dict[str, ast.FunctionDef]:
    """The compiled functions that are defined right inside another."""
    inner = [n for n in getattr(function, "body", []) if isinstance(n, ast.FunctionDef)]
    return {n.name: n for n in inner if any("njit" in ast.unparse(d) for d in n.decorator_list)}


def test_compiled_functions_that_call_others_are_not_closures():
    """numba keeps compiled code between runs by what a function closes over, and a compiled function is never the same twice:
    such a closure would be compiled anew at every start."""
    for path in (ROOT / "core").rglob("*.py"):
        for outer in ast.walk(ast.parse(path.read_text())):
            if isinstance(outer, ast.FunctionDef):
                kernels = _kernels(outer)
                made = {t.id for n in outer.body if isinstance(n, ast.Assign) and "kernel" in ast.unparse(n.value) for t in ast.walk(n) if isinstance(t, ast.Name)}
                for name, kernel in kernels.items():
                    used = {n.id for n in ast.walk(kernel) if isinstance(n, ast.Name)}
                    assert not used & ((set(kernels) - {name}) | made), f"{path}: {name}"
