"""Compiled code is kept whole, is run where it is current and nowhere else, and without the compiler."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest

from dubbin.core.kernel_code import Code
from dubbin.core.kernel_files import keep, kept
from dubbin.core.kernel_kinds import kind_of, signature_of

CODE = Code(b"machine code", "entry", "environment", ("<f4",))


def test_what_many_keep_at_once_is_there_whole(tmp_path):
    count, path = 12, tmp_path / "code" / "a.kernel"
    gate, seen = threading.Barrier(count), []

    def work(number: int) -> None:
        gate.wait(60)
        keep(path, "now", Code(bytes([number]) * 50_000, "entry", "environment", ()))
        seen.append(kept(path, "now"))

    threads = [threading.Thread(target=work, args=(k,)) for k in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(seen) == count and all(code is not None and len(set(code.object_code)) == 1 for code in seen)
    assert [p.name for p in path.parent.iterdir()] == ["a.kernel"]


def test_of_another_version_or_damaged_it_is_not_there(tmp_path):
    path = tmp_path / "a.kernel"
    assert kept(path, "now") is None
    keep(path, "before", CODE)
    assert kept(path, "before") == CODE and kept(path, "now") is None
    keep(path, "now", CODE)
    whole = path.read_bytes()
    assert kept(path, "now") == CODE
    for damaged in (b"", whole[:-1], whole[:40], whole[:-5] + b"\0" + whole[-4:], b"\0" + whole[1:]):
        path.write_bytes(damaged)
        assert kept(path, "now") is None


def test_code_that_cannot_be_kept_leaves_what_was_there(tmp_path, monkeypatch):
    path = tmp_path / "a.kernel"
    keep(path, "now", CODE)

    def full(*_: object) -> None:
        raise OSError(28, "no space left on device")

    with monkeypatch.context() as patch:
        patch.setattr("os.replace", full)
        keep(path, "later", CODE)
    assert kept(path, "now") == CODE and [p.name for p in tmp_path.iterdir()] == ["a.kernel"]
    (tmp_path / "file").touch()
    keep(tmp_path / "file" / "a.kernel", "now", CODE)  # no folder can be there


@pytest.mark.parametrize(
    ("value", "name"),
    [
        (np.zeros(3, np.float32), "f4c1"),
        (np.zeros((2, 3)), "f8c2"),
        (np.zeros((2, 3)).T, "f8f2"),
        (np.zeros((4, 6), np.complex64)[::2, ::2], "c8a2"),
        (np.zeros((1, 1), bool), "b1c2"),
        (np.frombuffer(b"abcd", np.uint8), "u1c1r"),
        (np.zeros(3).view(np.memmap), "f8c1"),
        (7, "i8"), (2.0, "f8"), (True, "b1"), (np.float32(1), "f4"), (np.float64(1), "f8"), (np.int16(1), "i2"), (np.bool_(True), "b1"),
        (np.zeros(3, ">f4"), None),
        (np.frombuffer(b"abcdefghi", np.uint8)[1:].view(np.float32), None),
        (np.zeros(2, "datetime64[s]"), None), (np.zeros(2, object), None), ((1, 2), None), (None, None), ("text", None), (1j, None),
    ],
)  # fmt: skip
def test_kinds_of_values_have_names_and_what_has_none_is_not_kept(value, name):
    assert signature_of([kind_of(value)]) == name
    assert signature_of([kind_of(3), kind_of(value)]) == (None if name is None else f"i8_{name}")


# -- in programs of their own -----------------------------------------------------------

KERNELS = """
import numpy as np
from dubbin.core.kernel import inlined, kernel

TABLE = np.array([1.0, 10.0])

@inlined()
def half(x):
    return 0.5 * x

@kernel()
def total(x):
    s = 0.0
    for k in range(len(x)):
        s += half(x[k]) + half(x[k])
    return s

@kernel(fastmath=True)
def mixed(x, share, count, doubled):
    out = np.empty((count, len(x)), x.dtype)
    for k in range(count):
        for n in range(len(x)):
            out[k, n] = x[n] * share * TABLE[k] * (2 if doubled else 1)
    return out, total(x), x

@kernel()
def refuses(count):
    if count < 0:
        raise ValueError("fewer than none")
    return np.zeros(count)
"""
CALLS = {
    "kinds": "print([float(k.total(x)) for x in (np.ones(9, 'f4'), np.ones(9), np.ones((9, 2))[:, 0])])",
    "together": "a, b, c = k.mixed(x := np.arange(3.0), 0.5, 2, True); print(a.tolist(), b, (c == x).all(), a.dtype)",
    "errors": """
for count in (-1, 2**45):
    try:
        k.refuses(count)
    except (ValueError, MemoryError) as error:
        print(type(error).__name__, error)
""",
    "threads": """
from concurrent.futures import ThreadPoolExecutor
sys.setswitchinterval(1e-5)
with ThreadPoolExecutor(16) as pool:
    print(set(pool.map(lambda n: n - k.total(np.ones(n, 'f4' if n % 2 else 'f8')), range(200))))
sys.setswitchinterval(5e-3)
""",
    "memory": """
import resource
k.refuses(3)
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
for _ in range(100):
    k.refuses(1 << 20)[:] = 1.0
    k.mixed(np.ones(1 << 18), 0.5, 2, True)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 60_000)
x, _, same = k.mixed(y := np.ones(5), 1.0, 1, False)
del y
print(same.tolist(), sys.getrefcount(same), k.refuses(4).tolist())
""",
    "later": """
print('numba' in sys.modules)
try:
    k.total(3.0)
except Exception as error:
    print(type(error).__name__)
print(__import__('numba').njit(lambda x: 2 * x)(2.5), k.total(np.ones(5, 'f4')), k.refuses(1))
""",
}
TOLD = {
    "kinds": "[9.0, 9.0, 9.0]",
    "together": "[[0.0, 1.0, 2.0], [0.0, 10.0, 20.0]] 3.0 True float64",
    "errors": "ValueError fewer than none\nMemoryError Allocation failed (probably too large).",
    "threads": "{0.0}",
    "memory": "True\n[1.0, 1.0, 1.0, 1.0, 1.0] 2 [0.0, 0.0, 0.0, 0.0]",
    "later": "{}\nTypingError\n5.0 5.0 [0.]",  # what there can be no code for is asked of the compiler, which takes what is there for its own
}


def run(folder: Path, code: str, **environment: str) -> str:
    """What a program prints."""
    done = subprocess.run(
        [sys.executable, "-B", "-c", code],
        cwd=folder,
        env={**os.environ, **environment},
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    )
    return done.stdout.strip()


@pytest.fixture(scope="module")
def told(tmp_path_factory) -> dict[str, dict[str, str]]:
    """What the calls tell where the kernels are compiled, where they are kept, and where they are kept and the compiler is there already."""
    folder = tmp_path_factory.mktemp("kernels")
    (folder / "some_kernels.py").write_text(KERNELS)
    everything = "import sys, numpy as np, some_kernels as k\n" + "\n".join(f"print('-- {name}')\n{code}" for name, code in CALLS.items())
    before = {"compiled": "", "kept": "", "beside the compiler": "import numba; numba.njit(lambda x: x + 1)(2.5)\n"}
    return {
        how: dict(part.strip().split("\n", 1) for part in run(folder, first + everything).split("-- ")[1:]) for how, first in before.items()
    }


@pytest.mark.parametrize("name", sorted(CALLS))
@pytest.mark.parametrize("how", ["compiled", "kept", "beside the compiler"])
def test_code_that_was_kept_does_the_same_without_the_compiler(told, name, how):
    assert told[how][name] == TOLD[name].format(how != "kept") if name == "later" else told[how][name] == TOLD[name]


def test_a_kernel_is_compiled_anew_where_what_it_takes_in_has_changed(tmp_path):
    """A kernel or a number of another module is part of its code; other modules than these are not. Of several versions one is kept, where the environment says."""
    package, kept_in = tmp_path / "loops", tmp_path / "said"
    package.mkdir()
    files = {
        "__init__": "",
        "numbers": "STEP = 2.0\n",
        "inner_kernels": "from dubbin.core.kernel import kernel\n\n@kernel()\ndef twice(x):\n    return 2.0 * x\n",
        "outer_kernels": (
            "from dubbin.core.kernel import kernel\nfrom loops.inner_kernels import twice\nfrom loops.numbers import STEP\n\n"
            "@kernel()\ndef stepped(x):\n    return twice(x) + STEP\n"
        ),
        "other": "UNUSED = 1\n",
    }
    for name, text in files.items():
        (package / f"{name}.py").write_text(text)

    def stepped() -> str:
        """The figure, and whether the compiler was needed."""
        return run(
            tmp_path,
            "import sys, loops.other\nfrom loops.outer_kernels import stepped\nprint(stepped(10.0), 'numba' in sys.modules)",
            DUBBIN_KERNELS=str(kept_in),
        )

    assert stepped() == "22.0 True"
    (package / "numbers.py").write_text("STEP = 0.25\n")
    assert stepped() == "20.25 True"
    (package / "inner_kernels.py").write_text(files["inner_kernels"].replace("2.0 * x", "32.0 * x"))
    assert stepped() == "320.25 True"
    (package / "other.py").write_text("UNUSED = 22\n")
    for path in package.glob("*.py"):
        os.utime(path, (0, 0))  # unpacked anew
    assert stepped() == "320.25 False"
    assert [p.name for p in kept_in.iterdir()] == ["outer_kernels.stepped-f8.kernel"]


def test_code_that_asks_for_what_is_not_there_is_not_kept():
    """To lay it out would end the program."""
    from dubbin.core.kernel_code import can_be_called

    names = ("sqrt", "PyErr_SetString", "NRT_MemInfo_alloc_aligned", "numba_unpickle", "PyExc_ValueError", "_Py_NoneStruct")
    assert all(map(can_be_called, names)) and not can_be_called("a_function_that_nobody_has")
    assert not can_be_called("numba_a_helper_of_another_version")


def test_where_the_machine_is_another_it_is_compiled_anew(tmp_path, monkeypatch):
    from dubbin.core import kernel_files
    from dubbin.core.deliver.limiter_kernels import release

    here = kernel_files.stamp_of(release.py_func, release.targetoptions)
    assert here == kernel_files.stamp_of(release.py_func, release.targetoptions)
    assert here != kernel_files.stamp_of(release.py_func, {**release.targetoptions, "fastmath": "another"})
    monkeypatch.setattr(kernel_files, "_machine", lambda: "another processor")
    assert here != kernel_files.stamp_of(release.py_func, release.targetoptions)
