"""Cuts: made, moved by their edges and put back; pauses; the program's start and end; splits."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import PARKED_FROM_FRAME, Cut, CutKind, Episode, FrameRange
from dubbin.core.figures import number
from dubbin.core.speech.beside_words import beside_words
from dubbin.core.speech.pauses import Pause, PauseSettings
from dubbin.core.speech.transcript import PASSING_SOUNDS, WordKind
from dubbin.core.texts import tr


def cut_stretch(episode: Episode, start_frame: int, end_frame: int, kind: CutKind = CutKind.HAND) -> Change:
    """Cut a stretch by hand."""
    return cut_stretches(episode, [(start_frame, end_frame)], kind)


def cut_stretches(episode: Episode, stretches: Sequence[tuple[int, int]], kind: CutKind = CutKind.HAND, title: str | None = None) -> Change:
    """Cut several stretches in one step."""
    cuts = [cut for start, end in stretches if (cut := _inside_session(episode, start, end, kind)) is not None]
    if not cuts:
        return Change(tr("Cut nothing"), episode)
    seconds = sum(c.frames for c in cuts) / episode.rate
    return Change(title or tr("Cut {seconds} s").format(seconds=number(seconds, 2)), _with_cuts(episode, [*episode.cuts, *cuts]))


def _inside_session(episode: Episode, start: int, end: int, kind: CutKind) -> Cut | None:
    if start < PARKED_FROM_FRAME:
        start, end = max(0, start), min(end, episode.frames)
    return Cut(start, end, kind) if end > start else None


def put_back(episode: Episode, cut: Cut) -> Change:
    """Undo one cut, now or years later. A pause that was put back is kept, whatever the settings say."""
    cuts = [c for c in episode.cuts if c != cut]
    kept = episode.kept_pauses
    if cut.kind is CutKind.PAUSE:
        kept = tuple(sorted({*kept, FrameRange(cut.start_frame, cut.end_frame)}))
    changed = replace(_with_cuts(episode, cuts), kept_pauses=kept)
    return Change(tr("Put back {frames} s").format(frames=number(cut.frames / episode.rate, 2)), changed)


def put_back_many(episode: Episode, cuts: Iterable[Cut], title: str) -> Change:
    """Undo several cuts in one step."""
    gone = set(cuts)
    kept = {*episode.kept_pauses, *(FrameRange(c.start_frame, c.end_frame) for c in gone if c.kind is CutKind.PAUSE)}
    changed = _with_cuts(episode, [c for c in episode.cuts if c not in gone])
    return Change(title, replace(changed, kept_pauses=tuple(sorted(kept))))


def put_back_all(episode: Episode) -> Change:
    """The whole session again: no cuts at all."""
    return Change(tr("Put back all cuts"), replace(episode, cuts=(), pauses_on=False, kept_pauses=()))


def move_cut_edges(episode: Episode, cut: Cut, start_frame: int, end_frame: int) -> Change:
    """Move the edges of one cut; it counts as made by hand from then on."""
    start, end = max(0, start_frame), end_frame if cut.start_frame >= PARKED_FROM_FRAME else min(end_frame, episode.frames)
    others = [c for c in episode.cuts if c != cut]
    if end <= start:
        return put_back(episode, cut)
    kept = episode.kept_pauses
    if cut.kind is CutKind.PAUSE:  # so that the pause finder doesn't cut it a second time
        kept = tuple(sorted({*kept, FrameRange(cut.start_frame, cut.end_frame)}))
    changed = replace(_with_cuts(episode, [*others, Cut(start, end)]), kept_pauses=kept)
    return Change(tr("Move the edge of a cut"), changed, f"edge {cut.kind}")


def set_pauses(episode: Episode, settings: PauseSettings, found: Iterable[Pause], *, on: bool, merge: bool = False) -> Change:
    """Take over pause settings; `on` cuts all pauses found with them except those that were put back."""
    cuts = [c for c in episode.cuts if c.kind is not CutKind.PAUSE]
    if on:
        cuts += pause_cuts(episode, found)
    if on != episode.pauses_on:
        title = tr("Cut all pauses") if on else tr("Put back all pauses")
    else:
        title = tr("Change what a pause is")
    changed = replace(_with_cuts(episode, cuts), pauses=settings, pauses_on=on)
    return Change(title, changed, "pauses" if merge else None)


def cut_pause(episode: Episode, pause: Pause) -> Change:
    """Cut one pause that was found."""
    start, end = _frames_of(pause, episode.rate, episode.frames)
    opened = replace(episode, kept_pauses=tuple(k for k in episode.kept_pauses if not _overlap(k, start, end)))
    cuts = pause_cuts(opened, [pause])
    seconds = sum(c.frames for c in cuts) / episode.rate
    return Change(tr("Cut a pause of {seconds} s").format(seconds=number(seconds, 2)), _with_cuts(opened, [*episode.cuts, *cuts]))


def pause_cuts(episode: Episode, found: Iterable[Pause]) -> list[Cut]:
    """Cuts for pauses, without those that somebody put back; none touches a word of the transcripts."""
    cuts, last = [], episode.frames
    for pause in found:
        start, end = _frames_of(pause, episode.rate, last)
        if end > start and not any(_overlap(k, start, end) for k in episode.kept_pauses):
            cuts.append(Cut(start, end, CutKind.PAUSE))
    return _beside_words(episode, cuts)


def keep_pauses(episode: Episode, stretches: Iterable[FrameRange]) -> Episode:
    """The episode with stretches in which no pause is cut, whatever the settings say."""
    return replace(episode, kept_pauses=tuple(sorted({*episode.kept_pauses, *stretches})))


def pauses_beside_words(episode: Episode) -> Episode:
    """The episode with its pause cuts drawn in so that none touches a word: words may have come after the pauses were cut."""
    pauses = [c for c in episode.cuts if c.kind is CutKind.PAUSE]
    return _with_cuts(episode, [*(c for c in episode.cuts if c.kind is not CutKind.PAUSE), *_beside_words(episode, pauses)])


def _beside_words(episode: Episode, cuts: Sequence[Cut]) -> list[Cut]:
    starts, ends = _kept_words(episode)
    if not len(starts):
        return list(cuts)
    longest, out = int((ends - starts).max()), []
    latest = np.maximum.accumulate(ends)
    edges = np.array([(c.start_frame, c.end_frame) for c in cuts], np.int64).reshape(-1, 2)
    before = np.searchsorted(starts, edges)  # words that begin before each edge
    in_word = np.any((before > 0) & (latest[np.maximum(before - 1, 0)] > edges), axis=1)
    for cut, touches in zip(cuts, in_word.tolist(), strict=True):
        if not touches:
            out.append(cut)
            continue
        low, high = np.searchsorted(starts, [cut.start_frame - longest, cut.end_frame])
        start, end = beside_words(starts[low:high], ends[low:high], cut.start_frame, cut.end_frame, episode.rate)
        if end > start:
            out.append(Cut(start, end, cut.kind))
    return out


def _kept_words(episode: Episode) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Session frames of all words and sounds that no automatic cut may touch, sorted by their starts."""
    found = [np.zeros((0, 2), np.int64)]
    for lane in episode.session_voices:
        transcript = episode.transcript(lane.id)
        words = transcript.words if transcript is not None else ()
        kept = [(w.start_frame, w.end_frame) for w in words if w.kind is not WordKind.SOUND or w.text not in PASSING_SOUNDS]
        found.append(np.array(kept, np.int64).reshape(-1, 2) + lane.start_frame)
    both = np.concatenate(found)
    both = both[np.argsort(both[:, 0], kind="stable")]
    return both[:, 0], both[:, 1]


def _frames_of(pause: Pause, rate: int, last: int) -> tuple[int, int]:
    """The session frames that are taken out of a pause. last: of the session."""
    return round(pause.cut_start_s * rate), min(round(pause.cut_end_s * rate), last)


def set_start(episode: Episode, frame: int) -> Change:
    """The program begins at a session frame."""
    others = [c for c in episode.cuts if not (c.kind is CutKind.HAND and c.start_frame == 0)]
    cuts = [*others, Cut(0, min(frame, episode.frames))] if frame > 0 and episode.frames else others
    return Change(tr("Set the start of the program"), _with_cuts(episode, cuts))


def set_end(episode: Episode, frame: int) -> Change:
    """The program ends at a session frame."""
    last = episode.frames
    others = [c for c in episode.cuts if not (c.kind is CutKind.HAND and c.end_frame == last)]
    cuts = [*others, Cut(max(frame, 0), last)] if max(frame, 0) < last else others
    return Change(tr("Set the end of the program"), _with_cuts(episode, cuts))


def toggle_split(episode: Episode, frame: int) -> Change:
    """Split the session at a frame, so that the part between two splits can be taken as one; again: join it."""
    frame = min(max(frame, 0), episode.frames)
    if frame in episode.splits:
        return Change(tr("Join at a split"), replace(episode, splits=tuple(f for f in episode.splits if f != frame)))
    return Change(tr("Split"), replace(episode, splits=tuple(sorted({*episode.splits, frame}))))


def _overlap(stretch: FrameRange, start: int, end: int) -> bool:
    """Whether two stretches share more than half of the shorter one."""
    shared = min(stretch.end_frame, end) - max(stretch.start_frame, start)
    return shared * 2 > min(stretch.end_frame - stretch.start_frame, end - start)


def _with_cuts(episode: Episode, cuts: Iterable[Cut]) -> Episode:
    ordered = sorted(set(cuts), key=lambda c: (c.start_frame, c.end_frame, c.kind))
    return replace(episode, cuts=tuple(ordered))
