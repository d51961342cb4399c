"""The wheel holds all that the program needs; the Debian package says what it depends on, and puts things where Debian looks for them."""

from __future__ import annotations

import gzip
import importlib.util
import os
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src" / "dubbin"


@pytest.fixture(scope="module")
def package():
    spec = importlib.util.spec_from_file_location("package", ROOT / "scripts" / "package.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.fixture(scope="module")
def wheel(package, tmp_path_factory) -> Path:
    """Built where an older program was built before, of which a module is gone."""
    gone = ROOT / "build" / "lib" / "dubbin" / "gone_since.py"
    gone.parent.mkdir(parents=True, exist_ok=True)
    gone.write_text('"""Of an older program."""\n')
    return package.wheel(tmp_path_factory.mktemp("wheel"))


def shipped() -> set[str]:
    """What git knows of the program's folder."""
    said = subprocess.run(
        ["git", "ls-files", "--cached", "--others", "--exclude-standard", "."], cwd=SOURCE, capture_output=True, text=True, check=True
    )
    return {f"dubbin/{name}" for name in said.stdout.split("\n") if name and (SOURCE / name).is_file()}


def test_the_wheel_holds_every_file_of_the_program_and_nothing_else(wheel):
    held = {name for name in zipfile.ZipFile(wheel).namelist() if not name.endswith("/")}
    inside = {name for name in held if name.startswith("dubbin/")}
    assert inside == shipped()
    rest = held - inside
    assert (
        all(".dist-info/" in name for name in rest)
        and any(name.endswith("OFL.txt") for name in rest)
        and any(name.endswith("LICENSE") for name in rest)
    )


def test_the_program_in_the_wheel_runs_from_it_alone(wheel, tmp_path):
    zipfile.ZipFile(wheel).extractall(tmp_path / "site")
    for kernel in SOURCE.rglob("*.kernel"):  # of the same code: it need not be compiled again
        kept = tmp_path / "site" / "dubbin" / kernel.relative_to(SOURCE)
        kept.parent.mkdir(exist_ok=True)
        shutil.copy(kernel, kept)
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "site"), "DUBBIN_HOME": str(tmp_path / "home")}

    def run(*command: str) -> str:
        done = subprocess.run([sys.executable, *command], cwd=tmp_path, env=environment, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
        return done.stdout

    assert run("-c", "import dubbin; print(dubbin.__file__)").startswith(str(tmp_path / "site"))
    assert "podcast-stereo" in run("-m", "dubbin", "targets")
    lines = "import soundfile; from dubbin.demo.recordings import clean_lines; soundfile.write('said.wav', clean_lines()[3], 48000)"
    run("-c", lines)
    run("-m", "dubbin", "transcribe", "said.wav", "-o", "said.txt")
    assert (tmp_path / "said.txt").read_text().strip()


def test_the_package_depends_on_the_systems_libraries_and_on_one_python(package):
    lines = dict(
        line.split(": ", 1) for line in package.control(1000, "amd64", (3, 11)).splitlines() if ": " in line and not line.startswith(" ")
    )
    depends = lines["Depends"].split(", ")
    assert depends[:2] == ["python3 (>= 3.11)", "python3 (<< 3.12)"] and {"libegl1", "libxcb-cursor0", "libpulse0"} <= set(depends)
    assert lines["Version"] == f"{package.version()}-1" and lines["Installed-Size"] == "1000"


def test_the_package_puts_things_where_debian_looks(package, tmp_path):
    stage, out = tmp_path / "stage", tmp_path / "out"
    out.mkdir()
    site = package.skeleton(stage, (3, 11))
    (site / "dubbin").mkdir()
    (site / "dubbin" / "__init__.py").write_text("")
    package.fill_shared(stage)
    deb = package.pack(stage, out, (3, 11))
    listed = subprocess.run(["dpkg-deb", "--contents", deb], capture_output=True, text=True, check=True).stdout.splitlines()
    rights = {line.split()[5]: (line.split()[0], line.split()[1]) for line in listed}
    for place in (
        "./usr/bin/dubbin", "./usr/lib/dubbin/bin/python3", "./usr/lib/dubbin/pyvenv.cfg", "./usr/share/applications/dubbin.desktop", "./usr/share/man/man1/dubbin.1.gz",
        "./usr/share/bash-completion/completions/dubbin", "./usr/share/zsh/vendor-completions/_dubbin", "./usr/share/fish/vendor_completions.d/dubbin.fish",
        "./usr/share/metainfo/org.dubbin.Dubbin.metainfo.xml", "./usr/share/mime/packages/dubbin.xml", "./usr/share/icons/hicolor/48x48/apps/dubbin.png",
        "./usr/share/doc/dubbin/copyright", "./usr/share/doc/dubbin/changelog.gz",
    ):  # fmt: skip
        assert place in rights, place
    assert all(owner == "root/root" for _, owner in rights.values()) and rights["./usr/bin/dubbin"][0] == "-rwxr-xr-x"
    assert not any(place.startswith(("./usr/local", "./etc", "./home", "./opt")) for place in rights)
    assert (stage / "usr/share/applications/dubbin.desktop").read_text().count("Exec=dubbin open %f") == 1
    assert gzip.decompress((stage / "usr/share/man/man1/dubbin.1.gz").read_bytes()).startswith(b".TH")
    licences = (stage / "usr/share/doc/dubbin/copyright").read_text()
    assert "GNU General Public License" in licences and "PyQt6" in licences
    checked = subprocess.run(["dpkg-deb", "--field", deb, "Package"], capture_output=True, text=True, check=True)
    assert checked.stdout.strip() == "dubbin"
    sums = (stage / "DEBIAN" / "md5sums").read_text()
    assert "usr/bin/dubbin" in sums and "DEBIAN" not in sums


def test_the_launcher_listens_to_no_environment_of_the_users(package):
    assert package.LAUNCHER.startswith("#!/bin/sh\n") and 'exec /usr/lib/dubbin/bin/python3 -I -m dubbin "$@"' in package.LAUNCHER
    assert "DUBBIN_KERNELS" in package.LAUNCHER, "what is compiled is the user's"


def test_what_was_there_before_is_told_from_what_is_left(package, tmp_path):
    for place in ("usr/bin/dubbin", "var/lib/dpkg/info/dubbin.list", "root/dubbin/x", "usr/lib/a/b"):
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_text("")
    found = package.files_of(tmp_path)
    assert "usr/bin/dubbin" in found and "usr/lib/a/b" in found and "usr/lib/a" in found
    assert not any(p.startswith(("var/lib", "root")) for p in found)
