"""Recordings: added, found again at another place, put at their place on the session clock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.balance_settings import Bed
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import PARKED_FROM_FRAME, Episode, Lane, Recording, Role
from dubbin.core.figures import number
from dubbin.core.texts import tr


def add_recordings(episode: Episode, recordings: Sequence[Recording], lanes: Sequence[Lane]) -> Change:
    """Take in recordings, each with its lanes; music beside voices lies under the program."""
    names = ", ".join(lane.voice for lane in lanes)
    if any(lane.role is Role.VOICE for lane in (*episode.lanes, *lanes)):
        # Music is no part of what was said: it lies under the program, where no cut cuts it.
        lanes = [replace(lane, bed=Bed()) if lane.role is Role.MUSIC and lane.bed is None else lane for lane in lanes]
    return Change(
        tr("Add {names}").format(names=names),
        replace(
            episode,
            recordings=episode.recordings + tuple(recordings),
            lanes=episode.lanes + tuple(lanes),
        ),
    )


def change_recording(episode: Episode, recording_id: str, title: str, **fields: Any) -> Change:
    """Set fields of one recording."""
    recordings = tuple(replace(r, **fields) if r.id == recording_id else r for r in episode.recordings)
    return Change(title, replace(episode, recordings=recordings))


def relink(episode: Episode, recording_id: str, found: Recording) -> Change:
    """Take a recording from another place: `found` is the file as it was read there."""
    fields = {name: getattr(found, name) for name in ("path", "fingerprint", "frames", "file_rate", "file_channels",
                                                      "nan_count", "short_by")}  # fmt: skip
    return change_recording(episode, recording_id, tr("Take the recording from {path}").format(path=found.path), **fields)


def place_recording(episode: Episode, recording_id: str, start_frame: int, drift_ppm: float, frames: int, title: str) -> Change:
    """Put all lanes of a recording at a place on the session clock, its own clock corrected by drift_ppm.

    frames: its length after that. A place before the session's beginning moves everything else, cuts and markers too.
    """
    recordings = tuple(replace(r, drift_ppm=drift_ppm, frames=frames) if r.id == recording_id else r for r in episode.recordings)
    lanes = tuple(replace(lane, start_frame=start_frame) if lane.recording == recording_id else lane for lane in episode.lanes)
    return Change(title, from_zero(replace(episode, recordings=recordings, lanes=lanes)))


def nudge(episode: Episode, lane_id: str, frames: int) -> Change:
    """Move the recording of a lane on the session clock by hand."""
    lane = episode.lane(lane_id)
    lanes = tuple(
        replace(other, start_frame=other.start_frame + frames) if other.recording == lane.recording else other for other in episode.lanes
    )
    moved = 1000 * frames / episode.rate
    changed = from_zero(replace(episode, lanes=lanes))
    return Change(
        tr("Move {voice} by {moved} ms").format(voice=lane.voice, moved=number(moved, sign=True)),
        changed,
        f"nudge {lane.recording}",
    )


def from_zero(episode: Episode) -> Episode:
    """The same session with its first lane at 0 or later; all that is anchored in it moves along."""
    first = min((lane.start_frame for lane in episode.session_lanes), default=0)
    if first >= 0:
        return episode

    def moved(frame: int) -> int:
        return frame - first if frame < PARKED_FROM_FRAME else frame

    def both(item: Any) -> Any:
        return replace(item, start_frame=moved(item.start_frame), end_frame=moved(item.end_frame))

    return replace(
        episode,
        lanes=tuple(replace(lane, start_frame=moved(lane.start_frame)) for lane in episode.lanes),
        cuts=tuple(both(c) for c in episode.cuts),
        kept_pauses=tuple(both(k) for k in episode.kept_pauses),
        placed=tuple(replace(p, at_frame=moved(p.at_frame), pieces=tuple(both(x) for x in p.pieces)) for p in episode.placed),
        splits=tuple(moved(f) for f in episode.splits),
        markers=tuple(replace(m, frame=moved(m.frame)) for m in episode.markers),
        seams=tuple(replace(s, before_frame=moved(s.before_frame), after_frame=moved(s.after_frame)) for s in episode.seams),
    )
