"""Whether somebody is told that the first use takes longer: where there is no compiled code, or only that of another version."""

from __future__ import annotations

import os
import sys

import pytest

from dubbin.cli import progress
from dubbin.core.kernel_cache import FIRST_USE, are_compiled


@pytest.fixture
def package(tmp_path):
    """Four modules of kernels, a minute old, and another one."""
    folder = tmp_path / "package" / "core"
    (folder / "__pycache__").mkdir(parents=True)
    for name in ("a_kernels", "b_kernels", "c_kernels", "d_kernels", "other"):
        put(folder / f"{name}.py", -60)
    return tmp_path / "package"


def put(path, age_s):
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text("")
    now = path.stat().st_mtime
    os.utime(path, (now + age_s, now + age_s))


def compiled(folder, names, age_s=0.0):
    for name in names:
        put(folder / f"{name}.loop-f4c1_i8.kernel", age_s)


@pytest.mark.parametrize(
    ("names", "age_s", "there"),
    [("", 0, False), ("a", 0, False), ("ab", 0, True), ("abcd", 0, True), ("abcd", -3600, False)],
    ids=["none", "few", "enough", "all", "of another version"],
)
def test_code_beside_the_modules(package, names, age_s, there):
    compiled(package / "core" / "__pycache__", [f"{n}_kernels" for n in names], age_s)
    assert are_compiled(package, []) is there


def test_code_elsewhere_and_no_code_of_what_is_no_kernel(package, tmp_path):
    compiled(package / "core" / "__pycache__", ["other", "others"])
    assert not are_compiled(package, [tmp_path / "elsewhere"])
    compiled(tmp_path / "elsewhere", ["a_kernels", "b_kernels", "d_kernels"])
    assert are_compiled(package, [tmp_path / "elsewhere"])


@pytest.mark.parametrize(("variable", "within"), [("DUBBIN_KERNELS", ""), ("XDG_CACHE_HOME", "dubbin/kernels")])
def test_code_in_the_usual_place(package, tmp_path, monkeypatch, variable, within):
    monkeypatch.delenv("DUBBIN_KERNELS", raising=False)
    monkeypatch.setenv(variable, str(tmp_path / "kept"))
    compiled(tmp_path / "kept" / within, ["a_kernels", "b_kernels"])
    assert are_compiled(package)


@pytest.mark.parametrize(("terminal", "quiet", "there", "said"), [
    (True, False, False, True), (True, True, False, False), (False, False, False, False), (True, False, True, False),
])  # fmt: skip
def test_who_waits_at_a_terminal_is_told_why(monkeypatch, capsys, terminal, quiet, there, said):
    monkeypatch.setattr(progress, "are_compiled", lambda: there)
    monkeypatch.setattr(sys.stderr, "isatty", lambda: terminal, raising=False)
    progress.progress_task("Measuring", quiet)
    assert (FIRST_USE in capsys.readouterr().err) is said
