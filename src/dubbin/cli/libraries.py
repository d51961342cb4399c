"""A system library that is missing: one sentence that names it, and the package that holds it."""

from __future__ import annotations

import re

from dubbin.core.texts import tr

# Libraries that the wheels of Qt and of the sound system expect on the machine, by Debian's packages.
PACKAGES = {
    "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1", "libglib-2.0.so.0": "libglib2.0-0", "libgthread-2.0.so.0": "libglib2.0-0",
    "libdbus-1.so.3": "libdbus-1-3", "libfontconfig.so.1": "libfontconfig1", "libfreetype.so.6": "libfreetype6", "libxkbcommon.so.0": "libxkbcommon0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0", "libxcb-cursor.so.0": "libxcb-cursor0", "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0", "libxcb-keysyms.so.1": "libxcb-keysyms1", "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render-util.so.0": "libxcb-render-util0", "libxcb-shape.so.0": "libxcb-shape0", "libxcb-xinerama.so.0": "libxcb-xinerama0",
    "libpulse.so.0": "libpulse0", "libX11.so.6": "libx11-6",
}  # fmt: skip


def missing_library(error: ImportError) -> str | None:
    """What to say when an import failed for a library of the system; None when it failed for another reason."""
    found = re.match(r"(lib[\w.+-]+\.so[\d.]*): cannot open shared object file", str(error))
    if found is None:
        return None
    name = found.group(1)
    package = PACKAGES.get(name)
    how = (
        tr("Install it with: sudo apt install {package}").format(package=package)
        if package
        else tr("Install the package of your distribution that holds it")
    )
    return tr("The system library {name} is missing. {how}.").format(name=name, how=how)
