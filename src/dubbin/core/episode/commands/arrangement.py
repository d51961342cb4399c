"""Material that is moved, copied or put in; breaks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import PARKED_FROM_FRAME, Episode, FrameRange, Lane, Placed, PlacedKind, Recording
from dubbin.core.episode.stretches import merged, union, without
from dubbin.core.episode.time_map import program_map
from dubbin.core.figures import number
from dubbin.core.texts import tr

LONGEST_BREAK_S = 600.0
PARKED_GAP_S = 2  # between what is parked


def place_before(episode: Episode, frame: int) -> int:
    """The session frame before which something is placed that is put in at a frame.

    Of the last frame before a seam, or of all, it is the frame behind it: nothing of the session, be it one sample, is left over there. In an insert or a
    break it is that one's own place: what is put in is heard behind it.
    """
    around = next((item for item in episode.placed if frame >= PARKED_FROM_FRAME and _is_in(frame, item)), None)
    if around is not None:
        return around.at_frame
    span = next((s for s in program_map(episode).spans if s.placed is None and s.end == frame + 1), None)
    return frame if span is None else frame + 1


def move_stretches(episode: Episode, stretches: Sequence[tuple[int, int]], at_frame: int, new_id: str) -> Change:
    """Have stretches of the session (as they are heard, in order) heard before session frame at_frame, and no longer where they were."""
    seconds = sum(b - a for a, b in stretches) / episode.rate
    at_frame = place_before(episode, at_frame)
    if not stretches or any(a < at_frame < b for a, b in stretches):
        return Change(tr("Move nothing"), episode)
    # What was moved before is taken out of its old place; a break or insert that is moved changes its place as a whole.
    rest: list[Placed] = []
    stretches = _once(stretches)
    gone = union(stretches)
    carried: list[Placed] = []
    for item in episode.placed:
        inside = [p for p in item.pieces if any(a <= p.start_frame and p.end_frame <= b for a, b in gone)]
        whole = len(inside) == len(item.pieces)
        # A copy is moved as such where its sound is heard nowhere else.
        alone = item.kind is PlacedKind.COPY and not any(without(p.start_frame, p.end_frame, merged(episode.cuts)) for p in item.pieces)
        if whole and (item.kind in (PlacedKind.INSERT, PlacedKind.BREAK) or alone):
            carried.append(replace(item, at_frame=at_frame))
        elif item.kind is PlacedKind.MOVE:
            left = _without(item, gone)
            if left is not None:
                rest.append(left)
        else:
            rest.append(item)
    pieces = [FrameRange(a, b) for a, b in stretches if a < PARKED_FROM_FRAME]
    if pieces:
        carried.insert(0, Placed(new_id, at_frame, tuple(pieces), PlacedKind.MOVE))
    return Change(tr("Move {seconds} s").format(seconds=number(seconds, 2)), replace(episode, placed=(*rest, *carried)))


def _once(stretches: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """The same stretches in the same order, each frame only where it stands first."""
    out: list[tuple[int, int]] = []
    for start, end in stretches:
        out += without(start, end, union(out))
    return out


def _without(item: Placed, gone: list[tuple[int, int]]) -> Placed | None:
    pieces = tuple(FrameRange(a, b) for p in item.pieces for a, b in without(p.start_frame, p.end_frame, gone))
    return replace(item, pieces=pieces) if pieces else None


def copy_stretches(episode: Episode, stretches: Sequence[tuple[int, int]], at_frame: int, new_id: str) -> Change:
    """Have stretches of the session heard before session frame at_frame too."""
    if not stretches:
        return Change(tr("Copy nothing"), episode)
    seconds = sum(b - a for a, b in stretches) / episode.rate
    pieces = tuple(FrameRange(a, b) for a, b in stretches)
    item = Placed(new_id, place_before(episode, at_frame), pieces, PlacedKind.COPY)
    return Change(tr("Copy {seconds} s").format(seconds=number(seconds, 2)), replace(episode, placed=(*episode.placed, item)))


def insert_recording(episode: Episode, recording: Recording, lanes: Sequence[Lane], at_frame: int, new_id: str, name: str) -> Change:
    """Put a sound file into the program before session frame at_frame: an intro, an outro, a sting."""
    start = _parked_end(episode)
    put = tuple(replace(lane, start_frame=start) for lane in lanes)
    whole = (FrameRange(start, start + recording.frames),)
    item = Placed(new_id, place_before(episode, at_frame), whole, PlacedKind.INSERT, name)
    changed = replace(episode, recordings=(*episode.recordings, recording), lanes=(*episode.lanes, *put), placed=(*episode.placed, item))
    return Change(tr("Insert {name}").format(name=name), changed)


def insert_break(episode: Episode, at_frame: int, frames: int, new_id: str, name: str = tr("Break"), cue: bool = False) -> Change:
    """A gap for an inserted advertisement before session frame at_frame."""
    frames = max(1, min(frames, round(LONGEST_BREAK_S * episode.rate)))
    start = _parked_end(episode)
    whole = (FrameRange(start, start + frames),)
    item = Placed(new_id, place_before(episode, at_frame), whole, PlacedKind.BREAK, name, cue)
    return Change(
        tr("Insert a break of {frames} s").format(frames=number(frames / episode.rate)), replace(episode, placed=(*episode.placed, item))
    )


def rename_placed(episode: Episode, id: str, name: str) -> Change:
    """Name an insert, a break, a copy or what was moved."""
    item = episode.placement(id)
    assert item is not None
    return Change(tr("Name it {name}").format(name=name), _with_placed(episode, replace(item, name=name)))


def place_at(episode: Episode, id: str, at_frame: int) -> Change:
    """Have something that was placed heard at another place."""
    item = episode.placement(id)
    assert item is not None
    at_frame = item.at_frame if _is_in(at_frame, item) else place_before(episode, at_frame)
    return Change(
        tr("Move {value}").format(value=item.name or tr(item.kind.value)), _with_placed(episode, replace(item, at_frame=at_frame))
    )


def remove_placed(episode: Episode, id: str) -> Change:
    """Take an insert, a break or a copy out again; what was moved goes back to its place."""
    item = episode.placement(id)
    if item is None:
        return Change(tr("Remove nothing"), episode)
    placed = tuple(p for p in episode.placed if p.id != id)
    lanes, recordings = episode.lanes, episode.recordings
    if item.kind is PlacedKind.INSERT:
        rooms = [(p.start_frame, p.end_frame) for p in item.pieces]
        lanes = tuple(lane for lane in lanes if not any(a <= lane.start_frame < b for a, b in rooms))
        used = {lane.recording for lane in lanes}
        recordings = tuple(r for r in recordings if r.id in used)
    cuts = tuple(c for c in episode.cuts if c.start_frame < PARKED_FROM_FRAME or not _is_in(c.start_frame, item))
    title = (
        tr("Put back what was moved")
        if item.kind is PlacedKind.MOVE
        else tr("Take out {value}").format(value=item.name or tr(item.kind.value))
    )
    return Change(title, replace(episode, placed=placed, lanes=lanes, recordings=recordings, cuts=cuts))


def _is_in(frame: int, item: Placed) -> bool:
    return any(p.start_frame <= frame < p.end_frame for p in item.pieces)


def _with_placed(episode: Episode, item: Placed) -> Episode:
    return replace(episode, placed=tuple(item if p.id == item.id else p for p in episode.placed))


def _parked_end(episode: Episode) -> int:
    """The first free frame of the parked part of the session clock."""
    ends = [p.end_frame for item in episode.placed for p in item.pieces if p.end_frame >= PARKED_FROM_FRAME]
    ends += [lane.start_frame + episode.recording(lane.recording).frames for lane in episode.lanes if lane.is_insert]
    return max(ends) + PARKED_GAP_S * episode.rate if ends else PARKED_FROM_FRAME
