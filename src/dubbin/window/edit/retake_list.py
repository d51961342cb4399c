"""The list of lines that were said again."""

from __future__ import annotations

from dubbin.core.figures import clock
from dubbin.core.mix.word_cuts import FoundRetake
from dubbin.core.texts import tr
from dubbin.window.edit.retake_acts import Retakes
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.player.playing import Playing
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech


class RetakeList(ActiveTable):
    """Takes of a line together; the ticked one is heard."""

    def __init__(self, session: Session, speech: Speech, acts: Retakes, playing: Playing) -> None:
        super().__init__(
            tr("Retakes"),
            (tr("Keep"), tr("Take"), tr("Voice"), tr("At"), tr("What is said")),
            4,
            tr("Lines that were said again are found in the words: choose Transcribe on the card."),
        )
        self._session, self._speech, self._acts, self._playing = session, speech, acts, playing
        self._entries: list[tuple[FoundRetake, int]] = []
        self.on_ticked, self.on_row = self._tick, self._go

    def refresh(self) -> None:
        episode = self._session.episode
        rows: list[tuple[object, ...]] = []
        self._entries = []
        for found in self._speech.retakes():
            voice = episode.lane(found.lane).voice
            for k, (start, end) in enumerate(found.spans):
                heard = episode.cut_at((start + end) // 2) is None
                kind = tr("stumble") if found.retake.is_stumble else tr("by its sound") if found.retake.by_sound else tr("line")
                text = found.retake.takes[k].text
                rows.append(
                    (
                        heard,
                        tr("{k} of {count} · {kind}").format(k=k + 1, count=len(found.spans), kind=kind)
                        if k == 0
                        else tr("{k} of {count}").format(k=k + 1, count=len(found.spans)),
                        voice,
                        clock(start / episode.rate, 1),
                        text,
                    )
                )
                self._entries.append((found, k))
        self.fill(rows, ticks=True)

    def _tick(self, row: int, on: bool) -> None:
        found, take = self._entries[row]
        if on:
            self._acts.keep(found, take)
        else:  # of two the other one is left; of more the last that is not this
            self._acts.keep(found, next(k for k in range(len(found.spans) - 1, -1, -1) if k != take))
        self._shown = None
        self.refresh()

    def _go(self, row: int) -> None:
        if row < len(self._entries):
            found, take = self._entries[row]
            self._playing.play_place(*found.spans[take])
