"""Keeps what the balance stands on: who speaks when, how loud every voice is; and from that the gains with the present settings."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Episode, Lane, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.jobs import Task
from dubbin.core.mix.balance import Balance, VoiceFacts, find_balance, measure_own, program_power
from dubbin.core.mix.balance_report import BalanceReport, report_balance
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.render import needs_facts
from dubbin.core.sound.source import Source

Own = dict[str, NDArray[np.bool_]]


class Balancing(QObject):
    """`changed` when something new is known."""

    changed = pyqtSignal()

    def __init__(self, jobs: Any, sound: Callable[[Lane], LaneSound | None], recorded_key: Callable[[Lane], Hashable]) -> None:
        """sound: the sources of a lane, None while they are read. recorded_key: what tells one lane's recorded sound from another's."""
        super().__init__()
        self._jobs, self._sound, self._recorded_key = jobs, sound, recorded_key
        self.is_wanted = False
        self._own: dict[Hashable, Own] = {}
        self._power: dict[Hashable, NDArray[np.float64]] = {}
        self._last_power: dict[str, NDArray[np.float64]] = {}
        self._balance: tuple[Hashable, Balance] | None = None
        self._report: tuple[Hashable, BalanceReport] | None = None

    @staticmethod
    def voices(episode: Episode) -> list[Lane]:
        return [lane for lane in episode.lanes if lane.role is Role.VOICE and lane.bed is None]

    def _own_key(self, episode: Episode) -> Hashable:
        return tuple((lane.id, lane.start_frame, self._recorded_key(lane)) for lane in self.voices(episode))

    def _power_key(self, lane: Lane) -> Hashable:
        return (self._recorded_key(lane), repr((lane.repairs, lane.touch_ups, lane.voicing, lane.voice_strength, lane.covers)))

    def look(self, episode: Episode, is_treated: Callable[[Lane], bool]) -> None:
        """Start what is missing. is_treated: whether a lane's treated sound can be read at once."""
        if not (self.is_wanted or needs_facts(episode)):
            return
        voices = self.voices(episode)
        if not voices or any(self._sound(lane) is None for lane in voices):
            return
        self._look_own(episode, voices)
        for lane in voices:
            if self._power_key(lane) not in self._power and is_treated(lane):
                self._measure_power(lane)

    def _look_own(self, episode: Episode, voices: list[Lane]) -> None:
        key = self._own_key(episode)
        if key in self._own or self._jobs.is_busy(("own", key)):
            return
        sources: list[tuple[Lane, Source]] = [(lane, sound.recorded) for lane in voices if (sound := self._sound(lane)) is not None]

        def done(result: Own) -> None:
            self._own[key] = result
            self.changed.emit()

        self._jobs.start(("own", key), "Comparing the microphones", lambda task: measure_own(sources, episode.rate, task), done)

    def _measure_power(self, lane: Lane) -> None:
        key, sound = self._power_key(lane), self._sound(lane)
        if sound is None or self._jobs.is_busy(("power", key)):
            return

        def done(result: NDArray[np.float64]) -> None:
            self._power[key] = self._last_power[lane.id] = result
            if len(self._power) > 32:
                self._power.pop(next(iter(self._power)))
            self.changed.emit()

        def work(task: Task) -> NDArray[np.float64]:
            return program_power(sound.treated, task)

        self._jobs.start(("power", key), f"Measuring the level of {lane.voice}", work, done)

    def facts(self, episode: Episode) -> dict[str, VoiceFacts]:
        """What is known of the voices; while a changed voice is measured anew, what was known of it last."""
        own = self._own.get(self._own_key(episode), {})
        out = {}
        for lane in self.voices(episode):
            power = self._power.get(self._power_key(lane), self._last_power.get(lane.id))
            if power is not None and lane.id in own:
                out[lane.id] = VoiceFacts(power, own[lane.id])
        return out

    def now(self, episode: Episode) -> Balance:
        """The gains of an episode as far as they are known."""
        facts = self.facts(episode)
        key = (_facts_key(facts), tuple((x.id, x.start_frame, x.role, x.mute, x.line, x.levelling, x.bleed, x.bed is None) for x in episode.lanes))
        if self._balance is None or self._balance[0] != key:
            self._balance = key, find_balance(episode, facts)
        return self._balance[1]

    def report(self, episode: Episode) -> BalanceReport:
        """How loud the voices are in the program."""
        facts, balance, time_map = self.facts(episode), self.now(episode), program_map(episode)
        levels = tuple((x.id, x.voice, x.level_db, x.mute, x.solo) for x in episode.lanes)
        key = (id(balance), levels, id(time_map))
        if self._report is None or self._report[0] != key:
            self._report = key, report_balance(episode, time_map, facts, balance)
        return self._report[1]


def _facts_key(facts: dict[str, VoiceFacts]) -> Hashable:
    return tuple((name, id(fact.power), id(fact.own)) for name, fact in facts.items())
