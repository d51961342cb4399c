"""Lanes: their fields, names and channels, and what is heard instead of them over a stretch."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Cover, Episode


def change_lane(episode: Episode, lane_id: str, title: str, merge_key: str | None = None, **fields: Any) -> Change:
    """Set fields of one lane."""
    lanes = tuple(replace(lane, **fields) if lane.id == lane_id else lane for lane in episode.lanes)
    return Change(title, replace(episode, lanes=lanes), merge_key)


def name_voice(episode: Episode, lane_id: str, voice: str) -> Change:
    """Name the voice of a lane; an empty name leaves it as it is."""
    voice = voice.strip() or episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"Name the voice {voice}", f"voice {lane_id}", voice=voice)


def split_channels(episode: Episode, lane_id: str, new_ids: Sequence[str]) -> Change:
    """A lane of its own for every channel of a lane; new_ids: as many as there are channels."""
    lane = episode.lane(lane_id)
    parts = [
        replace(lane, id=id, channels=(channel,), voice=f"{lane.voice} {k + 1}", repairs=(), touch_ups=(), voice_chain=())
        for k, (channel, id) in enumerate(zip(lane.channels, new_ids, strict=True))
    ]
    lanes = [part for other in episode.lanes for part in (parts if other.id == lane_id else [other])]
    return Change(f"Split {lane.voice} into {len(parts)} lanes", replace(episode, lanes=tuple(lanes)))


def remove_lane(episode: Episode, lane_id: str) -> Change:
    """Take a lane out of the episode; its file stays where it is."""
    gone = episode.lane(lane_id)
    lanes = tuple(lane for lane in episode.lanes if lane.id != lane_id)
    used = {lane.recording for lane in lanes}
    recordings = tuple(r for r in episode.recordings if r.id in used)
    transcripts = tuple(t for t in episode.transcripts if t.lane != lane_id)
    placed = episode.placed
    if gone.is_insert and not any(lane.start_frame == gone.start_frame for lane in lanes):
        placed = tuple(p for p in placed if not any(x.start_frame <= gone.start_frame < x.end_frame for x in p.pieces))
    changed = replace(episode, lanes=lanes, recordings=recordings, transcripts=transcripts, placed=placed)
    return Change(f"Remove {gone.voice}", changed)


def cover(episode: Episode, lane_id: str, item: Cover, title: str) -> Change:
    """Mute, lower or bleep a stretch of a lane (frames of its recording); what it lies over is taken out."""
    lane = episode.lane(lane_id)
    others = [c for c in lane.covers if c.end_frame <= item.start_frame or c.start_frame >= item.end_frame]
    return change_lane(episode, lane_id, title, covers=tuple(sorted([*others, item], key=lambda c: c.start_frame)))


def uncover(episode: Episode, lane_id: str, items: Iterable[Cover]) -> Change:
    """Have a covered stretch heard again."""
    gone = set(items)
    kept = tuple(c for c in episode.lane(lane_id).covers if c not in gone)
    return change_lane(episode, lane_id, f"Have {episode.lane(lane_id).voice} heard again", covers=kept)
