"""Markers and chapters."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode, Marker
from dubbin.core.texts import tr


def add_marker(episode: Episode, frame: int, text: str = "") -> Change:
    """Mark a place of the session."""
    frame = max(frame, 0)
    others = [m for m in episode.markers if m.frame != frame or m.is_chapter or m.author]
    return Change(tr("Add a marker"), replace(episode, markers=tuple(sorted([*others, Marker(frame, text)]))))


def add_markers(episode: Episode, places: Sequence[tuple[int, str]], title: str) -> Change:
    """Mark many places (session frame, why) in one step, in place of markers that stand there."""
    new = {max(frame, 0): Marker(max(frame, 0), text) for frame, text in places}
    others = [m for m in episode.markers if m.is_chapter or m.author or m.frame not in new]
    return Change(title, replace(episode, markers=tuple(sorted([*others, *new.values()]))))


def note_marker(episode: Episode, marker: Marker, text: str) -> Change:
    """Say why a place was marked."""
    markers = tuple(sorted(replace(m, text=text) if m == marker else m for m in episode.markers))
    return Change(tr("Note “{text}”").format(text=text), replace(episode, markers=markers))


def remove_marker(episode: Episode, marker: Marker) -> Change:
    """Take away a marker or a chapter; the sound stays."""
    return Change(tr("Remove a marker"), replace(episode, markers=tuple(m for m in episode.markers if m != marker)))


def move_marker(episode: Episode, marker: Marker, frame: int) -> Change:
    """Have a marker or a chapter at another session frame."""
    markers = tuple(sorted(replace(m, frame=max(frame, 0)) if m == marker else m for m in episode.markers))
    what = tr("the chapter “{text}”").format(text=marker.text) if marker.is_chapter else tr("a marker")
    return Change(tr("Move {what}").format(what=what), replace(episode, markers=markers), f"marker {marker.text}")


def add_chapter(episode: Episode, frame: int, title: str) -> Change:
    """Begin a chapter at a session frame, in place of one that begins there."""
    frame = max(frame, 0)
    others = [m for m in episode.markers if not (m.is_chapter and m.frame == frame)]
    return Change(
        tr("Chapter “{title}”").format(title=title), replace(episode, markers=tuple(sorted([*others, Marker(frame, title, True)])))
    )


def set_chapters(episode: Episode, chapters: Iterable[tuple[int, str]], title: str = tr("Suggest chapters")) -> Change:
    """All chapters anew; other markers stay."""
    others = [m for m in episode.markers if not m.is_chapter]
    return Change(title, replace(episode, markers=tuple(sorted([*others, *(Marker(max(f, 0), t, True) for f, t in chapters)]))))
