"""The desk: an open episode with the sound, figures and pictures that belong to it. Everything in the window looks here.

It keeps no second copy of the episode: it listens to the document and starts the background work that a change
asks for. Results are kept under what they were computed from, so that undo finds them again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.deliver.audition import Audition
from dubbin.core.episode import commands
from dubbin.core.episode.commands import Change
from dubbin.core.episode.document import Document
from dubbin.core.episode.intake import recording_source, take_in
from dubbin.core.episode.model import Episode, Lane, Role
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import DubbinError
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.measure.echo import Decay, mean_decay
from dubbin.core.measure.findings import Finding
from dubbin.core.measure.report import RecordingReport, measure_recording, measure_treated
from dubbin.core.measure.spectrum import Spectrum, average_spectrum
from dubbin.core.mix.bed import BedTrack
from dubbin.core.mix.hear import Hear
from dubbin.core.mix.lane_sound import LaneSound, lane_sound
from dubbin.core.mix.program import Program, SessionMix, beds_under, lane_sources, program_over
from dubbin.core.sound.peaks import PeakBuilder, PeakPyramid
from dubbin.core.sound.source import Difference, PickedChannels, Source, blocks
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.pauses import Pause, find_pauses
from dubbin.core.treat.guard import Guard
from dubbin.core.treat.tiles import MOST_TILE_BYTES, DiskKeeper, prune
from dubbin.window.balancing import Balancing

# A pluck sounds like a click and a held chord like hum to what is made for voices.
FAULTS_OF_ANY_SOUND = ("clipping", "dropouts", "silent-channel", "inverted", "dc-offset")


@dataclass(frozen=True)
class Treated:
    """What was computed of a lane's treated sound. guards: by the name of the treatment."""

    peaks: PeakPyramid
    guards: dict[str, Guard]


@dataclass(frozen=True)
class HeardMaster:
    """That the program is heard as its master will be. as_loud: but as loud as it is without."""

    gain_db: float
    ceiling_dbtp: float
    as_loud: bool


class Desk(QObject):
    """Signals carry no data: who listens looks at the desk."""

    episode_changed = pyqtSignal(object, object)  # before, after
    sounds_changed = pyqtSignal()
    findings_changed = pyqtSignal()
    hear_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, folders: Folders, jobs: Any, document: Document) -> None:
        super().__init__()
        self.folders, self.jobs = folders, jobs
        self.copies = WorkingCopies(folders.copies)
        prune(folders.tiles, MOST_TILE_BYTES)
        self._keeper = DiskKeeper(folders.tiles)
        self.hear = Hear.TREATED
        self.recordings: dict[str, WorkingCopy] = {}
        self.broken: dict[str, str] = {}
        self._loaded_as: dict[str, tuple[Any, ...]] = {}
        self._sounds: dict[tuple[Any, ...], LaneSound] = {}
        self._reports: dict[tuple[Any, ...], RecordingReport] = {}
        self._activities: dict[tuple[Any, ...], Activity] = {}
        self._treated: dict[tuple[Any, ...], Treated] = {}
        self._after: dict[tuple[Any, ...], RecordingReport] = {}
        self._spectra: dict[tuple[Any, ...], dict[str, Spectrum]] = {}
        self._guards: dict[tuple[str, str], Guard] = {}
        self._decays: dict[tuple[Any, ...], dict[str, Decay]] = {}
        self.matched = False
        self.taken_by: str | None = None
        self.heard_master: HeardMaster | None = None
        self._picked: str | None = None
        self._pauses: tuple[tuple[Any, ...], list[Pause]] | None = None
        self.balancing = Balancing(jobs, self.sound, self._lane_key)
        self.balancing.changed.connect(self.findings_changed)
        self.balancing.changed.connect(self._on_balance_known)
        self.document = document
        self._stop_listening = document.listen(self._on_changed)
        self._load_recordings()

    # -- the episode ------------------------------------------------------------------

    @property
    def episode(self) -> Episode:
        return self.document.episode

    def set_document(self, document: Document) -> None:
        """Put another episode on the desk."""
        self._stop_listening()
        self.jobs.cancel_all()
        self.document.close()
        before, self.document = self.episode, document
        self.broken.clear()
        self.recordings.clear()
        self._loaded_as.clear()
        self._picked = None
        self._stop_listening = document.listen(self._on_changed)
        self._load_recordings()
        self.episode_changed.emit(before, self.episode)
        self.sounds_changed.emit()

    def do(self, change: Change) -> None:
        self.document.do(change)

    def preview(self, change: Change) -> None:
        self.document.preview(change.episode)

    def _on_changed(self, before: Episode, after: Episode) -> None:
        if before.recordings != after.recordings:
            self._load_recordings()
        if [lane.channels for lane in before.lanes] != [lane.channels for lane in after.lanes]:
            for recording_id in list(self.recordings):
                self._measure(recording_id)
        if self.document.episode is self.document.history.episode:
            self._render_treated()
            self.look_at_balance()
        self.episode_changed.emit(before, after)

    def look_at_balance(self) -> None:
        """Measure what the balance needs and is not known yet."""
        self.balancing.look(self.document.history.episode, self._is_treated)

    def _is_treated(self, lane: Lane) -> bool:
        sound = self.sound(lane)
        return sound is not None and (not (sound.repaired.stages or sound.voiced.stages) or self.treated(lane) is not None)

    def _on_balance_known(self) -> None:
        if any(lane.levelling.on or lane.bleed.on for lane in self.episode.lanes) or self.episode.beds:
            self.hear_changed.emit()

    @property
    def picked_lane(self) -> Lane | None:
        """The lane that the job card is about; the first, unless another was picked."""
        lanes = self.episode.lanes
        return next((lane for lane in lanes if lane.id == self._picked), lanes[0] if lanes else None)

    def pick_lane(self, lane_id: str) -> None:
        if lane_id != self._picked:
            self._picked = lane_id
            self.selection_changed.emit()
            self._want_spectra()

    # -- recordings -------------------------------------------------------------------

    def add_files(self, paths: list[Path]) -> None:
        """Take files in, in the background; what can't be read is said and left out."""
        rate = self.episode.rate

        def work(task: Task) -> tuple[list[Any], list[str]]:
            taken, problems = [], []
            for k, path in enumerate(paths):
                try:
                    taken.append(take_in(path, self.copies, rate, task.part(k / len(paths), (k + 1) / len(paths))))
                except DubbinError as error:
                    problems.append(str(error))
            return taken, problems

        def done(result: tuple[list[Any], list[str]]) -> None:
            taken, problems = result
            if taken:
                lanes = [lane for t in taken for lane in t.lanes]
                self.do(commands.add_recordings(self.episode, [t.recording for t in taken], lanes))
            remarks = [r for t in taken for r in t.remarks]
            if problems or remarks:
                self.said.emit("\n".join(problems + remarks))

        names = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self.jobs.start(("add", tuple(paths)), f"Reading {names}", work, done)

    def _load_recordings(self) -> None:
        episode = self.episode
        for recording in episode.recordings:
            known = self._loaded_as.get(recording.id)
            now = (recording.path, recording.fingerprint, recording.drift_ppm)
            if known == now and (recording.id in self.recordings or self.jobs.is_busy(("load", recording.id))):
                continue
            self._loaded_as[recording.id] = now
            self.recordings.pop(recording.id, None)
            self.broken.pop(recording.id, None)

            def work(task: Task, recording: Any = recording, rate: int = episode.rate) -> Any:
                try:
                    return recording_source(recording, self.copies, rate, task)
                except DubbinError as error:
                    return error

            def done(result: Any, recording: Any = recording) -> None:
                if isinstance(result, DubbinError):
                    self.broken[recording.id] = str(result)
                    self.said.emit(str(result))
                else:
                    self.recordings[recording.id] = result
                    self._measure(recording.id)
                    self._render_treated()
                    self.look_at_balance()
                self.sounds_changed.emit()

            self.jobs.start(("load", recording.id), f"Reading {Path(recording.path).name}", work, done)

    def _lane_key(self, lane: Lane) -> tuple[Any, ...]:
        recording = self.episode.recording(lane.recording)
        return (recording.fingerprint, recording.drift_ppm, lane.channels, self.episode.rate)

    def lane_source(self, lane: Lane) -> Source | None:
        """The lane's sound as recorded; None while it is being read."""
        copy = self.recordings.get(lane.recording)
        if copy is None:
            return None
        return copy if lane.channels == tuple(range(copy.channels)) else PickedChannels(copy, lane.channels)

    def _measure(self, recording_id: str) -> None:
        for lane in self.episode.lanes:
            key = self._lane_key(lane)
            source = self.lane_source(lane)
            if lane.recording != recording_id or source is None or key in self._reports:
                continue
            if self.jobs.is_busy(("measure", key)):
                continue

            def work(task: Task, source: Source = source) -> tuple[RecordingReport, Activity]:
                return measure_recording(source, task.part(0.0, 0.7)), find_activity(source, task.part(0.7, 1.0))

            def done(result: tuple[RecordingReport, Activity], key: tuple[Any, ...] = key) -> None:
                self._reports[key], self._activities[key] = result
                self._pauses = None
                self._measure_repaired()
                self.findings_changed.emit()

            self.jobs.start(("measure", key), f"Measuring {lane.voice}", work, done)

    def report(self, lane: Lane) -> RecordingReport | None:
        return self._reports.get(self._lane_key(lane))

    def activity(self, lane: Lane) -> Activity | None:
        """Where something is heard in a lane; None until it is measured."""
        return self._activities.get(self._lane_key(lane))

    def findings(self, lane: Lane) -> tuple[Finding, ...]:
        """What was found in a lane; of music and effects only what is a fault in them too."""
        report = self.report(lane)
        found = report.findings if report else ()
        return found if lane.role is Role.VOICE else tuple(f for f in found if f.kind in FAULTS_OF_ANY_SOUND)

    # -- sound ------------------------------------------------------------------------

    def sound(self, lane: Lane) -> LaneSound | None:
        """The lane's sources, or None while its recording is being read."""
        copy = self.recordings.get(lane.recording)
        if copy is None:
            return None
        key = (*self._lane_key(lane), lane.repairs, lane.touch_ups, lane.voicing, lane.voice_strength, lane.covers).__repr__()
        if (key,) not in self._sounds:
            recording = self.episode.recording(lane.recording)
            fingerprint = f"{recording.fingerprint}{recording.drift_ppm:+.3f}"
            self._sounds[(key,)] = lane_sound(lane, copy, fingerprint, self._keeper)
            if len(self._sounds) > 64:
                self._sounds.pop(next(iter(self._sounds)))
        return self._sounds[(key,)]

    def program(self, time_map: TimeMap | None = None, hear: Hear | None = None) -> Program:
        """What is heard now: the program, or other spans of the session."""
        episode = self.episode
        sounds = {lane.id: sound for lane in episode.lanes if (sound := self.sound(lane)) is not None}
        side = hear or self.hear
        sources = lane_sources(sounds, side)
        if side is Hear.RESIDUE and hear is None and self.taken_by is not None:
            sources = {id: taken for id, sound in sounds.items() if (taken := sound.taken_by(self.taken_by)) is not None}
        balance = self.balancing.now(episode)
        mix = SessionMix(episode, sources, self._match_gains(side), balance.curves if side is Hear.TREATED else None)
        whole = time_map is None or time_map is self.map
        under = beds_under(episode, self.map, sources, balance) if whole and side is not Hear.RESIDUE else []
        return program_over(episode, mix, time_map or self.map, under)

    def audible(self) -> Program | Audition:
        """What the play key plays: the program, behind gain and limiter where its master is heard."""
        program, master = self.program(), self.heard_master
        if master is None or self.hear is not Hear.TREATED:
            return program
        return Audition(program, master.gain_db, master.ceiling_dbtp, master.as_loud)

    def hear_master(self, master: HeardMaster | None) -> None:
        """Hear the program as a master will be; None: as it is."""
        if master != self.heard_master:
            self.heard_master = master
            self.hear_changed.emit()

    def bed_track(self, lane: Lane) -> BedTrack | None:
        """A lane under the program, placed on the program's clock; None while it is being read."""
        sound = self.sound(lane)
        if sound is None or lane.bed is None:
            return None
        tracks = beds_under(self.episode, self.map, {lane.id: sound.treated}, self.balancing.now(self.episode), {lane.id})
        return tracks[0][0] if tracks else None

    def _match_gains(self, hear: Hear) -> dict[str, float]:
        """Gain in dB of each lane that brings treated sound to the loudness of the recorded, where that is asked for."""
        if not self.matched or hear is not Hear.TREATED:
            return {}
        out = {}
        for lane in self.episode.lanes:
            before, after = self.report(lane), self.after(lane)
            levels = [r.loudness.integrated_lufs if r else None for r in (before, after)]
            if levels[0] is not None and levels[1] is not None:
                out[lane.id] = levels[0] - levels[1]
        return out

    def set_matched(self, matched: bool) -> None:
        """Hear treated sound as loud as the recorded, so that one compares the sound and not the level."""
        if matched != self.matched:
            self.matched = matched
            self.hear_changed.emit()

    @property
    def map(self) -> TimeMap:
        return program_map(self.episode)

    def set_hear(self, hear: Hear, taken_by: str | None = None) -> None:
        """taken_by: with RESIDUE, the one voice treatment of which is heard what it takes away."""
        if hear is not self.hear or taken_by != self.taken_by:
            self.hear, self.taken_by = hear, taken_by
            self.hear_changed.emit()
            self._want_spectra()

    def _treated_key(self, lane: Lane) -> tuple[Any, ...]:
        return (*self._lane_key(lane), repr(lane.repairs), repr(lane.touch_ups), repr(lane.voicing), lane.voice_strength)

    def treated(self, lane: Lane) -> Treated | None:
        """Picture and figures of the treated sound; None while they are computed or where nothing is treated."""
        return self._treated.get(self._treated_key(lane))

    def guard(self, lane: Lane, name: str) -> Guard | None:
        """How much of the voice a treatment takes along; None while it is not known."""
        known = self._treated.get(self._treated_key(lane))
        if known is not None and name in known.guards:
            self._guards[(lane.id, name)] = known.guards[name]
        return self._guards.get((lane.id, name))

    def is_treating(self, lane: Lane) -> bool:
        return bool(self.jobs.is_busy(("treat", lane.id)))

    def _render_treated(self) -> None:
        for lane in self.episode.lanes:
            key = self._treated_key(lane)
            sound = self.sound(lane)
            if sound is None or key in self._treated or not (sound.repaired.stages or sound.voiced.stages):
                continue

            def work(task: Task, sound: LaneSound = sound) -> Treated:
                sound.repaired.prepare(task.part(0.0, 0.7))
                sound.voiced.prepare(task.part(0.7, 0.9))
                builder = PeakBuilder(sound.recorded.channels)
                part = task.part(0.9, 1.0)
                for start, x in blocks(sound.voiced):
                    part.step(start / max(sound.voiced.frames, 1))
                    builder.push(x)
                guards = {stage.treatment.name: stage.guard(part) for stage in sound.repaired.stages}
                return Treated(builder.finish(), guards)

            def done(result: Treated, key: tuple[Any, ...] = key) -> None:
                self._treated[key] = result
                if len(self._treated) > 64:
                    self._treated.pop(next(iter(self._treated)))
                self.look_at_balance()
                self.findings_changed.emit()
                self._want_spectra()
                self._measure_repaired()

            self.jobs.start(("treat", lane.id), f"Treating {lane.voice}", work, done)

    def after(self, lane: Lane) -> RecordingReport | None:
        """Figures of the lane after its repairs; None while they are measured or where nothing is repaired."""
        return self._after.get(self._repaired_key(lane))

    def _repaired_key(self, lane: Lane) -> tuple[Any, ...]:
        return (*self._lane_key(lane), repr(lane.repairs), repr(lane.touch_ups))

    def _measure_repaired(self) -> None:
        for lane in self.episode.lanes:
            key = self._repaired_key(lane)
            sound = self.sound(lane)
            before = self.report(lane)
            if sound is None or before is None or key in self._after or not sound.repaired.stages or self.treated(lane) is None:
                continue

            def done(result: RecordingReport, key: tuple[Any, ...] = key) -> None:
                self._after[key] = result
                self.findings_changed.emit()

            def work(task: Task, sound: LaneSound = sound, before: RecordingReport = before) -> RecordingReport:
                return measure_treated(sound.repaired, before, task)

            self.jobs.start(("after", lane.id), f"Measuring {lane.voice} after repair", work, done)

    # -- evidence ---------------------------------------------------------------------

    def spectra(self, lane: Lane) -> dict[str, Spectrum]:
        """Averaged spectra by what is heard; filled in the background."""
        return self._spectra.get(self._treated_key(lane), {})

    def _want_spectra(self) -> None:
        lane = self.picked_lane
        sound = self.sound(lane) if lane else None
        if lane is None or sound is None or self._treated_key(lane) in self._spectra:
            return
        if sound.repaired.stages and self.treated(lane) is None:
            return  # comes when the treated sound is there

        def work(task: Task, sound: LaneSound = sound) -> dict[str, Spectrum]:
            out = {"recorded": average_spectrum(sound.recorded, task.part(0.0, 0.3))}
            if sound.repaired.stages:
                out["treated"] = average_spectrum(sound.repaired, task.part(0.3, 0.6))
                out["residue"] = average_spectrum(Difference(sound.recorded, sound.repaired), task.part(0.6, 1.0))
            return out

        def done(result: dict[str, Spectrum], key: tuple[Any, ...] = self._treated_key(lane)) -> None:
            self._spectra[key] = result
            self.findings_changed.emit()

        self.jobs.start("spectra", f"Averaging {lane.voice}", work, done)

    def decays(self, lane: Lane) -> dict[str, Decay]:
        """How word ends die away, recorded and treated; filled in the background."""
        key = self._treated_key(lane)
        sound = self.sound(lane)
        if key in self._decays or sound is None or (sound.repaired.stages and self.treated(lane) is None):
            return self._decays.get(key, {})
        if not self.jobs.is_busy("decays"):

            def work(task: Task) -> dict[str, Decay]:
                out = {"recorded": mean_decay(sound.recorded, task.part(0.0, 0.5))}
                if sound.repaired.stages:
                    out["treated"] = mean_decay(sound.repaired, task.part(0.5, 1.0))
                return out

            def done(result: dict[str, Decay]) -> None:
                self._decays[key] = result
                self.findings_changed.emit()

            self.jobs.start("decays", f"Measuring the echo of {lane.voice}", work, done)
        return {}

    def want_evidence(self) -> None:
        """A page that shows spectra was opened."""
        self._want_spectra()

    # -- pauses -----------------------------------------------------------------------

    def pauses(self) -> list[Pause]:
        """Pauses with the present settings; empty until all voices are measured."""
        episode = self.episode
        voices = [lane for lane in episode.session_lanes if lane.role is not Role.EFFECT]
        key = (
            episode.pauses,
            episode.frames,
            tuple((lane.id, lane.start_frame, lane.role) for lane in voices),
        )
        if self._pauses is None or self._pauses[0] != key:
            activities = []
            for lane in voices:
                activity = self._activities.get(self._lane_key(lane))
                if activity is None:
                    return []
                activities.append((lane.start_frame / episode.rate, activity))
            found = find_pauses(activities, episode.pauses, episode.frames / episode.rate) if activities else []
            self._pauses = (key, found)
        return self._pauses[1]

    def pauses_with(self, **fields: Any) -> tuple[Any, list[Pause]]:
        """Settings with some fields changed, and the pauses they find."""
        episode = self.episode
        settings = replace(episode.pauses, **fields)
        activities = [
            (lane.start_frame / episode.rate, activity)
            for lane in episode.session_lanes
            if lane.role is not Role.EFFECT and (activity := self._activities.get(self._lane_key(lane))) is not None
        ]
        return settings, find_pauses(activities, settings, episode.frames / episode.rate) if activities else []

    def close(self) -> None:
        self._stop_listening()
        self.document.close()


Run = Callable[[], None]
