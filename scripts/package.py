"""The wheel and the Debian package: the program with libraries of its own below /usr/lib/dubbin, and what a desktop wants to know below /usr/share.

The package has a private environment that is made for Debian's own Python: only libraries of the system are declared as what it depends on.
"""

from __future__ import annotations

import argparse
import gzip
import hashlib
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PRIVATE = Path("usr/lib/dubbin")
PYTHON = Path("/usr/bin/python3")  # Debian's
SUITE, MIRROR = "bookworm", "http://deb.debian.org/debian"  # in which the package is checked
MAINTAINER = "The authors of Dubbin <dubbin@localhost>"
SUMMARY = "From recorded speech to masters that provably pass"
ABOUT = """A workbench for podcast audio: it takes noise, hum, clicks and room echo out of
 recorded speech, edits by words and pauses without clipping one, evens out
 voices, and brings the program to loudness targets. Everything runs on this
 computer, and every master is decoded again and measured."""
# Compiled inner loops go where the user may write, also where that is root: nothing of them may stay when the package goes.
LAUNCHER = """#!/bin/sh
export DUBBIN_KERNELS="${DUBBIN_KERNELS:-${XDG_CACHE_HOME:-$HOME/.cache}/dubbin/kernels}"
exec /usr/lib/dubbin/bin/python3 -I -m dubbin "$@"
"""


def version() -> str:
    """Of the program."""
    found = re.search(r'^version = "([^"]+)"', (ROOT / "pyproject.toml").read_text(), re.M)
    assert found is not None
    return found[1]


def libraries() -> list[str]:
    """Debian's packages that Qt and the sound system need, as the set-up script names them."""
    found = re.search(r'^QT_LIBRARIES="([^"]+)"', (ROOT / "scripts" / "common.sh").read_text(), re.M)
    assert found is not None
    return found[1].split()


def python_series(python: Path = PYTHON) -> tuple[int, int]:
    """Of Debian's Python: its compiled libraries fit no other."""
    said = subprocess.run([python, "-c", "import sys; print(*sys.version_info[:2])"], capture_output=True, text=True, check=True)
    major, minor = said.stdout.split()
    return int(major), int(minor)


def control(size_kb: int, architecture: str, series: tuple[int, int]) -> str:
    """What the package manager is told."""
    major, minor = series
    depends = ", ".join([f"python3 (>= {major}.{minor})", f"python3 (<< {major}.{minor + 1})", *libraries()])
    return (
        f"Package: dubbin\nVersion: {version()}-1\nSection: sound\nPriority: optional\nArchitecture: {architecture}\nMaintainer: {MAINTAINER}\n"
        f"Installed-Size: {size_kb}\nDepends: {depends}\nDescription: {SUMMARY}\n {ABOUT}\n"
    )


def wheel(out: Path) -> Path:
    """The wheel, made anew."""
    out.mkdir(parents=True, exist_ok=True)
    for old in out.glob("dubbin-*.whl"):
        old.unlink()
    shutil.rmtree(ROOT / "build", ignore_errors=True)  # of what was built before, modules that are gone since would come along
    run(sys.executable, "-m", "pip", "wheel", "-q", "--disable-pip-version-check", "--no-deps", "--no-build-isolation", "-w", out, ROOT)
    (made,) = out.glob("dubbin-*.whl")
    return made


def fill_private(stage: Path, made: Path, series: tuple[int, int]) -> None:
    """The environment: Debian's interpreter by a link, pinned libraries, the program."""
    if sys.version_info[:2] != series:
        raise SystemExit(
            f"Packages are made with Python {series[0]}.{series[1]}, as {PYTHON} is; this is {sys.version_info[0]}.{sys.version_info[1]}."
        )
    site = skeleton(stage, series)
    pip = (sys.executable, "-m", "pip", "install", "-q", "--disable-pip-version-check", "--no-compile", "--target", site)
    run(*pip, "--require-hashes", "-r", ROOT / "requirements.lock")
    run(*pip, "--no-deps", "--upgrade", made)
    shutil.rmtree(site / "bin", ignore_errors=True)
    run(PYTHON, "-I", "-m", "compileall", "-q", "--invalidation-mode", "unchecked-hash", "-s", stage, "-p", "/", "-j", "2", site)


def skeleton(stage: Path, series: tuple[int, int]) -> Path:
    """The environment without anything in it; the folder for its libraries."""
    private = stage / PRIVATE
    site = private / "lib" / f"python{series[0]}.{series[1]}" / "site-packages"
    site.mkdir(parents=True)
    (private / "bin").mkdir()
    (private / "bin" / "python3").symlink_to(f"/usr/bin/python{series[0]}.{series[1]}")
    (private / "pyvenv.cfg").write_text("home = /usr/bin\ninclude-system-site-packages = false\n")
    launcher = stage / "usr" / "bin" / "dubbin"
    launcher.parent.mkdir(parents=True)
    launcher.write_text(LAUNCHER)
    launcher.chmod(0o755)
    return site


def fill_shared(stage: Path) -> None:
    """Menu entry, icons, file type, manual page, completions; licences and changes."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from dubbin.desktop.integration import install

    share = stage / "usr" / "share"
    for path in install(share, "dubbin", tell=False):  # Debian's triggers tell desktops
        if path.name == "dubbin.1":
            path.with_name("dubbin.1.gz").write_bytes(gzip.compress(path.read_bytes(), 9, mtime=0))
            path.unlink()
    (share / "zsh" / "vendor-completions").parent.mkdir(parents=True, exist_ok=True)
    shutil.move(share / "zsh" / "site-functions", share / "zsh" / "vendor-completions")  # where Debian's zsh looks
    documents = share / "doc" / "dubbin"
    documents.mkdir(parents=True)
    (documents / "changelog.gz").write_bytes(gzip.compress((ROOT / "CHANGELOG.md").read_bytes(), 9, mtime=0))
    (documents / "copyright").write_text(copyright_text())


def copyright_text() -> str:
    """The licences of all that is shipped."""
    from dubbin.core.licences import licences

    parts = [f"{item.name}: {item.title}\n\n{item.text.strip()}\n" for item in licences()]
    return "Dubbin is licensed under the GNU General Public License, version 3 or later.\n\n" + "\n\n".join(parts)


def pack(stage: Path, out: Path, series: tuple[int, int]) -> Path:
    """The package of a tree."""
    files = sorted(p for p in stage.rglob("*") if p.is_file() and not p.is_symlink() and "DEBIAN" not in p.relative_to(stage).parts)
    architecture = subprocess.run(["dpkg", "--print-architecture"], capture_output=True, text=True, check=True).stdout.strip()
    size_kb = sum(p.stat().st_size for p in files) // 1024 + 1
    (stage / "DEBIAN").mkdir(exist_ok=True)
    (stage / "DEBIAN" / "control").write_text(control(size_kb, architecture, series))
    sums = (f"{hashlib.md5(p.read_bytes(), usedforsecurity=False).hexdigest()}  {p.relative_to(stage)}\n" for p in files)
    (stage / "DEBIAN" / "md5sums").write_text("".join(sums))
    for path in stage.rglob("*"):
        if path.is_dir() and not path.is_symlink():
            path.chmod(0o755)
    made = out / f"dubbin_{version()}-1_{architecture}.deb"
    run("dpkg-deb", "--root-owner-group", "-Zzstd", "-z10", "--build", stage, made)
    return made


def package(out: Path) -> Path:
    """Wheel and Debian package in a folder; the package."""
    series = python_series()
    made = wheel(out)
    with tempfile.TemporaryDirectory() as temporary:
        stage = Path(temporary)
        fill_private(stage, made, series)
        fill_shared(stage)
        return pack(stage, out, series)


# -- the check ---------------------------------------------------------------------------


@contextmanager
def bare_debian() -> Iterator[Path]:
    """A Debian with nothing but what every Debian has."""
    with tempfile.TemporaryDirectory() as temporary:
        root = Path(temporary) / "debian"
        run("mmdebstrap", "--variant=minbase", "--quiet", SUITE, root, MIRROR)
        shutil.copy("/etc/resolv.conf", root / "etc" / "resolv.conf")
        mounts = [("proc", root / "proc"), ("tmpfs", root / "dev" / "shm")]
        for kind, place in mounts:
            place.mkdir(parents=True, exist_ok=True)
            run("mount", "-t", kind, kind, place)
        try:
            yield root
        finally:
            for _, place in mounts:
                subprocess.run(["umount", "-l", place], check=False)


def check(deb: Path) -> None:
    """Install it, use it, remove it. Ends with a sentence where something fails."""
    with bare_debian() as root:

        def inside(*command: str) -> str:
            print("  ", " ".join(command), flush=True)
            environment = {
                "PATH": "/usr/sbin:/usr/bin:/sbin:/bin",
                "HOME": "/root",
                "LC_ALL": "C.UTF-8",
                "DEBIAN_FRONTEND": "noninteractive",
            }
            done = subprocess.run(["chroot", root, *command], env=environment, capture_output=True, text=True, check=False)
            if done.returncode:
                raise SystemExit(f"{' '.join(command)} ended with {done.returncode}:\n{done.stdout[-3000:]}\n{done.stderr[-3000:]}")
            return done.stdout

        shutil.copy(deb, root / "root" / "dubbin.deb")
        inside("apt-get", "update", "-qq")
        inside("apt-get", "install", "-y", "-qq", "--no-install-recommends", "xvfb", "xauth", "x11-utils")
        before = files_of(root)
        inside("apt-get", "install", "-y", "-qq", "--no-install-recommends", "/root/dubbin.deb")
        print(inside("dubbin", "--version").strip())
        episode = inside("dubbin", "demo", "--no-window").splitlines()[-1].strip()
        inside("dubbin", "master", episode, "-o", "/root/out", "--target", "podcast-stereo", "--format", "mp3", "--quiet")
        print(inside("sh", "-c", "dubbin proof /root/out/*.mp3 --target podcast-stereo").strip())
        print(inside("sh", "-c", WINDOW.format(episode=episode)).strip())
        inside("dubbin", "worker", "--help")
        inside("apt-get", "purge", "-y", "-qq", "dubbin")
        left = sorted(path for path in files_of(root) - before if "dubbin" in path.lower())
        if left:
            raise SystemExit("Left after it was removed:\n" + "\n".join(left))
        print("Installed, used and removed; nothing of it is left.")


# The window stands on the screen under its name, and goes away when it is asked to.
WINDOW = """
xvfb-run -a -s '-screen 0 1280x800x24' sh -c '
    dubbin open "{episode}" & window=$!
    for k in $(seq 120); do
        sleep 1
        kill -0 $window || exit 1
        if xwininfo -root -tree | grep -m1 "ring – Dubbin"; then kill $window; wait $window; exit 0; fi
    done
    exit 1'
"""
KEPT = ("var/lib", "var/cache", "var/log", "root", "proc", "sys", "dev", "tmp", "run", "etc")  # of the package manager and of who uses it


def files_of(root: Path) -> set[str]:
    """All files of a system but those that the package manager and users keep."""
    found = set()
    for folder, _, names in os.walk(root):
        here = Path(folder).relative_to(root)
        if not str(here).startswith(KEPT):
            found |= {str(here / name) for name in names} | {str(here)}
    return found


def run(*command: object) -> None:
    """A command that has to do its work."""
    print("  ", *command[:6], "…" if len(command) > 6 else "", flush=True)
    subprocess.run([str(part) for part in command], check=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true", help="install it in a bare Debian, use it, remove it")
    made = package(ROOT / "dist")
    print(made, f"{made.stat().st_size / 1e6:.0f} MB")
    if parser.parse_args().check:
        check(made)
