"""Whether the kernels are compiled for this machine already. A package that was only just unpacked has none, and its first use takes a minute longer."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import dubbin
from dubbin.core.kernel_place import SUFFIX, usual_folder
from dubbin.core.texts import tr

KERNELS = "*_kernels.py"
FIRST_USE = tr("First use on this computer: parts of the program are being compiled, which takes a minute and happens once.")
MOST_MISSING = 0.5  # of all modules: some are used by few commands only


def are_compiled(package: Path | None = None, elsewhere: Iterable[Path] | None = None) -> bool:
    """package: where the modules are; their code lies in `__pycache__` beside them. elsewhere: folders below which it lies where that can't be written to."""
    package = package or Path(dubbin.__file__).parent
    modules = {path.stem: path.stat().st_mtime for path in package.rglob(KERNELS)}
    there: set[str] = set()
    for folder in [package, *([usual_folder()] if elsewhere is None else elsewhere)]:
        for code in folder.rglob(f"*{SUFFIX}"):
            name = code.name.split(".")[0]
            if name in modules and code.stat().st_mtime >= modules[name]:  # older: of another version
                there.add(name)
    return len(modules) - len(there) <= MOST_MISSING * len(modules)
