"""Stretches of a lane that are muted, lowered, bleeped or covered with room noise."""

from __future__ import annotations

from dubbin.core.episode.commands.lanes import cover, uncover
from dubbin.core.episode.model import Cover, CoverKind, Lane
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

TITLES = {CoverKind.SILENCE: "Mute", CoverKind.LOWER: "Lower", CoverKind.TONE: "Bleep", CoverKind.NOISE: "Cover"}
LOWER_DB = -12.0


class Covering:
    def __init__(self, session: Session, selection: Selection, speech: Speech) -> None:
        self._session, self._selection, self._speech = session, selection, speech

    def can_cover(self) -> bool:
        return self._selection.range is not None and self._session.picked_lane is not None

    def cover(self, kind: CoverKind, gain_db: float = LOWER_DB) -> None:
        """Mute, lower or bleep what is selected: of a word its own lane, else the picked one."""
        if self._selection.range is None:
            self._session.said.emit("Select a word or a stretch first.")
            return
        table, episode, rows = self._speech.table, self._session.episode, self._selection.rows
        lane: Lane | None = episode.lane(table.voice(rows[0]).lane) if rows else self._session.picked_lane
        if lane is None:
            return
        a, b = self._selection.range
        start, end = max(a - lane.start_frame, 0), min(b - lane.start_frame, episode.recording(lane.recording).frames)
        if end <= start:
            self._session.said.emit(f"{lane.voice} is not recorded there.")
            return
        noise = self._speech.room_noise(lane, start) if kind is CoverKind.NOISE else None
        title = f"{TITLES[kind]} {(end - start) / episode.rate:.2f} s of {lane.voice}"
        self._session.do(cover(episode, lane.id, Cover(start, end, kind, gain_db, noise), title))

    def uncover(self) -> None:
        """Have the covers heard again that lie in the selection or at the play head."""
        episode = self._session.episode
        a, b = self._selection.range or (self._selection.head, self._selection.head + 1)
        for lane in episode.lanes:
            gone = [
                c
                for c in lane.covers
                if c.kind is not CoverKind.OTHER and c.start_frame + lane.start_frame < b and c.end_frame + lane.start_frame > a
            ]
            if gone:
                self._session.do(uncover(episode, lane.id, gone))
                return
        self._session.said.emit("Nothing is muted or covered here.")
