"""Stretches of a lane that are muted, lowered, bleeped or covered with room noise."""

from __future__ import annotations

import numpy as np

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.lanes import cover, uncover
from dubbin.core.episode.model import Cover, CoverKind, FrameRange, Lane
from dubbin.core.figures import number
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.texts import tr
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech

TITLES = {CoverKind.SILENCE: tr("Mute"), CoverKind.LOWER: tr("Lower"), CoverKind.TONE: tr("Bleep"), CoverKind.NOISE: tr("Cover")}
LOWER_DB = -12.0


class Covering:
    def __init__(self, session: Session, selection: Selection, speech: Speech) -> None:
        self._session, self._selection, self._speech = session, selection, speech

    def can_cover(self) -> bool:
        return bool(self._selection.rows) or (self._selection.range is not None and self._session.picked_lane is not None)

    def cover(self, kind: CoverKind, gain_db: float = LOWER_DB) -> None:
        """Mute, lower or bleep what is selected: of words their own lanes, else the picked one."""
        table, before, rows = self._speech.table, self._session.episode, self._selection.rows
        if self._selection.spans:
            places = [(before.lane(table.voice(row).lane), *span) for row, span in zip(rows, self._selection.spans, strict=True)]
        elif self._selection.range is not None:
            lane = before.lane(table.voice(rows[0]).lane) if rows else self._session.picked_lane
            places = [(lane, *self._selection.range)] if lane is not None else []
        else:
            self._session.said.emit(tr("Select a word or a stretch first."))
            return
        episode, frames = before, 0
        for lane, a, b in places:
            start, end = max(a - lane.start_frame, 0), min(b - lane.start_frame, before.recording(lane.recording).frames)
            if end > start:
                noise = self._room_noise(lane, start) if kind is CoverKind.NOISE else None
                episode = cover(episode, lane.id, Cover(start, end, kind, gain_db, noise), "").episode
                frames += end - start
        if not frames:
            self._session.said.emit(
                tr("{voice} is not recorded there.").format(voice=places[0][0].voice) if places else tr("Pick a lane first.")
            )
            return
        of = (
            f"{len(places)} × “{table.words[rows[0]].text}”"
            if len(places) > 1
            else tr("{frames} s of {voice}").format(frames=number(frames / before.rate, 2), voice=places[0][0].voice)
        )
        self._session.do(Change(f"{TITLES[kind]} {of}", episode))

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
        self._session.said.emit(tr("Nothing is muted or covered here."))

    def _room_noise(self, lane: Lane, near: int) -> FrameRange | None:
        """A stretch of a lane's recording (frames) near one of its frames in which nothing is heard, for covers."""
        activity = self._session.analyses.activity(lane)
        if activity is None:
            return None
        rate = self._session.episode.rate
        starts, ends = runs(~activity.audible)
        long = ends - starts >= 0.3 * FRAMES_PER_S
        if not long.any():
            return None
        a, b = starts[long] * rate // FRAMES_PER_S, ends[long] * rate // FRAMES_PER_S
        k = int(np.argmin(np.abs((a + b) // 2 - near)))
        margin = rate // 20
        return FrameRange(int(a[k]) + margin, int(min(b[k], a[k] + 2 * rate)) - margin)
