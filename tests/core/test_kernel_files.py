"""Compiled code is kept safely while several programs compile the same kernel at once."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path

from dubbin.core.kernel_files import CodeFile

STAMP = ("a module", 1.0)


def code_file(folder: Path, stamp: object = STAMP) -> CodeFile:
    return CodeFile(str(folder), "kernel", stamp)


def test_what_many_keep_at_once_is_all_there_and_each_its_own(tmp_path):
    count = 12
    gate = threading.Barrier(count)

    def keep(number: int) -> None:
        gate.wait(60)
        code_file(tmp_path).save(f"signature {number}", f"code {number}")

    threads = [threading.Thread(target=keep, args=(k,)) for k in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [code_file(tmp_path).load(f"signature {k}") for k in range(count)] == [f"code {k}" for k in range(count)]


def test_nothing_is_in_the_index_before_it_is_there(tmp_path, monkeypatch):
    """Old code of the same number lies there, of another version of the module: whoever looks in between must not get it."""
    code_file(tmp_path, ("a module", 0.5)).save("signature", "old code")
    seen = []
    real = CodeFile._save_data
    monkeypatch.setattr(CodeFile, "_save_data", lambda self, *a: (seen.append(code_file(tmp_path).load("signature")), real(self, *a)))
    code_file(tmp_path).save("signature", "new code")
    assert seen == [None] and code_file(tmp_path).load("signature") == "new code"


def test_the_same_signature_kept_again_takes_the_place_of_what_was_there(tmp_path):
    for code in ("first", "second"):
        code_file(tmp_path).save("signature", code)
    assert code_file(tmp_path).load("signature") == "second"
    assert len(list(tmp_path.glob("*.nbc"))) == 1


def test_a_folder_without_locks_is_written_to_all_the_same(tmp_path, monkeypatch):
    def refuses(*_: object) -> None:
        raise OSError("no locks available")

    monkeypatch.setattr("fcntl.flock", refuses)
    code_file(tmp_path).save("signature", "code")
    assert code_file(tmp_path).load("signature") == "code"


def test_code_that_cannot_be_kept_is_compiled_again_and_half_of_it_is_never_there(tmp_path, monkeypatch):
    code_file(tmp_path).save("first", "code")

    def full(*_: object) -> None:
        raise OSError(28, "no space left on device")

    with monkeypatch.context() as patch:
        patch.setattr("os.replace", full)
        code_file(tmp_path).save("second", "code")
    assert code_file(tmp_path).load("second") is None and code_file(tmp_path).load("first") == "code"
    assert not list(tmp_path.glob("*.tmp*"))


KERNEL = """
import numpy as np
from dubbin.core.kernel import kernel

@kernel()
def total(x):
    s = 0.0
    for k in range(len(x)):
        s += x[k]
    return s
"""
CALLS = """
import sys, numpy as np, some_kernels as k
print([k.total(np.ones(9, kind)) for kind in sys.argv[1:]], sum(k.total.stats.cache_hits.values()), "numba.np.linalg" in sys.modules)
"""


def test_a_kernel_is_compiled_once_for_each_signature_and_what_compiling_needs_is_loaded_for_nothing_else(tmp_path):
    (tmp_path / "some_kernels.py").write_text(KERNEL)
    told = [
        subprocess.run([sys.executable, "-c", CALLS, *kinds], cwd=tmp_path, capture_output=True, text=True, check=True).stdout
        for kinds in (["float32"], ["float32"], ["float32", "float64"])
    ]
    assert told == ["[9.0] 0 True\n", "[9.0] 1 False\n", "[9.0, 9.0] 1 True\n"]


def test_a_kernel_is_compiled_anew_where_what_it_takes_in_has_changed(tmp_path):
    """A kernel or a number of another module is part of its code; other modules than these are not."""
    package = tmp_path / "loops"
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

    def run() -> list[str]:
        code = (
            "import loops.other\nfrom loops.outer_kernels import stepped\n"
            "print(stepped(10.0), sum(stepped.stats.cache_hits.values()), sum(stepped.stats.cache_misses.values()))"
        )
        env = {**os.environ, "PYTHONPATH": f"{tmp_path}{os.pathsep}{os.environ.get('PYTHONPATH', '')}"}
        done = subprocess.run([sys.executable, "-B", "-c", code], env=env, capture_output=True, text=True, check=True, timeout=120)
        return done.stdout.split()

    assert run() == ["22.0", "0", "1"] and run() == ["22.0", "1", "0"]
    (package / "numbers.py").write_text("STEP = 0.25\n")
    assert run() == ["20.25", "0", "1"]
    (package / "inner_kernels.py").write_text(files["inner_kernels"].replace("2.0 * x", "32.0 * x"))
    assert run() == ["320.25", "0", "1"]
    (package / "other.py").write_text("UNUSED = 22\n")
    assert run() == ["320.25", "1", "0"]
