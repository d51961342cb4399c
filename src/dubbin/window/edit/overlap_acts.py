"""Overlaps, where two speak at once: the microphone that hears the other one is lowered, one by one or all together."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.episode.commands.lanes import lower_overlaps, uncover
from dubbin.core.episode.model import Cover, CoverKind
from dubbin.core.texts import tr
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.session.stepping import neighbour

LOWER_DB = 12.0  # at first; the field in the list says by how much


@dataclass(frozen=True)
class Overlap:
    """Session frames; lanes: the ids of both, or of the one that both share; hears_other: the one whose microphone hears the other."""

    start_frame: int
    end_frame: int
    lanes: tuple[str, ...]
    hears_other: str

    @property
    def in_one(self) -> bool:
        """Whether both are in one microphone, where neither can be lowered alone."""
        return len(self.lanes) == 1


class Overlaps:
    """lower_db: by how much a microphone is lowered."""

    def __init__(self, session: Session, selection: Selection, speech: Speech, playing: Playing) -> None:
        self._session, self._selection, self._speech, self._playing = session, selection, speech, playing
        self.lower_db = LOWER_DB

    def all(self) -> list[Overlap]:
        rate = self._session.episode.rate
        found = zip(self._speech.crosstalk(), self._speech.hears_the_other(), strict=True)
        return [Overlap(round(a * rate), round(b * rate), lanes, other) for (lanes, a, b), other in found]

    def lowered(self, overlap: Overlap) -> Cover | None:
        """What lowers a microphone over the middle of an overlap; None where nothing does."""
        return self.all_lowered([overlap])[0]

    def all_lowered(self, overlaps: Sequence[Overlap]) -> list[Cover | None]:
        """`lowered` of many."""
        covers = {
            lane.id: (lane.start_frame, [c for c in lane.covers if c.kind is CoverKind.LOWER]) for lane in self._session.episode.lanes
        }
        starts = {id: [c.start_frame for c in found] for id, (_, found) in covers.items()}
        out: list[Cover | None] = []
        for overlap in overlaps:
            middle, hit = (overlap.start_frame + overlap.end_frame) // 2, None
            for id in overlap.lanes:
                offset, found = covers.get(id, (0, []))
                k = bisect_right(starts.get(id, []), middle - offset) - 1
                if k >= 0 and middle - offset < found[k].end_frame:
                    hit = hit or found[k]
            out.append(hit)
        return out

    def at_head(self) -> Overlap | None:
        """The overlap that is selected or that the play head stands in."""
        start, end = self._selection.range or (self._selection.head, self._selection.head + 1)
        return next((o for o in self.all() if o.start_frame < end and o.end_frame > start), None)

    def go_next(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) overlap and hear it."""
        found = neighbour(self.all(), self._selection.head, direction, lambda o: o.start_frame)
        if found is None:
            self._session.said.emit(tr("There is no further overlap."))
        else:
            self._playing.play_place(found.start_frame, found.end_frame)

    def lower(self, overlaps: list[Overlap]) -> None:
        """Lower in one step what is not lowered yet."""
        lowered = self.all_lowered(overlaps)
        places = [
            (o.hears_other, o.start_frame, o.end_frame)
            for o, known in zip(overlaps, lowered, strict=True)
            if known is None and not o.in_one
        ]
        if not places:
            self._session.said.emit(tr("There is no overlap left to lower.") if overlaps else tr("Nobody speaks over another here."))
            return
        self._session.do(lower_overlaps(self._session.episode, places, -self.lower_db))

    def lower_all(self) -> None:
        self.lower(self.all())

    def toggle(self, overlap: Overlap | None = None) -> None:
        """Lower one overlap, or have it as it was; by default that at the play head."""
        overlap = overlap or self.at_head()
        if overlap is None:
            self._session.said.emit(tr("There is no overlap at the play head. The Overlaps list goes to each of them."))
            return
        if overlap.in_one:
            self._session.said.emit(tr("Both voices are in one microphone here: neither can be lowered alone."))
            return
        cover = self.lowered(overlap)
        if cover is None:
            self.lower([overlap])
            return
        lane = next(lane for lane in self._session.episode.lanes if cover in lane.covers)
        self._session.do(uncover(self._session.episode, lane.id, [cover]))
