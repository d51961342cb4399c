"""Pauses that were found: cut, put back, and gone to."""

from __future__ import annotations

from dubbin.core.episode.commands.cuts import cut_pause, put_back, set_pauses
from dubbin.core.episode.model import Cut
from dubbin.core.figures import number
from dubbin.core.speech.pauses import Pause, PauseSettings
from dubbin.core.texts import tr
from dubbin.core.treat.settings import describe
from dubbin.window.lanes.navigation import Navigation
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.stepping import neighbour

NEAR_S = 0.01


class Pausing:
    def __init__(self, session: Session, selection: Selection, navigation: Navigation) -> None:
        self._session, self._selection, self._navigation = session, selection, navigation

    def cut_of(self, pause: Pause) -> Cut | None:
        """The cut that lies over a pause; None while it is heard."""
        return self._session.episode.cut_at(round((pause.cut_start_s + pause.cut_end_s) / 2 * self._session.episode.rate))

    def at_head(self) -> Pause | None:
        seconds = self._selection.head / self._session.episode.rate
        return next((p for p in self._session.analyses.pauses() if p.start_s <= seconds <= p.end_s), None)

    def toggle(self) -> None:
        """Cut the pause at the play head, or put it back."""
        pause = self.at_head()
        if pause is None:
            self._session.said.emit(tr("There is no pause at the play head. N goes to the next one."))
            return
        episode, cut = self._session.episode, self.cut_of(pause)
        self._session.do(put_back(episode, cut) if cut else cut_pause(episode, pause))

    def toggle_all(self) -> None:
        episode = self._session.episode
        self._session.do(set_pauses(episode, episode.pauses, self._session.analyses.pauses(), on=not episode.pauses_on))

    def can_take_level(self) -> bool:
        return self._selection.range is not None

    def level_from_selection(self) -> None:
        """What counts as quiet is what is selected: a stretch in which nobody speaks."""
        if self._selection.range is None:
            self._session.said.emit(tr("Select a stretch in which nobody speaks first."))
            return
        episode, analyses = self._session.episode, self._session.analyses
        level = analyses.level_over(*(frame / episode.rate for frame in self._selection.range))
        if level is None:
            self._session.said.emit(tr("The recordings are still being measured."))
            return
        info = next(i for i in describe(PauseSettings) if i.name == "quieter_than_db")
        settings, found = analyses.pauses_with(quieter_than_db=round(min(max(level, info.low), info.high), 1))
        self._session.do(set_pauses(episode, settings, found, on=episode.pauses_on))
        self._session.said.emit(
            tr("Quieter than {quieter_than_db} dBFS is a pause now: {count} found.")
            .format(quieter_than_db=number(settings.quieter_than_db), count=len(found))
            .replace("-", "−")
        )

    def go_next(self, direction: int) -> None:
        """Go to the next (1) or previous (-1) pause."""
        rate = self._session.episode.rate
        pause = neighbour(
            self._session.analyses.pauses(), self._selection.head, direction, lambda p: round(p.start_s * rate), round(NEAR_S * rate)
        )
        if pause is not None:
            self._navigation.go(round(pause.start_s * rate) + 1)
