"""Compiled modules of a library, without what its package imports around them: that may take longer than all that is asked of it."""

from __future__ import annotations

import importlib.machinery
import importlib.util
import sys
import threading
from pathlib import Path
from types import ModuleType

_lock = threading.Lock()


def folder_of(package: str) -> Path | None:
    """Where a package that is installed lies, found without importing it; None where there is none."""
    spec = importlib.util.find_spec(package)
    return Path(spec.origin).parent if spec is not None and spec.origin else None


def compiled_module(name: str, folder: Path | None = None) -> ModuleType:
    """The compiled module of that full name ("scipy.ndimage._nd_image"), alone; where it lies elsewhere in its package, all that it lies in is imported.

    folder: of its package, if it is known. Whoever imports the package later gets the same module. ImportError: there is none.
    """
    package, *inner = name.split(".")
    with _lock:
        if name not in sys.modules and (place := folder or folder_of(package)) is not None:
            for suffix in importlib.machinery.EXTENSION_SUFFIXES:
                path = place.joinpath(*inner[:-1], inner[-1] + suffix)
                spec = importlib.util.spec_from_file_location(name, path)
                if path.exists() and spec is not None and spec.loader is not None:
                    module = importlib.util.module_from_spec(spec)
                    spec.loader.exec_module(module)
                    sys.modules[name] = module
                    break
    return sys.modules.get(name) or importlib.import_module(name)
