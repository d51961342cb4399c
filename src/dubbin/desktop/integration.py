"""Menu entry, icons, file type, manual page and completions in the user's own folders, and all of them taken away again.

After the XDG base directories and the freedesktop.org specifications of desktop entries, icon themes, shared MIME information and AppStream.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.errors import CannotWrite
from dubbin.core.sound.writing import not_written, replacing
from dubbin.core.texts import tr

FILES = Path(__file__).with_name("files")
ICON_SIZES = (16, 22, 24, 32, 48, 64, 96, 128, 256, 512)
APP_ICON, TYPE_ICON, SYMBOLIC = "dubbin.svg", "application-x-dubbin-episode.svg", "dubbin-symbolic.svg"
# File that ships, and its place below the data folder.
PLACES = {
    "dubbin.desktop": "applications/dubbin.desktop", "org.dubbin.Dubbin.metainfo.xml": "metainfo/org.dubbin.Dubbin.metainfo.xml",
    "dubbin-mime.xml": "mime/packages/dubbin.xml", APP_ICON: "icons/hicolor/scalable/apps/dubbin.svg", SYMBOLIC: "icons/hicolor/symbolic/apps/dubbin-symbolic.svg",
    TYPE_ICON: "icons/hicolor/scalable/mimetypes/application-x-dubbin-episode.svg", "dubbin.1": "man/man1/dubbin.1",
    "dubbin.bash": "bash-completion/completions/dubbin", "_dubbin": "zsh/site-functions/_dubbin", "dubbin.fish": "fish/vendor_completions.d/dubbin.fish",
}  # fmt: skip
# What tells running desktops, where it is there: program, and the folder that it looks through.
REFRESHERS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"), ("gtk-update-icon-cache", "icons/hicolor"))
REFRESH_S = 60


@dataclass(frozen=True)
class Placed:
    """A file below the data folder, and what it holds."""

    path: Path
    content: bytes


def data_home() -> Path:
    """The user's folder for what programs bring along."""
    chosen = os.environ.get("XDG_DATA_HOME", "")
    return Path(chosen) if chosen.startswith("/") else Path.home() / ".local" / "share"


def install(home: Path, command: str, *, tell: bool = True) -> list[Path]:
    """Write all files below a data folder; where they are. command: how the program is started. tell: desktops that run. Raises CannotWrite."""
    written = []
    for placed in _all(home, command):
        try:
            placed.path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(placed.path) as draft:
                draft.write_bytes(placed.content)
        except OSError as error:
            raise not_written(placed.path, error) from error
        written.append(placed.path)
    if tell:
        _refresh(home)
    return written


def remove(home: Path) -> list[Path]:
    """Take them away, with the folders that are empty then; which there were. Raises CannotWrite."""
    gone = []
    for path in _paths(home):
        try:
            if path.is_file():
                path.unlink()
                gone.append(path)
        except OSError as error:
            raise CannotWrite(tr("{path} could not be removed: {reason}.").format(path=path, reason=error.strerror or error)) from error
    for path in gone:
        _remove_empty(path.parent, home)
    if gone:
        _remove_made_lists(home)
        _refresh(home)
    return gone


def _paths(home: Path) -> list[Path]:
    sizes = [home / f"icons/hicolor/{size}x{size}" for size in ICON_SIZES]
    return [
        *(home / place for place in PLACES.values()), *(folder / "apps/dubbin.png" for folder in sizes),
        *(folder / "mimetypes/application-x-dubbin-episode.png" for folder in sizes),
    ]  # fmt: skip


def _all(home: Path, command: str) -> Iterator[Placed]:
    for name, place in PLACES.items():
        content = (FILES / name).read_bytes()
        yield Placed(home / place, _entry(content.decode(), command).encode() if name == "dubbin.desktop" else content)
    for size in ICON_SIZES:
        for picture, place in ((APP_ICON, "apps/dubbin.png"), (TYPE_ICON, "mimetypes/application-x-dubbin-episode.png")):
            yield Placed(home / f"icons/hicolor/{size}x{size}" / place, drawn(FILES / picture, size))


def _entry(entry: str, command: str) -> str:
    """The desktop entry with the program's own place."""
    # First as an argument is quoted, then as a string of the entry is escaped.
    argument = '"' + "".join(f"\\{c}" if c in '"`$\\' else c for c in command).replace("%", "%%") + '"'
    quoted = command if command.isidentifier() else argument.replace("\\", "\\\\")
    lines = [f"Exec={quoted} open %f" if line.startswith("Exec=") else line for line in entry.splitlines()]
    return "\n".join(lines) + "\n"


def drawn(picture: Path, size: int) -> bytes:
    """A drawing (SVG) as PNG of size by size pixels."""
    from PyQt6.QtCore import QBuffer, QByteArray, QIODevice
    from PyQt6.QtGui import QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    image = QImage(size, size, QImage.Format.Format_ARGB32)
    image.fill(0)
    painter = QPainter(image)
    QSvgRenderer(str(picture)).render(painter)
    painter.end()
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(data.data())


def _refresh(home: Path) -> None:
    """Tell desktops that run; one that can't be told finds it at its next start."""
    for program, folder in REFRESHERS:
        if shutil.which(program) and (home / folder).is_dir():
            extra = ["-q", "-t", "-f"] if program.startswith("gtk") else []
            try:
                subprocess.run([program, *extra, str(home / folder)], capture_output=True, timeout=REFRESH_S, check=False)
            except (OSError, subprocess.TimeoutExpired):
                continue


def _remove_made_lists(home: Path) -> None:
    """What the refreshers made of files of which none is left."""
    if not (home / "mime" / "packages").is_dir():
        shutil.rmtree(home / "mime", ignore_errors=True)
    for made, what in (
        ("applications/mimeinfo.cache", "applications/*.desktop"),
        ("icons/hicolor/icon-theme.cache", "icons/hicolor/*/*/*"),
    ):
        if not any(home.glob(what)):
            (home / made).unlink(missing_ok=True)
            _remove_empty((home / made).parent, home)


def _remove_empty(folder: Path, home: Path) -> None:
    """A folder below the data folder, and those above it, as far as nothing is in them."""
    while folder != home and home in folder.parents:
        try:
            folder.rmdir()
        except FileNotFoundError:
            pass
        except OSError:
            return
        folder = folder.parent
