"""Retakes: which take of a line is kept."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dubbin.core.episode.commands.cuts import cut_stretches, put_back_many
from dubbin.core.episode.cut_union import cut_union
from dubbin.core.episode.model import Cut, CutKind, Episode
from dubbin.core.mix.word_cuts import FoundRetake, count_of_lines
from dubbin.core.texts import tr, tr_count
from dubbin.window.player.playing import Playing
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.session.stepping import neighbour


class Retakes:
    def __init__(self, session: Session, selection: Selection, speech: Speech, playing: Playing) -> None:
        self._session, self._selection, self._speech, self._playing = session, selection, speech, playing
        self._keeps_last = False  # as soon as it is known what goes
        speech.changed.connect(self._go_on)
        session.episode_changed.connect(self._on_episode_changed)

    def count_resolved(self, retakes: Sequence[FoundRetake]) -> int:
        """Of how many lines one take is heard and no other."""
        middles = [(a + b) // 2 for found in retakes for a, b in found.spans]
        line = np.repeat(np.arange(len(retakes)), [len(found.spans) for found in retakes])
        heard = np.bincount(line[~cut_union(self._session.episode).covers(middles)], minlength=len(retakes))
        return int(np.count_nonzero(heard == 1))

    def kept(self, found: FoundRetake) -> int | None:
        """The one take that is not cut; None while more than one is heard."""
        heard = [k for k, (a, b) in enumerate(found.spans) if self._session.episode.cut_at((a + b) // 2) is None]
        return heard[0] if len(heard) == 1 else None

    def _cuts(self, found: FoundRetake) -> list[Cut]:
        a, b = found.spans[0][0], found.spans[-1][1]
        return [c for c in self._session.episode.cuts if c.kind is CutKind.RETAKE and c.start_frame < b and c.end_frame > a]

    def keep(self, found: FoundRetake, take: int) -> None:
        """Keep one take of a line and cut the others."""
        old, base = self._cuts(found), self._session.episode
        if old:
            base = put_back_many(base, old, "").episode
        text = found.retake.takes[take].text
        short = text if len(text) < 40 else text[:38] + "…"
        self._session.do(
            cut_stretches(base, self._speech.take_cuts(found, take), CutKind.RETAKE, tr("Keep the take “{short}”").format(short=short))
        )

    def keep_at_head(self) -> None:
        """Keep the take that the play head stands in, or was last heard in."""
        head = self._selection.head
        for found in self._speech.retakes():
            take = next((k for k, (a, b) in enumerate(found.spans) if a <= head < b), None)
            if take is not None:
                self.keep(found, take)
                return
        self._session.said.emit(tr("There is no take at the play head. R goes to the next line that was said again."))

    def put_back(self, found: FoundRetake) -> None:
        self._session.do(put_back_many(self._session.episode, self._cuts(found), tr("Put the takes back")))

    def keep_last(self) -> None:
        """Of every line that was said again keep the last take, now or as soon as it is known what goes."""
        open_ones = [r for r in self._speech.retakes() if self.kept(r) is None]
        stretches = self._speech.last_take_cuts()
        self._keeps_last = stretches is None
        if stretches is None:
            return
        if not stretches:
            self._session.said.emit(tr("No line was found that is said twice and can be cut unheard."))
        else:
            title = tr_count(
                "Keep the last take of {count} line", "Keep the last take of {count} lines", count_of_lines(open_ones, stretches)
            )
            self._session.do(cut_stretches(self._session.episode, stretches, CutKind.RETAKE, title))

    def _go_on(self) -> None:
        if self._keeps_last:
            self.keep_last()

    def _on_episode_changed(self, before: Episode, after: Episode) -> None:
        if before.id != after.id:
            self._keeps_last = False

    def hear_next(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) line that was said again, and play all its takes."""
        found = neighbour(self._speech.retakes(), self._selection.head, direction, lambda r: r.spans[0][0])
        if found is None:
            self._session.said.emit(tr("There is no further retake."))
        else:
            self._playing.play_place(found.spans[0][0], found.spans[-1][1])
