"""Brings episodes of earlier formats to the present one: a function a step, each from plain data to plain data.

A field that is only new needs no step, for it takes its default. A field that is renamed, moved or means something else gets one here, and a file of the
version before in `tests/core/episodes`. Steps must bear parts of an episode, since a journal keeps only what a change touched.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

VERSION = 4

Plain = dict[str, Any]


def migrated(plain: Plain, version: int) -> Plain:
    """An episode, or some of its fields, as the present version has it."""
    for step in STEPS[max(version, 1) - 1 :]:
        plain = step(plain)
    return plain


def _as_it_is(plain: Plain) -> Plain:
    """Versions 2 and 3 only added fields."""
    return plain


def _voice_chain(plain: Plain) -> Plain:
    """Version 4: a lane's voice treatments are its `voice_chain`; a recording's `nan_count` counts samples that are no numbers."""
    out = dict(plain)
    if isinstance(out.get("lanes"), list):
        out["lanes"] = [_renamed(lane, "voicing", "voice_chain") for lane in out["lanes"]]
    if isinstance(out.get("recordings"), list):
        out["recordings"] = [_renamed(recording, "not_numbers", "nan_count") for recording in out["recordings"]]
    return out


def _renamed(item: Any, old: str, new: str) -> Any:
    """The same object with one of its fields under another name, at its old place."""
    if not isinstance(item, dict) or old not in item:
        return item
    return {new if name == old else name: value for name, value in item.items()}


STEPS: tuple[Callable[[Plain], Plain], ...] = (_as_it_is, _as_it_is, _voice_chain)
assert len(STEPS) == VERSION - 1
