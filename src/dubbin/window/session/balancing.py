"""Keeps what the balance stands on: who speaks when, how loud every voice is; and from that the gains with the present settings."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Episode, Lane
from dubbin.core.episode.time_map import program_map
from dubbin.core.jobs import Task
from dubbin.core.mix.balance_report import BalanceReport, report_balance
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_gains import Balance, VoiceFacts, find_balance
from dubbin.core.mix.lane_key import LaneKey
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.render import needs_facts
from dubbin.core.mix.voice_facts import Own, OwnKey, lane_power, own_key, own_speech
from dubbin.core.texts import tr
from dubbin.window.session.analyses import Analyses
from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.session.result_cache import ResultCache


class Balancing(QObject):
    """`changed` when something new is known."""

    changed = pyqtSignal()

    def __init__(self, jobs: JobBridge, analyses: Analyses, kept: KeptResults) -> None:
        super().__init__()
        self._analyses, self._kept = analyses, kept
        self.is_wanted = False
        self._own: ResultCache[OwnKey, Own] = ResultCache(jobs, "own", self.changed.emit)
        self._power: ResultCache[LaneKey, NDArray[np.float64]] = ResultCache(jobs, "power", self.changed.emit)
        self._last_power: dict[str, NDArray[np.float64]] = {}
        self._balance: tuple[Hashable, Balance] | None = None
        self._report: tuple[Hashable, BalanceReport] | None = None

    def look(self, episode: Episode) -> None:
        """Start what is missing."""
        if not (self.is_wanted or needs_facts(episode)):
            return
        sounds = {lane.id: self._analyses.sound(lane) for lane in episode.voices}
        known = {id: sound for id, sound in sounds.items() if sound is not None}
        if not sounds or len(known) < len(sounds):
            return
        self._compare(episode, known)
        for lane in episode.voices:
            if self._analyses.is_treated(lane):
                self._measure_power(lane, known[lane.id])

    def _compare(self, episode: Episode, sounds: dict[str, LaneSound]) -> None:
        recorded = {lane.id: sounds[lane.id].recorded for lane in episode.voices}

        def work(task: Task) -> Own:
            return own_speech(episode, recorded, self._kept, task)

        self._own.ensure(own_key(episode, self._analyses.key), tr("Comparing the microphones"), work)

    def _measure_power(self, lane: Lane, sound: LaneSound) -> None:
        key = self._analyses.key(lane)

        def work(task: Task) -> NDArray[np.float64]:
            return lane_power(sound.treated, key, self._kept, task)

        self._power.ensure(key, tr("Measuring the level of {voice}").format(voice=lane.voice), work, slot=lane.id)

    def facts(self, episode: Episode) -> dict[str, VoiceFacts]:
        """What is known of the voices; while a changed voice is measured anew, what was known of it last."""
        own = self._own.get(own_key(episode, self._analyses.key)) or {}
        out = {}
        for lane in episode.voices:
            power = self._power.get(self._analyses.key(lane))
            if power is None:
                power = self._last_power.get(lane.id)
            else:
                self._last_power[lane.id] = power
            if power is not None and lane.id in own:
                out[lane.id] = VoiceFacts(power, own[lane.id])
        return out

    def now(self, episode: Episode) -> Balance:
        """The gains of an episode as far as they are known."""
        facts = self.facts(episode)
        key = (
            _facts_key(facts),
            tuple((x.id, x.start_frame, x.role, x.mute, x.line, x.levelling, x.bleed, x.bed is None, x.covers) for x in episode.lanes),
        )
        if self._balance is None or self._balance[0] != key:
            self._balance = key, find_balance(episode, facts)
        return self._balance[1]

    def report(self, episode: Episode) -> BalanceReport:
        """How loud the voices are in the program."""
        facts, balance, time_map = self.facts(episode), self.now(episode), program_map(episode)
        levels = tuple((x.id, x.voice, x.level_db, x.mute, x.solo, x.covers) for x in episode.lanes)
        key = (id(balance), levels, id(time_map))
        if self._report is None or self._report[0] != key:
            self._report = key, report_balance(episode, time_map, facts, balance)
        return self._report[1]


def _facts_key(facts: dict[str, VoiceFacts]) -> Hashable:
    return tuple((name, id(fact.power), id(fact.own)) for name, fact in facts.items())
