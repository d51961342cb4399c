"""What is computed of the lanes in the background: figures, findings, activity, treated sound, spectra, decays, pauses.

Everything is kept under what it was computed from (`LaneKey`), so that undo finds it again and another file under the same name does not.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Episode, Lane, Recording, Role
from dubbin.core.jobs import Task
from dubbin.core.measure.echo import Decay, mean_decay
from dubbin.core.measure.finding import Finding
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import Spectrum, average_spectrum
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import LaneKey, lane_key
from dubbin.core.mix.lane_results import Measured, Treated, measure_recorded, measure_repaired, treat_lane
from dubbin.core.mix.lane_sound import LaneSound, lane_sound
from dubbin.core.sound.source import Difference, Source
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.pauses import Pause, PauseSettings, find_pauses, level_over
from dubbin.core.texts import tr
from dubbin.core.treat.guard import Guard
from dubbin.core.treat.tiles import TileCache
from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.session.recordings import Recordings
from dubbin.window.session.result_cache import MOST, ResultCache

# A pluck sounds like a click and a held chord like hum to what is made for voices.
FAULTS_OF_ANY_SOUND = ("clipping", "dropouts", "silent-channel", "inverted", "dc-offset")


class Analyses(QObject):
    """`changed` when something is known that was not."""

    changed = pyqtSignal()

    def __init__(
        self,
        jobs: JobBridge,
        recordings: Recordings,
        tile_cache: TileCache,
        kept: KeptResults,
        episode: Callable[[], Episode],
        picked: Callable[[], Lane | None],
    ) -> None:
        """episode: gives the present episode, picked: the lane that the job card is about."""
        super().__init__()
        self._recordings, self._tile_cache, self._episode, self._picked = recordings, tile_cache, episode, picked
        self._kept = kept
        self._sounds: dict[LaneKey, LaneSound] = {}
        self._measured: ResultCache[LaneKey, Measured] = ResultCache(jobs, "measure", self._on_done)
        self._treated: ResultCache[LaneKey, Treated] = ResultCache(jobs, "treat", self._on_done)
        self._after: ResultCache[LaneKey, RecordingReport] = ResultCache(jobs, "after", self._on_done)
        self._spectra: ResultCache[LaneKey, dict[str, Spectrum]] = ResultCache(jobs, "spectra", self._on_done)
        self._decays: ResultCache[LaneKey, dict[str, Decay]] = ResultCache(jobs, "decays", self._on_done)
        self._keys: dict[int, tuple[Lane, Recording, int, LaneKey]] = {}
        self._guards: dict[tuple[str, str], Guard] = {}
        self._pauses: tuple[tuple[Any, ...], list[Pause]] | None = None

    def _on_done(self) -> None:
        self.look()
        self.changed.emit()

    def key(self, lane: Lane) -> LaneKey:
        """What a lane's sound depends on, in the present episode."""
        episode = self._episode()
        recording = episode.recording(lane.recording)
        known = self._keys.get(id(lane))  # it is asked for at every painting
        if known is None or known[0] is not lane or known[1] is not recording or known[2] != episode.rate:
            if len(self._keys) > MOST:
                self._keys.clear()
            known = self._keys[id(lane)] = lane, recording, episode.rate, lane_key(episode, lane)
        return known[3]

    def look(self) -> None:
        """Start whatever can be computed now and is not known yet."""
        for lane in self._episode().lanes:
            self._measure(lane)
            self._treat(lane)
            self._measure_repaired(lane)
        self.want_evidence()

    def forget_failures(self) -> None:
        """Another episode was opened: what failed is tried again."""
        for cache in (self._measured, self._treated, self._after, self._spectra, self._decays):
            cache.forget_failures()

    # -- as recorded ------------------------------------------------------------------

    def _measure(self, lane: Lane) -> None:
        source = self._recordings.source(lane)
        if source is None:
            return

        key = self.key(lane)

        def work(task: Task, source: Source = source) -> Measured:
            return measure_recorded(source, key, self._kept, task)

        self._measured.ensure(key.recorded, tr("Measuring {voice}").format(voice=lane.voice), work)

    def report(self, lane: Lane) -> RecordingReport | None:
        """Figures of a lane as recorded; None until they are measured."""
        known = self._measured.get(self.key(lane).recorded)
        return known.report if known is not None else None

    def activity(self, lane: Lane) -> Activity | None:
        """Where something is heard in a lane; None until it is measured."""
        known = self._measured.get(self.key(lane).recorded)
        return known.activity if known is not None else None

    def findings(self, lane: Lane) -> tuple[Finding, ...]:
        """What was found in a lane; of music and effects only what is a fault in them too."""
        report = self.report(lane)
        found = report.findings if report else ()
        return found if lane.role is Role.VOICE else tuple(f for f in found if f.kind in FAULTS_OF_ANY_SOUND)

    # -- treated ----------------------------------------------------------------------

    def sound(self, lane: Lane) -> LaneSound | None:
        """The lane's sources, or None while its recording is being read."""
        copy = self._recordings.copy(lane.recording)
        if copy is None:
            return None
        key = self.key(lane)
        known = self._sounds.get(key)
        if known is None or known.lane.covers != lane.covers:
            self._sounds[key] = known = lane_sound(lane, copy, key, self._tile_cache)
            if len(self._sounds) > MOST:
                self._sounds.pop(next(iter(self._sounds)))
        return known

    def is_treated(self, lane: Lane) -> bool:
        """Whether the lane's treated sound can be read at once."""
        sound = self.sound(lane)
        return sound is not None and (not (sound.repaired.stages or sound.voiced.stages) or self.treated(lane) is not None)

    def is_treating(self, lane: Lane) -> bool:
        return self._treated.is_running(lane.id)

    def treated(self, lane: Lane) -> Treated | None:
        """Picture and figures of the treated sound; None while they are computed or where nothing is treated."""
        return self._treated.get(self.key(lane).voiced)

    def guard(self, lane: Lane, name: str) -> Guard | None:
        """How much of the voice a treatment takes along; while that is computed anew, what was known last."""
        known = self.treated(lane)
        if known is not None and name in known.guards:
            self._guards[(lane.id, name)] = known.guards[name]
        return self._guards.get((lane.id, name))

    def _treat(self, lane: Lane) -> None:
        sound = self.sound(lane)
        if sound is None or not (sound.repaired.stages or sound.voiced.stages):
            self._treated.cancel(lane.id)
            return

        key, report = self.key(lane), self.report(lane)

        def work(task: Task, sound: LaneSound = sound) -> Treated:
            return treat_lane(sound, key, self._kept, task, report)

        self._treated.ensure(key.voiced, tr("Treating {voice}").format(voice=lane.voice), work, slot=lane.id)

    def after(self, lane: Lane) -> RecordingReport | None:
        """Figures of the lane after its repairs; None while they are measured or where nothing is repaired."""
        return self._after.get(self.key(lane).repaired)

    def _measure_repaired(self, lane: Lane) -> None:
        sound, before = self.sound(lane), self.report(lane)
        if sound is None or before is None or not sound.repaired.stages or self.treated(lane) is None:
            return

        key = self.key(lane)

        def work(task: Task, sound: LaneSound = sound, before: RecordingReport = before) -> RecordingReport:
            return measure_repaired(sound, key, before, self._kept, task)

        self._after.ensure(key.repaired, tr("Measuring {voice} after repair").format(voice=lane.voice), work, slot=lane.id)

    # -- evidence ---------------------------------------------------------------------

    def spectra(self, lane: Lane) -> dict[str, Spectrum]:
        """Averaged spectra by what is heard; filled in the background for the picked lane."""
        return self._spectra.get(self.key(lane).repaired) or {}

    def want_evidence(self) -> None:
        """Compute the spectra of the picked lane, when its treated sound is there."""
        lane = self._picked()
        sound = self.sound(lane) if lane is not None else None
        if lane is None or sound is None or (sound.repaired.stages and self.treated(lane) is None):
            return

        def work(task: Task, sound: LaneSound = sound) -> dict[str, Spectrum]:
            out = {"recorded": average_spectrum(sound.recorded, task.part(0.0, 0.3))}
            if sound.repaired.stages:
                out["treated"] = average_spectrum(sound.repaired, task.part(0.3, 0.6))
                out["removed"] = average_spectrum(Difference(sound.recorded, sound.repaired), task.part(0.6, 1.0))
            return out

        self._spectra.ensure(self.key(lane).repaired, tr("Averaging {voice}").format(voice=lane.voice), work, slot="picked")

    def decays(self, lane: Lane) -> dict[str, Decay]:
        """How word ends die away, recorded and treated; computed in the background once somebody asks."""
        sound = self.sound(lane)
        if sound is None or (sound.repaired.stages and self.treated(lane) is None):
            return {}

        def work(task: Task, sound: LaneSound = sound) -> dict[str, Decay]:
            out = {"recorded": mean_decay(sound.recorded, task.part(0.0, 0.5))}
            if sound.repaired.stages:
                out["treated"] = mean_decay(sound.repaired, task.part(0.5, 1.0))
            return out

        return (
            self._decays.ensure(self.key(lane).repaired, tr("Measuring the echo of {voice}").format(voice=lane.voice), work, slot="picked")
            or {}
        )

    # -- pauses -----------------------------------------------------------------------

    def _activities(self) -> list[tuple[Lane, float, Activity | None]]:
        episode = self._episode()
        lanes = [lane for lane in episode.session_lanes if lane.role is not Role.EFFECT]
        return [(lane, lane.start_frame / episode.rate, self.activity(lane)) for lane in lanes]

    def pauses(self) -> list[Pause]:
        """Pauses with the present settings; empty until all voices are measured."""
        if any(activity is None for _, _, activity in self._activities()):
            return []
        return self._pauses_with(self._episode().pauses)

    def level_over(self, start_s: float, end_s: float) -> float | None:
        """The level in dBFS that a stretch of the session stays below; None while it is being measured."""
        found = [(start, activity) for _, start, activity in self._activities()]
        return level_over([(s, a) for s, a in found if a is not None], start_s, end_s) if all(a is not None for _, a in found) else None

    def pauses_with(self, **fields: float | None) -> tuple[PauseSettings, list[Pause]]:
        """Settings with some fields changed, and the pauses they find."""
        settings = replace(self._episode().pauses, **fields)  # type: ignore[arg-type]
        return settings, self._pauses_with(settings)

    def _pauses_with(self, settings: PauseSettings) -> list[Pause]:
        """Of the voices that are measured; found once, so that settings which are then taken are not looked for again."""
        episode, found = self._episode(), self._activities()
        key = (settings, episode.frames, tuple((lane.id, start_s, id(activity)) for lane, start_s, activity in found))
        if self._pauses is None or self._pauses[0] != key:
            known = [(start_s, activity) for _, start_s, activity in found if activity is not None]
            self._pauses = (key, find_pauses(known, settings, episode.frames / episode.rate) if known else [])
        return self._pauses[1]
