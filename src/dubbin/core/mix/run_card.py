"""Run the card: the suggested work of every step up to Balance in one go, as ordinary changes, and a list of what was done.

What is suggested is what the pages suggest: treatments that answer findings, no further than the voice allows; the voice treatments that each voice asks for;
fillers that can be cut unheard, the last take of what was said again, pauses; levels, bleed and music. Every entry of the list has its own switch.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.episode import balance_commands, commands, edit_commands, voice_commands
from dubbin.core.episode.commands import Change, change_use, find_use
from dubbin.core.episode.model import Cut, CutKind, Episode, Lane, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.loudness import Loudness, measure_loudness
from dubbin.core.measure.report import RecordingReport, measure_recording, measure_treated
from dubbin.core.measure.spectrum import average_spectrum
from dubbin.core.mix.balance import Balance, find_balance
from dubbin.core.mix.balance_report import report_balance
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.render import episode_sounds, voice_facts
from dubbin.core.mix.word_cuts import find_fillers, found_retakes, take_cuts
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.pauses import find_pauses
from dubbin.core.speech.recogniser import built_in_model, recogniser
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.transcribe import Heard, transcribe
from dubbin.core.speech.turns import own_speech
from dubbin.core.speech.word_table import WordTable
from dubbin.core.treat.registry import REPAIRS, TREATMENTS, VOICE
from dubbin.core.treat.tiles import TileKeeper
from dubbin.core.treat.voice_suggestion import suggest_voice

REPAIR_NAMES, VOICE_NAMES = [t.name for t in REPAIRS], [t.name for t in VOICE]


@dataclass(frozen=True)
class Entry:
    """One thing that was done. part: what it is, for its switch; lane: of which lane; cuts: what it took out. before, after: figures with their units."""

    step: str
    title: str
    part: str
    lane: str = ""
    before: str = ""
    after: str = ""
    cuts: tuple[Cut, ...] = ()


@dataclass(frozen=True)
class Ran:
    """What came of it. changes: to be done one after the other, each from an episode as it is then; entries: what they are."""

    changes: tuple[Callable[[Episode], Change], ...]
    entries: tuple[Entry, ...]


@dataclass(frozen=True)
class Means:
    """What running needs. model_folder: of the recogniser; None: the one that comes with the program. words: whether to listen for words at all."""

    copies: WorkingCopies
    keeper: TileKeeper
    model_folder: Path | None = None
    words: bool = True


def run_card(episode: Episode, means: Means, task: Task | None = None, say: Callable[[str], None] = lambda _: None) -> Ran:
    """Work out all that is suggested for an episode. Raises UnusableSound when a recording can't be read. say: is told which step is being done."""
    run = _Run(episode, means, task or Task(), say)
    run.all()
    return Ran(tuple(run.changes), tuple(run.entries))


class _Run:
    def __init__(self, episode: Episode, means: Means, task: Task, say: Callable[[str], None]) -> None:
        self.episode, self._means, self._task, self._say = episode, means, task, say
        self.changes: list[Callable[[Episode], Change]] = []
        self.entries: list[Entry] = []
        self.voices = [lane for lane in episode.session_lanes if lane.role is Role.VOICE]
        self._reports: dict[str, RecordingReport] = {}
        self._after: dict[str, RecordingReport] = {}
        self._activities: dict[str, Activity] = {}

    def _do(self, change: Callable[[Episode], Change]) -> None:
        self.changes.append(change)
        self.episode = change(self.episode).episode

    def _sounds(self) -> dict[str, LaneSound]:
        return episode_sounds(self.episode, self._means.copies, self._means.keeper)

    def _each(self, work: Callable[[Lane, Task], object], low: float, high: float) -> None:
        """Do the same for all voices at once."""
        shares = dict(zip([lane.id for lane in self.voices], self._task.part(low, high).shares(len(self.voices)), strict=True))
        in_parallel(lambda lane: work(lane, shares[lane.id]), self.voices, self._task.part(low, low))

    def all(self) -> None:
        self._say("Measuring")
        sounds = self._sounds()

        def measure(lane: Lane, task: Task) -> None:
            self._reports[lane.id] = measure_recording(sounds[lane.id].recorded, task.part(0.0, 0.7))
            self._activities[lane.id] = find_activity(sounds[lane.id].recorded, task.part(0.7, 1.0))

        self._each(measure, 0.0, 0.08)
        if self.voices:
            self._say("Repairing")
            self._repair()
            if self._means.words:
                self._say("Writing down the words")
                self._words()
            self._say("Finding pauses")
            self._pauses()
            self._say("Setting the voices")
            self._voice()
        self._say("Balancing")
        self._balance()
        self._task.step(1.0)

    # -- repair -----------------------------------------------------------------------

    def _repair(self) -> None:
        wanted: dict[str, dict[str, int]] = {}
        for lane in self.voices:
            found = {s.treatment: round(s.strength) for s in self._reports[lane.id].suggested if s.treatment in REPAIR_NAMES}
            on = {use.name for use in lane.repairs if use.on}  # what somebody has set is left as it is
            wanted[lane.id] = {name: found[name] for name in REPAIR_NAMES if name in found and name not in on}
        trial = self.episode
        for lane_id, strengths in wanted.items():
            for name, strength in strengths.items():
                trial = change_use(trial, lane_id, name, "", order=REPAIR_NAMES, on=True, strength=strength).episode
        sounds = episode_sounds(trial, self._means.copies, self._means.keeper)

        def treat(lane: Lane, task: Task) -> None:
            chain = sounds[lane.id].repaired
            chain.prepare(task)
            for stage in chain.stages:
                name = stage.treatment.name
                if name in wanted[lane.id]:
                    wanted[lane.id][name] = min(wanted[lane.id][name], int(100 * stage.guard().highest_strength))

        self._each(treat, 0.08, 0.5)
        for lane_id, strengths in wanted.items():
            for name, strength in strengths.items():
                self._do(_use(lane_id, name, strength))
        sounds = self._sounds()

        def measure(lane: Lane, task: Task) -> None:
            self._after[lane.id] = measure_treated(sounds[lane.id].repaired, self._reports[lane.id], task)

        self._each(measure, 0.5, 0.56)
        for lane in self.voices:
            for name, strength in wanted[lane.id].items():
                before, after = (_figure_of(name, r) for r in (self._reports[lane.id], self._after[lane.id]))
                title = f"{TREATMENTS[name].title} {strength} %"
                self.entries.append(Entry("Repair", f"{title} · {lane.voice}", name, lane.id, before, after))

    # -- edit -------------------------------------------------------------------------

    def _words(self) -> None:
        rate = self.episode.rate
        own = own_speech([(lane.start_frame / rate, self._activities[lane.id]) for lane in self.voices])
        marks = {lane.id: m for lane, m in zip(self.voices, own, strict=True)}
        model = recogniser(self._means.model_folder or built_in_model())
        sounds, heard = self._sounds(), dict[str, Heard]()
        missing = [lane for lane in self.voices if self.episode.transcript(lane.id) is None]
        for k, lane in enumerate(missing):
            part = self._task.part(0.56 + 0.24 * k / len(missing), 0.56 + 0.24 * (k + 1) / len(missing))
            rt60 = self._reports[lane.id].echo.rt60_s
            heard[lane.id] = transcribe(sounds[lane.id].recorded, lane.id, self._activities[lane.id], marks[lane.id], model, rt60_s=rt60, task=part)
            transcript = heard[lane.id].transcript
            self._do(lambda e, t=transcript: edit_commands.set_transcript(e, t))  # type: ignore[misc]
        rows = [(t, lane.start_frame, lane.voice) for t in self.episode.transcripts for lane in self.episode.lanes if lane.id == t.lane]
        table = WordTable(rows)
        mix = SessionMix(self.episode, {lane.id: sounds[lane.id].recorded for lane in self.voices})
        retakes = []
        for transcript in self.episode.transcripts:
            lane = self.episode.lane(transcript.lane)
            known = heard.get(lane.id)
            retakes += found_retakes(lane.id, lane.start_frame, find_retakes(transcript.words, rate, known.voicing if known else None))
        stretches = [s for r in sorted(retakes, key=lambda r: r.spans[0]) for s in take_cuts(table, mix, rate, r, len(r.spans) - 1)]
        self._cut(stretches, CutKind.RETAKE, f"Last take of {len(retakes)} lines", "lines said again")
        fillers = [f for f in find_fillers(table, mix, rate) if not f.cut.is_tight and self.episode.cut_at((f.cut.start_frame + f.cut.end_frame) // 2) is None]
        self._cut([(f.cut.start_frame, f.cut.end_frame) for f in fillers], CutKind.FILLER, f"{len(fillers)} fillers", "fillers")

    def _cut(self, stretches: Sequence[tuple[int, int]], kind: CutKind, title: str, what: str) -> None:
        if not stretches:
            return
        before = set(self.episode.cuts)
        length = program_map(self.episode).program_frames
        self._do(lambda e: commands.cut_stretches(e, stretches, kind, f"Cut {title}"))
        cuts = tuple(c for c in self.episode.cuts if c not in before)
        self.entries.append(Entry("Edit", f"{title} cut", what, "", self._clock(length), self._clock(program_map(self.episode).program_frames), cuts))

    def _clock(self, frames: int) -> str:
        seconds = round(frames / self.episode.rate)
        return f"{seconds // 60}:{seconds % 60:02d}"

    def _pauses(self) -> None:
        if self.episode.pauses_on:
            return
        rate, settings = self.episode.rate, self.episode.pauses
        found = find_pauses([(lane.start_frame / rate, self._activities[lane.id]) for lane in self.voices], settings, self.episode.frames / rate)
        if not found:
            return
        length = program_map(self.episode).program_frames
        self._do(lambda e: commands.set_pauses(e, settings, found, on=True))
        cuts = tuple(c for c in self.episode.cuts if c.kind is CutKind.PAUSE)
        self.entries.append(
            Entry("Edit", f"{len(cuts)} pauses shortened", "pauses", "", self._clock(length), self._clock(program_map(self.episode).program_frames), cuts)
        )

    # -- voice and balance ------------------------------------------------------------

    def _voice(self) -> None:
        sounds = self._sounds()
        uses: dict[str, dict[str, dict[str, Any]]] = {}

        def suggest(lane: Lane, task: Task) -> None:
            if not any(u.on for u in lane.voicing):
                uses[lane.id] = suggest_voice(self._after[lane.id], average_spectrum(sounds[lane.id].repaired, task))

        self._each(suggest, 0.8, 0.84)
        for lane in self.voices:
            if uses.get(lane.id):
                self._do(lambda e, i=lane.id: voice_commands.set_voice(e, i, uses[i], "What the voice asks for"))  # type: ignore[misc]
        sounds = self._sounds()

        def treat(lane: Lane, task: Task) -> None:
            sounds[lane.id].voiced.prepare(task)

        self._each(treat, 0.84, 0.92)
        for lane in self.voices:
            if uses.get(lane.id):
                names = ", ".join(TREATMENTS[n].title for n in VOICE_NAMES if n in uses[lane.id])
                before, after = (_crest(measure_loudness(s)) for s in (sounds[lane.id].repaired, sounds[lane.id].voiced))
                self.entries.append(Entry("Voice", f"{names} · {lane.voice}", "voice", lane.id, before, after))

    def _balance(self) -> None:
        loudness = {}
        sounds = self._sounds()
        for lane in self.episode.lanes:
            if lane.role is Role.MUSIC and not lane.is_insert:
                level = measure_loudness(sounds[lane.id].recorded).integrated_lufs
                loudness[lane.id] = None if level is None else level + (3.01 if sounds[lane.id].recorded.channels == 1 else 0.0)
        before = self.episode
        self._do(lambda e: balance_commands.suggest_balance(e, loudness))
        if not self.voices:
            return
        facts = voice_facts(self.episode, sounds, self._task.part(0.92, 1.0))
        reports = [report_balance(e, program_map(e), facts, b) for e, b in ((before, Balance()), (self.episode, find_balance(self.episode, facts)))]
        for lane in self.voices:
            levels = [next((v for v in r.voices if v.lane == lane.id), None) for r in reports]
            levelled = _lufs(levels[0].before_lufs if levels[0] else None), _lufs(levels[1].after_lufs if levels[1] else None)
            self.entries.append(Entry("Balance", f"Levelling · {lane.voice}", "levelling", lane.id, levelled[0], levelled[1]))
            if self.episode.lane(lane.id).bleed.on:
                self.entries.append(Entry("Balance", f"Bleed control · {lane.voice}", "bleed", lane.id, "", f"−{lane.bleed.range_db:.0f} dB"))
        for lane in self.episode.beds:
            self.entries.append(Entry("Balance", f"Gives way to speech · {lane.voice}", "ducking", lane.id, "", f"−{lane.ducking.depth_db:.0f} dB"))


def _use(lane_id: str, name: str, strength: int) -> Callable[[Episode], Change]:
    return lambda e: change_use(
        e, lane_id, name, f"{TREATMENTS[name].title} {strength} % for {e.lane(lane_id).voice}", order=REPAIR_NAMES, on=True, strength=strength
    )


def _lufs(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f} LUFS".replace("-", "−")


def _crest(loudness: Loudness) -> str:
    """How far the peaks stand above the loudness."""
    if loudness.sample_peak_dbfs is None or loudness.integrated_lufs is None:
        return "–"
    return f"{loudness.sample_peak_dbfs - loudness.integrated_lufs:.1f} dB crest"


def _figure_of(name: str, report: RecordingReport) -> str:
    """What a treatment is judged by, in words."""
    value, unit = {
        "declip": (float(report.clipping.count + len(report.saturation.times_s)), "places"), "declick": (float(report.clicks.count), "clicks"),
        "dehum": (report.hum.level_dbfs, "dBFS hum"), "derumble": (report.tone.rumble_dbfs, "dBFS rumble"), "denoise": (report.noise.snr_db, "dB over noise"),
        "dereverb": (report.echo.rt60_s, "s RT60"),
    }[name]  # fmt: skip
    if value is None:
        return "none" if name == "dehum" else "–"
    digits = 0 if unit in ("places", "clicks") else 2 if unit == "s RT60" else 1
    return f"{value:.{digits}f} {unit}".replace("-", "−")


# -- switches ---------------------------------------------------------------------------


def is_on(episode: Episode, entry: Entry) -> bool:
    """Whether what an entry stands for is in force."""
    if entry.cuts:
        here = set(episode.cuts)
        return any(c in here for c in entry.cuts)
    lane = next((lane for lane in episode.lanes if lane.id == entry.lane), None)
    if lane is None:
        return False
    if entry.part in REPAIR_NAMES:
        return find_use(lane, entry.part).on
    if entry.part == "voice":
        return any(u.on for u in lane.voicing)
    return bool(getattr(lane, entry.part).on)


def switched(episode: Episode, entry: Entry, on: bool) -> Change:
    """Have what an entry stands for in force, or not; an ordinary change."""
    title = f"{entry.title} {'on' if on else 'off'}"
    if entry.cuts:
        if on:
            here = set(episode.cuts)
            added = [c for c in entry.cuts if c not in here]
            kept = {(c.start_frame, c.end_frame) for c in entry.cuts}
            changed = replace(episode, cuts=tuple(sorted([*episode.cuts, *added], key=lambda c: (c.start_frame, c.end_frame))))
            changed = replace(changed, kept_pauses=tuple(k for k in episode.kept_pauses if (k.start_frame, k.end_frame) not in kept))
            return Change(title, replace(changed, pauses_on=changed.pauses_on or entry.part == "pauses"))
        changed = commands.put_back_many(episode, [c for c in entry.cuts if c in set(episode.cuts)], title).episode
        if entry.part == "pauses":
            changed = replace(changed, pauses_on=False, kept_pauses=episode.kept_pauses)
        return Change(title, changed)
    lane = episode.lane(entry.lane)
    if entry.part in REPAIR_NAMES:
        return change_use(episode, lane.id, entry.part, title, order=REPAIR_NAMES, on=on)
    if entry.part == "voice":
        return commands.change_lane(episode, lane.id, title, voicing=tuple(replace(u, on=on) for u in lane.voicing))
    return balance_commands.change_balance(episode, [lane.id], entry.part, title, on=on)
