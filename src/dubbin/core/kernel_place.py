"""Where compiled code of kernels is kept between runs: a file for each function and combination of kinds of values."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

SUFFIX = ".kernel"


def usual_folder() -> Path:
    """Where code is kept that can't be kept beside its module: as the environment says, or with what is kept for the user."""
    said = os.environ.get("DUBBIN_KERNELS")
    return Path(said) if said else Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "dubbin" / "kernels"


def file_of(function: Callable[..., object], signature: str) -> Path:
    """signature: kinds of values, as a name."""
    path = Path(function.__code__.co_filename)
    beside = path.parent / "__pycache__"
    is_said = bool(os.environ.get("DUBBIN_KERNELS"))
    can_write = os.access(beside if beside.is_dir() else beside.parent, os.W_OK)
    return (beside if can_write and not is_said else usual_folder()) / f"{path.stem}.{function.__name__}-{signature}{SUFFIX}"
