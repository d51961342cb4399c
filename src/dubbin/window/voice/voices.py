"""What belongs to the voices: figures after the voice treatments, how far each turns the sound down, suggestions, and a person's own starting points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.treatments import find_use, match_voice
from dubbin.core.episode.model import Lane
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import Spectrum
from dubbin.core.measure.voice_tone import REGIONS, ToneIdea, suggest_tone
from dubbin.core.mix.lane_key import LaneKey
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.reduction import STEP_S, Reduction, reductions
from dubbin.core.texts import tr
from dubbin.core.treat.compressor import CompressorSettings
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.voice_fitting import Suggestion, fitted_to
from dubbin.core.treat.voice_presets import PRESETS
from dubbin.core.treat.voice_suggestion import suggest_voice
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.result_cache import ResultCache
from dubbin.window.session.session import Session


@dataclass(frozen=True)
class Voiced:
    """Of a voice after its voice treatments."""

    report: RecordingReport
    reductions: dict[str, Reduction]


class Voices(QObject):
    changed = pyqtSignal()

    def __init__(self, session: Session, preferences: Preferences) -> None:
        super().__init__()
        self._session, self._preferences = session, preferences
        self._voiced: ResultCache[LaneKey, Voiced] = ResultCache(session.jobs, "voiced", self.changed.emit)
        self._fitted: ResultCache[LaneKey, Suggestion] = ResultCache(session.jobs, "fitted", self.changed.emit)
        self.is_wanted = False
        session.findings_changed.connect(self.look)

    def spectrum(self, lane: Lane) -> Spectrum | None:
        """The voice's average spectrum before its voice treatments."""
        spectra = self._session.analyses.spectra(lane)
        return spectra.get("treated") or spectra.get("recorded")

    def before(self, lane: Lane) -> RecordingReport | None:
        """Figures before the voice treatments."""
        return self._session.analyses.after(lane) or self._session.analyses.report(lane)

    def voiced(self, lane: Lane) -> Voiced | None:
        """Figures and gain reduction after the voice treatments; None while they are measured."""
        return self._voiced.get(self._session.analyses.key(lane).voiced)

    def look(self) -> None:
        """Measure the picked voice after its treatments, when they are computed, and find out what to suggest."""
        lane, analyses = self._session.picked_lane, self._session.analyses
        if self.is_wanted and lane is not None:
            self._fit(lane)
        if not self.is_wanted or lane is None or analyses.treated(lane) is None:
            return
        sound = analyses.sound(lane)
        if sound is None or not sound.voiced.stages:
            return

        def work(task: Task, sound: LaneSound = sound) -> Voiced:
            return Voiced(measure_recording(sound.voiced, task.part(0.0, 0.6)), reductions(sound.voiced, task.part(0.6, 1.0)))

        self._voiced.ensure(analyses.key(lane).voiced, tr("Measuring the voice of {voice}").format(voice=lane.voice), work, slot="picked")

    def drawn_reductions(self, lane: Lane) -> list[tuple[str, NDArray[np.float64], float]]:
        """For the lane's picture: colour, gain in dB without make-up, and its step in s; of what is known."""
        voiced = self.voiced(lane)
        if voiced is None:
            return []
        out = []
        for name, colour in (("compress", "saddle"), ("deess", "thread")):
            known = voiced.reductions.get(name)
            if known is not None:
                gain = known.gain_db.astype(np.float64)
                if name == "compress":
                    gain = gain - settings_from_plain(CompressorSettings, find_use(lane, name).settings).makeup_db
                out.append((colour, gain, STEP_S))
        return out

    # -- suggestions ------------------------------------------------------------------

    def tone_ideas(self, lane: Lane) -> list[ToneIdea]:
        """What the EQ might do for a voice, and why."""
        spectrum, report = self.spectrum(lane), self._session.analyses.report(lane)
        if spectrum is None or report is None:
            return []
        return suggest_tone(spectrum, None, report.bandwidth.limit_hz)

    def suggested(self, lane: Lane) -> Suggestion:
        """Voice treatments that the voice's own figures ask for, tried on it; empty while it is being measured."""
        return self._fitted.get(self._session.analyses.key(lane).repaired) or {}

    def _fit(self, lane: Lane) -> None:
        analyses, spectrum = self._session.analyses, self.spectrum(lane)
        sound = analyses.sound(lane)
        if sound is None or spectrum is None:
            return
        report = analyses.after(lane) if sound.repaired.stages else analyses.report(lane)
        if report is None:
            return

        def work(task: Task, sound: LaneSound = sound, report: RecordingReport = report) -> Suggestion:
            return fitted_to(sound.repaired, report, suggest_voice(report, spectrum), task)

        self._fitted.ensure(analyses.key(lane).repaired, tr("Trying settings on {voice}").format(voice=lane.voice), work, slot="picked")

    def match(self, lane: Lane, other: Lane) -> Change | None:
        """Bring a voice to another's tone and level."""
        mine, theirs = self.spectrum(lane), self.spectrum(other)
        reports = self.before(lane), self.before(other)
        if mine is None or theirs is None or reports[0] is None or reports[1] is None:
            return None
        ideas = []
        shift = _mean(mine, 250.0, 4000.0) - _mean(theirs, 250.0, 4000.0)
        for name, low, high, hz, _, _ in REGIONS:
            apart = _mean(mine, low, high) - _mean(theirs, low, high) - shift
            if abs(apart) >= 1.0:
                ideas.append(
                    ToneIdea(
                        name,
                        hz,
                        round(min(max(-0.8 * apart, -6.0), 6.0), 1),
                        tr("{apart} dB against {voice}").format(apart=number(apart, 0, sign=True), voice=other.voice),
                    )
                )
        levels = [r.loudness.integrated_lufs for r in reports if r is not None]
        level = levels[1] + other.level_db - levels[0] - lane.level_db if levels[0] is not None and levels[1] is not None else 0.0
        return match_voice(self._session.episode, lane.id, ideas, level, other.voice)

    # -- starting points --------------------------------------------------------------

    def starting_points(self) -> list[tuple[str, str, dict[str, dict[str, Any]]]]:
        """(title, help, uses) of all that come with the program and all that the person kept."""
        own = self._preferences.get("voices", {})
        out = [(p.title, p.help, p.uses) for p in PRESETS]
        return out + [(str(name), tr("Your own starting point."), uses) for name, uses in own.items() if isinstance(uses, dict)]

    def keep(self, name: str, lane: Lane) -> None:
        """Keep a voice's treatments as a starting point of the person's own."""
        own = dict(self._preferences.get("voices", {}))
        own[name] = {u.name: dict(u.settings) for u in lane.voice_chain if u.on}
        self._preferences.set("voices", own)
        self.changed.emit()


def _mean(spectrum: Spectrum, low: float, high: float) -> float:
    inside = (spectrum.frequency_hz >= low) & (spectrum.frequency_hz <= high)
    return float(spectrum.level_db[inside].mean()) if inside.any() else 0.0
