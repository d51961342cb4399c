"""More ways to change an episode: material that is moved, copied or put in; words; covers; chapters; seams."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from dubbin.core.episode.commands import Change, change_lane
from dubbin.core.episode.model import (
    ATTIC,
    Cover,
    Episode,
    Lane,
    Marker,
    Placed,
    PlacedKind,
    Recording,
    SeamSetting,
    SeamShape,
    Stretch,
)
from dubbin.core.episode.time_map import merged, union, without
from dubbin.core.speech.transcript import Transcript, Word, plain

LONGEST_BREAK_S = 600.0
ATTIC_GAP_S = 2  # between what lies in the attic


# -- moves, copies, inserts, breaks -----------------------------------------------------


def move_stretches(episode: Episode, stretches: Sequence[tuple[int, int]], at_frame: int, new_id: str) -> Change:
    """Have stretches of the session (as they are heard, in order) heard before session frame at_frame, and no longer where they were."""
    seconds = sum(b - a for a, b in stretches) / episode.rate
    if not stretches or any(a < at_frame < b for a, b in stretches):
        return Change("Move nothing", episode)
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
    pieces = [Stretch(a, b) for a, b in stretches if a < ATTIC]
    if pieces:
        carried.insert(0, Placed(new_id, at_frame, tuple(pieces), PlacedKind.MOVE))
    return Change(f"Move {seconds:.2f} s", replace(episode, placed=(*rest, *carried)))


def _once(stretches: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """The same stretches in the same order, each frame only where it stands first."""
    out: list[tuple[int, int]] = []
    for start, end in stretches:
        out += without(start, end, union(out))
    return out


def _without(item: Placed, gone: list[tuple[int, int]]) -> Placed | None:
    pieces = tuple(Stretch(a, b) for p in item.pieces for a, b in without(p.start_frame, p.end_frame, gone))
    return replace(item, pieces=pieces) if pieces else None


def copy_stretches(episode: Episode, stretches: Sequence[tuple[int, int]], at_frame: int, new_id: str) -> Change:
    """Have stretches of the session heard before session frame at_frame too."""
    if not stretches:
        return Change("Copy nothing", episode)
    seconds = sum(b - a for a, b in stretches) / episode.rate
    item = Placed(new_id, at_frame, tuple(Stretch(a, b) for a, b in stretches), PlacedKind.COPY)
    return Change(f"Copy {seconds:.2f} s", replace(episode, placed=(*episode.placed, item)))


def insert_recording(
    episode: Episode, recording: Recording, lanes: Sequence[Lane], at_frame: int, new_id: str, name: str
) -> Change:
    """Put a sound file into the program before session frame at_frame: an intro, an outro, a sting."""
    start = _attic_end(episode)
    put = tuple(replace(lane, start_frame=start) for lane in lanes)
    item = Placed(new_id, at_frame, (Stretch(start, start + recording.frames),), PlacedKind.INSERT, name)
    changed = replace(
        episode, recordings=(*episode.recordings, recording), lanes=(*episode.lanes, *put), placed=(*episode.placed, item)
    )
    return Change(f"Insert {name}", changed)


def insert_break(episode: Episode, at_frame: int, frames: int, new_id: str, name: str = "Break", cue: bool = False) -> Change:
    """A gap for an inserted advertisement before session frame at_frame."""
    frames = max(1, min(frames, round(LONGEST_BREAK_S * episode.rate)))
    start = _attic_end(episode)
    item = Placed(new_id, at_frame, (Stretch(start, start + frames),), PlacedKind.BREAK, name, cue)
    return Change(f"Insert a break of {frames / episode.rate:.1f} s", replace(episode, placed=(*episode.placed, item)))


def change_break(episode: Episode, id: str, frames: int | None = None, name: str | None = None, cue: bool | None = None) -> Change:
    """Give a break another length, name, or cue tone."""
    item = episode.placement(id)
    assert item is not None and item.kind is PlacedKind.BREAK
    start = item.pieces[0].start_frame
    if frames is not None:
        frames = max(1, min(frames, round(LONGEST_BREAK_S * episode.rate)))
        # Longer than its room in the attic: a new room.
        others = replace(episode, placed=tuple(p for p in episode.placed if p.id != id))
        start = _attic_end(others)
        item = replace(item, pieces=(Stretch(start, start + frames),))
    item = replace(item, name=item.name if name is None else name, cue=item.cue if cue is None else cue)
    return Change("Change a break", _with_placed(episode, item), f"break {id}")


def rename_placed(episode: Episode, id: str, name: str) -> Change:
    item = episode.placement(id)
    assert item is not None
    return Change(f"Name it {name}", _with_placed(episode, replace(item, name=name)))


def place_at(episode: Episode, id: str, at_frame: int) -> Change:
    """Have something that was placed heard at another place."""
    item = episode.placement(id)
    assert item is not None
    return Change(f"Move {item.name or item.kind.value}", _with_placed(episode, replace(item, at_frame=at_frame)))


def remove_placed(episode: Episode, id: str) -> Change:
    """Take an insert, a break or a copy out again; what was moved goes back to its place."""
    item = episode.placement(id)
    if item is None:
        return Change("Remove nothing", episode)
    placed = tuple(p for p in episode.placed if p.id != id)
    lanes, recordings = episode.lanes, episode.recordings
    if item.kind is PlacedKind.INSERT:
        rooms = [(p.start_frame, p.end_frame) for p in item.pieces]
        lanes = tuple(lane for lane in lanes if not any(a <= lane.start_frame < b for a, b in rooms))
        used = {lane.recording for lane in lanes}
        recordings = tuple(r for r in recordings if r.id in used)
    cuts = tuple(c for c in episode.cuts if c.start_frame < ATTIC or not _is_in(c.start_frame, item))
    title = "Put back what was moved" if item.kind is PlacedKind.MOVE else f"Take out {item.name or 'a ' + item.kind.value}"
    return Change(title, replace(episode, placed=placed, lanes=lanes, recordings=recordings, cuts=cuts))


def _is_in(frame: int, item: Placed) -> bool:
    return any(p.start_frame <= frame < p.end_frame for p in item.pieces)


def _with_placed(episode: Episode, item: Placed) -> Episode:
    return replace(episode, placed=tuple(item if p.id == item.id else p for p in episode.placed))


def _attic_end(episode: Episode) -> int:
    """The first free frame of the attic."""
    ends = [p.end_frame for item in episode.placed for p in item.pieces if p.end_frame >= ATTIC]
    ends += [lane.start_frame + episode.recording(lane.recording).frames for lane in episode.lanes if lane.is_insert]
    return max(ends) + ATTIC_GAP_S * episode.rate if ends else ATTIC


# -- covers -----------------------------------------------------------------------------


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


# -- words ------------------------------------------------------------------------------


def set_transcript(episode: Episode, transcript: Transcript) -> Change:
    """Take over the words of a lane."""
    others = tuple(t for t in episode.transcripts if t.lane != transcript.lane)
    voice = episode.lane(transcript.lane).voice
    return Change(f"Words of {voice}", replace(episode, transcripts=(*others, transcript)), f"words {transcript.lane}")


def correct_word(episode: Episode, lane_id: str, number: int, text: str) -> Change:
    """Write a word as it was said; the sound stays as it is. An empty text takes the word away."""
    transcript = episode.transcript(lane_id)
    assert transcript is not None
    word = transcript.words[number]
    text = " ".join(text.split())
    new = (replace(word, text=text, confidence=1.0),) if text else ()
    words = (*transcript.words[:number], *new, *transcript.words[number + 1 :])
    return _change_words(episode, transcript, words, f"Correct “{word.text}” to “{text}”" if text else f"Take the word “{word.text}” away")


def correct_everywhere(episode: Episode, wrong: str, right: str) -> Change:
    """Write a word another way wherever it stands; capitals and punctuation around it stay."""
    wanted, count, transcripts = plain(wrong), 0, []
    for transcript in episode.transcripts:
        words: list[Word] = []
        for word in transcript.words:
            if wanted and plain(word.text) == wanted:
                words.append(replace(word, text=_dressed(right, word.text)))
                count += 1
            else:
                words.append(word)
        transcripts.append(replace(transcript, words=tuple(words)))
    return Change(f"Correct “{wrong}” to “{right}”, {count} times", replace(episode, transcripts=tuple(transcripts)) if count else episode)


def _dressed(text: str, old: str) -> str:
    """A word with the punctuation of the one that it replaces."""
    head = old[: len(old) - len(old.lstrip("\"'“‘(¿¡"))]
    tail = old[len(old.rstrip(".,!?;:…\"'”’)")) :]
    return f"{head}{text}{tail}"


def name_speaker(episode: Episode, lane_id: str, speaker: int, name: str) -> Change:
    """Name one of several speakers of a recording."""
    transcript = episode.transcript(lane_id)
    assert transcript is not None
    names = list(transcript.speakers)
    names[speaker] = name.strip() or names[speaker]
    return _change_transcript(episode, replace(transcript, speakers=tuple(names)), f"Name a speaker {names[speaker]}")


def set_speaker(episode: Episode, lane_id: str, numbers: Iterable[int], speaker: int) -> Change:
    """Give words to another speaker."""
    transcript = episode.transcript(lane_id)
    assert transcript is not None
    wanted = set(numbers)
    words = tuple(replace(w, speaker=speaker) if k in wanted else w for k, w in enumerate(transcript.words))
    return _change_words(episode, transcript, words, f"Give {len(wanted)} words to another speaker")


def _change_words(episode: Episode, transcript: Transcript, words: tuple[Word, ...], title: str) -> Change:
    return _change_transcript(episode, replace(transcript, words=words), title)


def _change_transcript(episode: Episode, transcript: Transcript, title: str) -> Change:
    return Change(title, replace(episode, transcripts=tuple(transcript if t.lane == transcript.lane else t for t in episode.transcripts)))


# -- chapters and seams -----------------------------------------------------------------


def add_chapter(episode: Episode, frame: int, title: str) -> Change:
    others = [m for m in episode.markers if not (m.is_chapter and m.frame == frame)]
    return Change(f"Chapter “{title}”", replace(episode, markers=tuple(sorted([*others, Marker(frame, title, True)]))))


def set_chapters(episode: Episode, chapters: Iterable[tuple[int, str]], title: str = "Suggest chapters") -> Change:
    """All chapters anew; other markers stay."""
    others = [m for m in episode.markers if not m.is_chapter]
    return Change(title, replace(episode, markers=tuple(sorted([*others, *(Marker(f, t, True) for f, t in chapters)]))))


def move_marker(episode: Episode, marker: Marker, frame: int) -> Change:
    markers = tuple(sorted(replace(m, frame=max(frame, 0)) if m == marker else m for m in episode.markers))
    what = f"the chapter “{marker.text}”" if marker.is_chapter else "a marker"
    return Change(f"Move {what}", replace(episode, markers=markers), f"marker {marker.text}")


def set_seam(episode: Episode, before_frame: int, after_frame: int, ms: float | None, shape: SeamShape) -> Change:
    """How one seam is joined; automatic length and shape: like all others."""
    others = [s for s in episode.seams if (s.before_frame, s.after_frame) != (before_frame, after_frame)]
    if ms is not None or shape is not SeamShape.AUTO:
        others.append(SeamSetting(before_frame, after_frame, ms, shape))
    return Change("Change a crossfade", replace(episode, seams=tuple(sorted(others, key=lambda s: (s.before_frame, s.after_frame)))), "seam")
