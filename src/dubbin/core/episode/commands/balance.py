"""Levels and all that moves them: pan, polarity, fades, levelling, bleed control, beds, lines drawn by hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.balance_settings import Bed, LinePoint
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.commands.recordings import from_zero
from dubbin.core.episode.model import Episode, Lane, Role
from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.core.treat.settings import check_ranges

LOWEST_LEVEL_DB, HIGHEST_LEVEL_DB = -60.0, 24.0
MUSIC_UNDER_LU = 1.0  # alone, music is about as loud as speech; ducking takes it from there
LINE_LIMIT_DB = 24.0


def set_level(episode: Episode, lane_id: str, level_db: float) -> Change:
    """Level of a lane in dB, held to what faders reach."""
    level_db = min(max(round(level_db, 1), LOWEST_LEVEL_DB), HIGHEST_LEVEL_DB)
    voice = episode.lane(lane_id).voice
    return change_lane(
        episode,
        lane_id,
        tr("Level of {voice} {level_db} dB").format(voice=voice, level_db=number(level_db, sign=True)),
        f"level {lane_id}",
        level_db=level_db,
    )


def set_mute(episode: Episode, lane_id: str, mute: bool) -> Change:
    """Leave a lane out of the program, or have it heard again."""
    voice = episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"{'Mute' if mute else 'Unmute'} {voice}", mute=mute)


def set_solo(episode: Episode, lane_id: str, solo: bool) -> Change:
    """Hear a lane alone, together with others that are soloed."""
    voice = episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"{'Solo' if solo else 'End solo of'} {voice}", solo=solo)


def set_pan(episode: Episode, lane_id: str, pan: float) -> Change:
    """-100 left, 0 in the centre, 100 right."""
    value = float(round(min(max(pan, -100.0), 100.0)))
    side = (
        tr("the centre")
        if value == 0
        else (tr("{value} % left") if value < 0 else tr("{value} % right")).format(value=number(abs(value), 0))
    )
    return change_lane(
        episode,
        lane_id,
        tr("{voice} to {side}").format(voice=episode.lane(lane_id).voice, side=side),
        f"pan {lane_id}",
        pan=value,
    )


def set_polarity(episode: Episode, lane_id: str, invert: bool) -> Change:
    """Turn a lane's polarity, or leave it as recorded."""
    voice = episode.lane(lane_id).voice
    return change_lane(
        episode,
        lane_id,
        tr("Invert polarity of {voice}").format(voice=voice) if invert else tr("Polarity of {voice} as recorded").format(voice=voice),
        invert=invert,
    )


def set_fades(episode: Episode, lane_id: str, fade_in: int | None = None, fade_out: int | None = None) -> Change:
    """Fades from the beginning of a lane and to its end, in frames."""
    lane = episode.lane(lane_id)
    longest = length_of(episode, lane)
    fields = {
        "fade_in_frames": lane.fade_in_frames if fade_in is None else min(max(fade_in, 0), longest),
        "fade_out_frames": lane.fade_out_frames if fade_out is None else min(max(fade_out, 0), longest),
    }
    which = "in" if fade_out is None else "out"
    return change_lane(
        episode,
        lane_id,
        tr("Fade {voice} {which}").format(voice=lane.voice, which=which),
        f"fade {which} {lane_id}",
        **fields,
    )


def length_of(episode: Episode, lane: Lane) -> int:
    """How long a lane sounds, in frames, as far as it is known without the program."""
    whole = episode.recording(lane.recording).frames
    if lane.bed is None:
        return whole
    return lane.bed.frames or max(whole - lane.bed.from_frame, 0)


def change_balance(episode: Episode, lane_ids: Sequence[str], part: str, title: str, merge_key: str | None = None, **fields: Any) -> Change:
    """Change fields of `levelling`, `bleed` or `ducking` of some lanes. Raises BadSettings on what is out of range."""
    changed = episode
    for lane_id in lane_ids:
        settings = replace(getattr(changed.lane(lane_id), part), **fields)
        check_ranges(settings)
        changed = change_lane(changed, lane_id, "", **{part: settings}).episode
    return Change(title, changed, merge_key)


def put_under(episode: Episode, lane_id: str, bed: Bed | None) -> Change:
    """Have a lane lie under the program, so that cuts do not cut it; or in the session again."""
    lane = episode.lane(lane_id)
    title = (
        tr("Put {voice} under the program").format(voice=lane.voice)
        if bed is not None
        else tr("Put {voice} into the session").format(voice=lane.voice)
    )
    change = change_lane(episode, lane_id, title, bed=bed)
    return replace(change, episode=from_zero(change.episode))  # under the program it may have been moved before the session's beginning


def change_bed(episode: Episode, lane_id: str, title: str, merge_key: str | None = None, **fields: Any) -> Change:
    """Trim, loop, length of what lies under the program."""
    lane = episode.lane(lane_id)
    assert lane.bed is not None
    bed = replace(lane.bed, **fields)
    whole = episode.recording(lane.recording).frames
    bed = replace(bed, from_frame=min(max(bed.from_frame, 0), max(whole - 1, 0)), frames=max(bed.frames, 0))
    return change_lane(episode, lane_id, title, merge_key, bed=bed)


def place_bed(episode: Episode, lane_id: str, session_frame: int) -> Change:
    """Have what lies under the program begin where a session frame is heard."""
    voice = episode.lane(lane_id).voice
    return change_lane(
        episode,
        lane_id,
        tr("Have {voice} begin here").format(voice=voice),
        f"place {lane_id}",
        start_frame=max(session_frame, 0),
    )


def set_line_point(episode: Episode, lane_id: str, frame: int, db: float, old: LinePoint | None = None) -> Change:
    """Add a point to a lane's line, or move one."""
    lane = episode.lane(lane_id)
    kept = [p for p in lane.line if p not in (old,) and p.frame != frame]
    point = LinePoint(max(frame, 0), round(min(max(db, -LINE_LIMIT_DB), LINE_LIMIT_DB), 1))
    return change_lane(
        episode,
        lane_id,
        tr("Level of {voice} by hand").format(voice=lane.voice),
        f"line {lane_id}",
        line=tuple(sorted([*kept, point])),
    )


def remove_line_points(episode: Episode, lane_id: str, points: Sequence[LinePoint] | None = None) -> Change:
    """Take points off a lane's line; all of them, by default."""
    lane = episode.lane(lane_id)
    kept = tuple(p for p in lane.line if points is not None and p not in points)
    return change_lane(episode, lane_id, tr("Flatten the level line of  {voice}").format(voice=lane.voice), line=kept)


def suggest_balance(episode: Episode, loudness: Mapping[str, float | None]) -> Change:
    """The usual balance: voices levelled to one loudness, bleed down, music under the program and under speech.

    loudness: of the lanes with music, in LUFS as they sound in the program.
    """
    session_voices = list(episode.session_voices)
    lanes = []
    for lane in episode.lanes:
        if lane.role is Role.VOICE and lane.bed is None:
            bleed = replace(lane.bleed, on=len(session_voices) > 1 and not lane.is_insert)
            lane = replace(lane, levelling=replace(lane.levelling, on=True), bleed=bleed, level_db=0.0)
        elif lane.role is Role.MUSIC and not lane.is_insert:
            target = next((v.levelling.target_lufs for v in session_voices), -20.0)
            level, known = lane.level_db, loudness.get(lane.id)
            if known is not None:
                level = round(min(max(target - MUSIC_UNDER_LU - known, LOWEST_LEVEL_DB), HIGHEST_LEVEL_DB), 1)
            lane = replace(lane, bed=lane.bed or Bed(), ducking=replace(lane.ducking, on=True), level_db=level)
        lanes.append(lane)
    return Change(tr("Suggest balance"), replace(episode, lanes=tuple(lanes)))
