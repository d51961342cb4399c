"""The episode beside the masters of a batch: what somebody has made of it since the last one is put aside, not written over."""

from __future__ import annotations

import json
import os
from itertools import count
from pathlib import Path

from dubbin.core.episode.file import SUFFIX, save_episode
from dubbin.core.episode.model import Episode
from dubbin.core.texts import tr
from dubbin.core.there import is_there

MADE_BY = "batch"  # stands in the file until somebody saves it


def put_aside(path: Path) -> tuple[str, ...]:
    """Give an episode that somebody has worked on another name, where a batch is about to write at its place; a sentence that says so. Raises OSError."""
    if not is_there(path) or _is_untouched(path):
        return ()
    stem = path.name.removesuffix(SUFFIX)
    kept = next(p for k in count(1) if not is_there(p := path.with_name(f"{stem}.earlier-{k}{SUFFIX}")))
    os.rename(path, kept)
    return (tr("{name} had been worked on since it was made; that is kept as {kept}.").format(name=path.name, kept=kept.name),)


def save_beside(episode: Episode, path: Path) -> None:
    """Write the episode that masters were made of. Raises CannotWrite."""
    save_episode(episode, path, made_by=MADE_BY)


def _is_untouched(path: Path) -> bool:
    try:
        body = json.loads(path.read_bytes())
    except (OSError, ValueError, RecursionError):
        return False
    return isinstance(body, dict) and body.get("made_by") == MADE_BY
