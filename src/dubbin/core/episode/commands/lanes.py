"""Lanes: their fields, names and channels, and what is heard instead of them over a stretch."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Cover, CoverKind, Episode
from dubbin.core.figures import short_number
from dubbin.core.speech.turns import Turn, speaker_turns
from dubbin.core.texts import tr


def change_lane(episode: Episode, lane_id: str, title: str, merge_key: str | None = None, **fields: Any) -> Change:
    """Set fields of one lane."""
    lanes = tuple(replace(lane, **fields) if lane.id == lane_id else lane for lane in episode.lanes)
    return Change(title, replace(episode, lanes=lanes), merge_key)


def name_voice(episode: Episode, lane_id: str, voice: str) -> Change:
    """Name the voice of a lane; an empty name leaves it as it is."""
    voice = voice.strip() or episode.lane(lane_id).voice
    return change_lane(episode, lane_id, tr("Name the voice {voice}").format(voice=voice), f"voice {lane_id}", voice=voice)


def split_channels(episode: Episode, lane_id: str, new_ids: Sequence[str]) -> Change:
    """A lane of its own for every channel of a lane; new_ids: as many as there are channels."""
    lane = episode.lane(lane_id)
    parts = [
        replace(lane, id=id, channels=(channel,), voice=f"{lane.voice} {k + 1}", repairs=(), touch_ups=(), voice_chain=())
        for k, (channel, id) in enumerate(zip(lane.channels, new_ids, strict=True))
    ]
    lanes = [part for other in episode.lanes for part in (parts if other.id == lane_id else [other])]
    return Change(tr("Split {voice} into {count} lanes").format(voice=lane.voice, count=len(parts)), replace(episode, lanes=tuple(lanes)))


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
    return Change(tr("Remove {voice}").format(voice=gone.voice), changed)


def cover(episode: Episode, lane_id: str, item: Cover, title: str) -> Change:
    """Mute, lower or bleep a stretch of a lane (frames of its recording); what it lies over is taken out."""
    lane = episode.lane(lane_id)
    others = [
        c
        for c in lane.covers
        if c.end_frame <= item.start_frame or c.start_frame >= item.end_frame or CoverKind.OTHER in (c.kind, item.kind)
    ]
    return change_lane(episode, lane_id, title, covers=_in_order([*others, item]))


def lower_overlaps(episode: Episode, places: Sequence[tuple[str, int, int]], gain_db: float) -> Change:
    """Lower lanes over stretches, all in one step. places: (id of the lane, session frames); gain_db: by how much, below 0."""
    changed = episode
    for lane_id, start, end in places:
        lane = episode.lane(lane_id)
        low, high = max(start - lane.start_frame, 0), min(end - lane.start_frame, episode.recording(lane.recording).frames)
        if high > low:
            changed = cover(changed, lane_id, Cover(low, high, CoverKind.LOWER, gain_db), "").episode
    count = tr("{count} overlaps").format(count=len(places)) if len(places) > 1 else tr("an overlap")
    return Change(tr("Lower {count} by {gain_db} dB").format(count=count, gain_db=short_number(-gain_db)), changed)


def lanes_of_speakers(episode: Episode, lane_id: str, new_ids: Sequence[str], gain_db: float, fade_frames: int) -> Change:
    """A lane for each speaker of a recording whose transcript tells them apart, lowered where another one speaks.

    new_ids: of the lanes, one a speaker. gain_db: by how much, below 0. fade_frames: of covers: where one comes up as the other goes down, the sum stays.
    """
    lane, transcript = episode.lane(lane_id), episode.transcript(lane_id)
    if transcript is None or len(transcript.speakers) < 2:
        return Change(tr("Separate no speakers"), episode)
    turns = speaker_turns(transcript.words, episode.recording(lane.recording).frames)
    lanes, transcripts = [], [t for t in episode.transcripts if t.lane != lane_id]
    for speaker, (name, id) in enumerate(zip(transcript.speakers, new_ids, strict=True)):
        others = tuple(_turn_of_another(t, gain_db, fade_frames, is_last=t is turns[-1]) for t in turns if t.speaker != speaker)
        mine = tuple(c for c in lane.covers if not any(c.start_frame < o.end_frame and c.end_frame > o.start_frame for o in others))
        covers = _in_order([*_joined(others, fade_frames), *mine])
        lanes.append(replace(lane, id=id, voice=name, covers=covers))
        words = tuple(replace(w, speaker=0) for w in transcript.words if w.speaker == speaker)
        spoken = [t for t in turns if t.speaker == speaker]
        together = tuple((a, b) for a, b in transcript.together if any(t.start_frame <= (a + b) // 2 < t.end_frame for t in spoken))
        transcripts.append(replace(transcript, lane=id, words=words, speakers=(), together=together))
    all_lanes = [part for other in episode.lanes for part in (lanes if other.id == lane_id else [other])]
    changed = replace(episode, lanes=tuple(all_lanes), transcripts=tuple(transcripts))
    return Change(tr("A lane for each speaker of {voice}").format(voice=lane.voice), changed)


def _turn_of_another(turn: Turn, gain_db: float, fade_frames: int, *, is_last: bool) -> Cover:
    """What lowers a lane over a turn. It comes up while the other one goes down, and not at all behind the last turn."""
    end = turn.end_frame + fade_frames if is_last else turn.end_frame - fade_frames
    return Cover(turn.start_frame, max(end, turn.start_frame + 1), CoverKind.OTHER, gain_db)


def _in_order(covers: Sequence[Cover]) -> tuple[Cover, ...]:
    return tuple(sorted(covers, key=lambda c: (c.start_frame, c.end_frame)))


def _joined(covers: Sequence[Cover], gap_frames: int) -> list[Cover]:
    """Covers of one kind with those that follow one another within gap_frames made one."""
    out: list[Cover] = []
    for item in covers:
        if out and item.start_frame - out[-1].end_frame <= gap_frames:
            out[-1] = replace(out[-1], end_frame=item.end_frame)
        else:
            out.append(item)
    return out


def uncover(episode: Episode, lane_id: str, items: Iterable[Cover]) -> Change:
    """Have a covered stretch heard again."""
    gone = set(items)
    kept = tuple(c for c in episode.lane(lane_id).covers if c not in gone)
    return change_lane(episode, lane_id, tr("Have {voice} heard again").format(voice=episode.lane(lane_id).voice), covers=kept)
