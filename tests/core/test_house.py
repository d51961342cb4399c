"""The shape of the house: which way imports go, that core knows no Qt, and that nobody is named."""

from __future__ import annotations

import ast
import gc
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

import dubbin
from dubbin.core.measure.finding import ASKED_FOR
from dubbin.core.treat.registry import REPAIRS

ROOT = Path(dubbin.__file__).parent
# Lower floors first: a module may import from its own floor and from those below.
FLOORS = ["sound", "measure", "treat", "speech", "episode", "mix", "card", "deliver", "batch"]
SHARED = {
    "about",
    "array_files",
    "compiled_module",
    "decodable",
    "errors",
    "figures",
    "in_time",
    "there",
    "seats",
    "jobs",
    "folders",
    "memory",
    "licences",
    "log",
    "kernel",
    "texts",
}


@pytest.fixture(autouse=True, scope="module")
def nothing_to_collect() -> Iterator[None]:
    """Trees of hundreds of files are millions of objects, none of which is garbage."""
    gc.disable()
    yield
    gc.enable()


@cache
def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@cache
def imports_of(path: Path) -> set[str]:
    out = set()
    for node in ast.walk(tree_of(path)):
        if isinstance(node, ast.Import):
            out |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            out.add(node.module)
    return out


def test_core_knows_no_qt_and_no_window():
    for path in (ROOT / "core").rglob("*.py"):
        for name in imports_of(path):
            assert not name.startswith(("PyQt6", "pyqtgraph", "dubbin.window", "dubbin.cli", "dubbin.demo")), f"{path}: {name}"


def test_imports_inside_core_only_go_down():
    for path in (ROOT / "core").rglob("*.py"):
        parts = path.relative_to(ROOT / "core").parts
        if len(parts) < 2:
            continue  # what all floors share
        floor = FLOORS.index(parts[0])
        for name in imports_of(path):
            if name.startswith("dubbin.core.") and name.split(".")[2] not in SHARED:
                assert FLOORS.index(name.split(".")[2]) <= floor, f"{path} imports {name}"


def test_types_are_made_known_to_the_decoding_library_by_one_thread_at_a_time():
    """Two threads that are the first to meet a class, at once, bring the program down: see core/decodable.py."""
    for path in ROOT.rglob("*.py"):
        for call in (n for n in ast.walk(tree_of(path)) if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute)):
            of = ast.unparse(call.func)
            if not of.startswith("msgspec.") or path.name == "decodable.py":
                continue
            kinds = [k.value for k in call.keywords if k.arg == "type"] + (
                call.args[1:2] if of.endswith("convert") else call.args[:1] if of.endswith("Decoder") else []
            )
            for kind in kinds:
                text = ast.unparse(kind)
                assert text.startswith(("decodable(", "list[str]", "list[dict[str, Any]]")), f"{path}: {of} makes {text}"


def test_the_command_line_reaches_the_window_only_to_open_it():
    for path in (ROOT / "cli").rglob("*.py"):
        if path.name != "window_commands.py":
            assert not any(n.startswith(("PyQt6", "dubbin.window")) for n in imports_of(path)), path


def test_every_module_says_what_it_is_for():
    for path in ROOT.rglob("*.py"):
        assert ast.get_docstring(tree_of(path)), path


def lookups(tree: ast.AST) -> list[ast.Call]:
    return [n for n in ast.walk(tree) if isinstance(n, ast.Call) and getattr(n.func, "id", "") in ("tr", "mark", "tr_count")]


def test_texts_are_looked_up_whole():
    """What is put together before it is looked up can't be found in a catalogue, and what stands within an f-string is not seen by the template."""
    for path in ROOT.rglob("*.py"):
        if "dubbin.core.texts" not in imports_of(path):
            continue
        for call in lookups(tree_of(path)):
            assert not any(isinstance(part, (ast.JoinedStr, ast.BinOp)) for part in call.args[:2]), f"{path}:{call.lineno}"
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.JoinedStr):
                assert not any(isinstance(call.args[0], ast.Constant) for call in lookups(node)), f"{path}:{node.lineno}"


# -- the window's rooms -----------------------------------------------------------------

STEPS = {"intake", "repair", "edit", "voice", "balance", "master"}
# What every room may use of the window, besides itself; a step may use all of these, and never another step.
BELOW = {
    "parts": set(),
    "session": {"parts"},
    "lanes": {"parts", "session"},
    "words": {"parts", "session", "lanes"},
    "player": {"parts", "session", "lanes"},
    "shell": {"parts", "session", "lanes", "words", "player"},
}


def rooms_of(path: Path) -> set[str]:
    """The rooms of the window that a module uses."""
    return {name.split(".")[2] for name in imports_of(path) if name.startswith("dubbin.window.") and name.count(".") >= 2}


@pytest.mark.parametrize("room", sorted(STEPS))
def test_a_step_never_uses_another_step(room):
    for path in (ROOT / "window" / room).rglob("*.py"):
        assert rooms_of(path) <= {room, *BELOW}, path


@pytest.mark.parametrize("room", BELOW)
def test_what_steps_share_knows_no_step(room):
    for path in (ROOT / "window" / room).rglob("*.py"):
        assert rooms_of(path) <= {room, *BELOW[room]}, path


@pytest.mark.parametrize("room", sorted(STEPS))
def test_every_step_has_a_page_and_its_evidence_in_its_own_room(room):
    files = {path.name for path in (ROOT / "window" / room).glob("*.py")}
    assert "page.py" in files and (room == "intake" or "evidence.py" in files)


def test_only_the_list_of_rooms_knows_all_of_them():
    for path in (ROOT / "window").glob("*.py"):
        assert path.name == "rooms.py" or not rooms_of(path) & STEPS, path


# -- kernels ----------------------------------------------------------------------------


def test_compiled_loops_stand_in_modules_of_their_own():
    """And only who compiles needs the compiler, which takes half a second to import."""
    for path in ROOT.rglob("*.py"):
        assert path.name == "kernel_compiler.py" or "numba" not in {name.split(".")[0] for name in imports_of(path)}, path
        assert path.name.endswith("_kernels.py") or "dubbin.core.kernel" not in imports_of(path), path


def kernels() -> list[str]:
    """Names of all compiled functions."""
    out = []
    for path in (ROOT / "core").rglob("*_kernels.py"):
        for node in tree_of(path).body:
            if isinstance(node, ast.FunctionDef) and node.decorator_list:
                assert ast.get_docstring(node) and all(a.annotation for a in node.args.args) and node.returns, f"{path}: {node.name}"
                out.append(f"{path.stem}.{node.name}")
    return out


def test_every_kernel_says_what_its_arguments_are_and_has_a_twin_in_the_tests():
    tests = (Path(__file__).parent / "test_kernels.py").read_text()
    inlined = {
        "suppressor_kernels.lsa",
        "suppressor_kernels.decide",
        "suppressor_kernels.prior",
        "suppressor_kernels.gains_of",
        "noise_kernels.over",
        "hum_kernels.running_mean",
        "hum_kernels.bell_mean",
        "click_feature_kernels.level_db",
        "click_feature_kernels.highest_of",
        "click_feature_kernels.rms_of",
        "word_edges_kernels.states_at",
    }
    for name in kernels():
        # The suppressor's kernel is bound to a short name there; what is inlined is held by the kernel that takes it in.
        assert name in tests or name in inlined or name == "suppressor_kernels.look", name


def test_what_findings_ask_for_is_what_there_is():
    assert tuple(t.name for t in REPAIRS) == ASKED_FOR


# What these do is said where they are first declared: a source, a meter, a treatment, tiles.
DECLARED_ELSEWHERE = {
    "read", "rate", "channels", "frames", "push", "result", "analyse", "process", "process_all", "side_by_side", "is_idle", "spans_s", "get", "put", "has", "tiles",
}  # fmt: skip


def undocumented(body: list[ast.stmt], inside: str = "") -> list[str]:
    """Names of public functions, classes and methods without a docstring."""
    out = []
    for node in body:
        if isinstance(node, (ast.FunctionDef, ast.ClassDef)) and not node.name.startswith("_"):
            if not ast.get_docstring(node) and not (inside and node.name in DECLARED_ELSEWHERE):
                out.append(f"{inside}{node.name}")
            if isinstance(node, ast.ClassDef):
                out += undocumented(node.body, f"{node.name}.")
    return out


def test_everything_public_in_core_says_what_it_is():
    for path in (ROOT / "core").rglob("*.py"):
        assert undocumented(tree_of(path).body) == [], path


@pytest.mark.parametrize(
    ("module", "name"),
    [("sound/source.py", "Source"), ("measure/measuring.py", "Meter"), ("treat/treatment.py", "Treatment"), ("treat/tiles.py", "Tiles")],
)
def test_what_is_declared_elsewhere_is_documented_there(module, name):
    tree = tree_of(ROOT / "core" / module)
    declared = next(node for node in tree.body if isinstance(node, ast.ClassDef) and node.name == name)
    for node in declared.body:
        assert not isinstance(node, ast.FunctionDef) or ast.get_docstring(node), f"{name}.{node.name}"
