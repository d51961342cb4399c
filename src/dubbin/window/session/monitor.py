"""What is heard: recorded, treated or removed; the delta of one treatment; as loud as recorded; as a master will be."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.audition import Audition
from dubbin.core.episode.model import Lane
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.mix.bed import BedTrack
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import Program, SessionMix, beds_under, lane_sources, program_over
from dubbin.core.sound.source import Source
from dubbin.window.session.analyses import Analyses
from dubbin.window.session.balancing import Balancing
from dubbin.window.session.open_episode import OpenEpisode


@dataclass(frozen=True)
class MasterPreview:
    """That the program is heard as its master will be. as_loud: but as loud as it is without."""

    gain_db: float
    ceiling_dbtp: float
    as_loud: bool


class Monitor(QObject):
    """`changed` when something else is heard."""

    changed = pyqtSignal()

    def __init__(self, open_episode: OpenEpisode, analyses: Analyses, balancing: Balancing) -> None:
        super().__init__()
        self._open, self._analyses, self._balancing = open_episode, analyses, balancing
        self.mode = MonitorMode.TREATED
        self.matched = False
        self.delta: str | None = None
        self.master: MasterPreview | None = None

    def set_mode(self, mode: MonitorMode, delta: str | None = None) -> None:
        """delta: with REMOVED, the one voice treatment of which is heard what it takes away."""
        if mode is not self.mode or delta != self.delta:
            self.mode, self.delta = mode, delta
            self.changed.emit()

    def compare(self) -> None:
        """From treated to recorded, and from anything else to treated."""
        self.set_mode(MonitorMode.RECORDED if self.mode is MonitorMode.TREATED else MonitorMode.TREATED)

    def set_matched(self, matched: bool) -> None:
        """Hear treated sound as loud as the recorded, so that one compares the sound and not the level."""
        if matched != self.matched:
            self.matched = matched
            self.changed.emit()

    def hear_master(self, master: MasterPreview | None) -> None:
        """Hear the program as a master will be; None: as it is."""
        if master != self.master:
            self.master = master
            self.changed.emit()

    def program(self, time_map: TimeMap | None = None, mode: MonitorMode | None = None, *, beds: bool = False) -> Program:
        """What is heard now: the program, or other spans of the session. beds: other spans are a program too, with music under it."""
        episode, side = self._open.episode, mode or self.mode
        sounds = {lane.id: sound for lane in episode.lanes if (sound := self._analyses.sound(lane)) is not None}
        sources: dict[str, Source] = lane_sources(sounds, side)
        if side is MonitorMode.REMOVED and mode is None and self.delta is not None:
            sources = {id: delta for id, sound in sounds.items() if (delta := sound.delta(self.delta)) is not None}
        balance = self._balancing.now(episode)
        mix = SessionMix(episode, sources, self.match_gains(side), balance.curves if side is MonitorMode.TREATED else None)
        whole_map = program_map(episode)
        whole = time_map is None or time_map is whole_map or beds
        under = beds_under(episode, time_map or whole_map, sources, balance) if whole and side is not MonitorMode.REMOVED else []
        return program_over(episode, mix, time_map or whole_map, under)

    def audible(self) -> Program | Audition:
        """What the play key plays: the program, behind gain and limiter where its master is heard."""
        program, master = self.program(), self.master
        if master is None or self.mode is not MonitorMode.TREATED:
            return program
        return Audition(program, master.gain_db, master.ceiling_dbtp, master.as_loud)

    def bed_track(self, lane: Lane) -> BedTrack | None:
        """A lane under the program, placed on the program's clock; None while it is being read."""
        sound, episode = self._analyses.sound(lane), self._open.episode
        if sound is None or lane.bed is None:
            return None
        tracks = beds_under(episode, program_map(episode), {lane.id: sound.treated}, self._balancing.now(episode), {lane.id})
        return tracks[0][0] if tracks else None

    def match_gains(self, mode: MonitorMode) -> dict[str, float]:
        """Gain in dB of each lane that brings treated sound to the loudness of the recorded, where that is asked for."""
        if not self.matched or mode is not MonitorMode.TREATED:
            return {}
        out = {}
        for lane in self._open.episode.lanes:
            before, after = self._analyses.report(lane), self._analyses.after(lane)
            levels = [r.loudness.integrated_lufs if r else None for r in (before, after)]
            if levels[0] is not None and levels[1] is not None:
                out[lane.id] = levels[0] - levels[1]
        return out
