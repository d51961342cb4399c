"""Which files of a folder are recordings."""

from __future__ import annotations

from pathlib import Path

from dubbin.core.there import is_file_there

SOUND_ENDINGS = frozenset((
    ".wav", ".flac", ".mp3", ".m4a", ".aac", ".ogg", ".oga", ".opus", ".aif", ".aiff", ".w64", ".rf64", ".caf", ".mp4", ".m4v", ".mov", ".mkv", ".webm",
))  # fmt: skip


def recordings_in(folder: Path) -> list[Path]:
    """The recordings of a folder, sorted by name."""
    return sorted(p for p in folder.iterdir() if is_file_there(p) and p.suffix.lower() in SOUND_ENDINGS and not p.name.startswith("."))
