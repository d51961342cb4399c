"""Run the card: the suggested work of every step up to Balance in one go, as ordinary changes, and a list of what was done.

What is suggested is what the pages suggest: treatments that answer findings, no further than the voice allows; the voice treatments that each voice asks for;
fillers that can be cut unheard, the last take of what was said again, pauses; levels, bleed and music. Every entry of the list has its own switch.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.commands.balance import suggest_balance
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.cuts import cut_stretches, keep_pauses, pause_cuts, set_pauses
from dubbin.core.episode.commands.treatments import change_use, set_voice
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.model import Cut, CutKind, Episode, FrameRange, Lane, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.figures import number, with_unit
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.loudness import Loudness, measure_loudness
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import average_spectrum
from dubbin.core.measure.voicing import Voicing
from dubbin.core.memory import give_back
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.balance_report import report_balance
from dubbin.core.mix.card_entry import (
    BalancePart,
    BalanceSwitch,
    CardStep,
    CutSwitch,
    Entry,
    RepairSwitch,
    VoiceSwitch,
)
from dubbin.core.mix.card_plan import PlanKey, PlanKind
from dubbin.core.mix.heard_in_cuts import SpeechInCut, speech_in_cuts
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_gains import Balance, find_balance
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_results import guard_of, hear_words, measure_recorded, measure_repaired
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.overlaps import own_marks
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.render import episode_sounds
from dubbin.core.mix.voice_facts import voice_facts, voice_loudness
from dubbin.core.mix.word_cuts import FoundRetake, find_fillers, found_retakes, last_take_cuts, unheard_filler_cuts
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.models import Models
from dubbin.core.speech.pauses import Pause, find_pauses
from dubbin.core.speech.recogniser import release as release_recogniser
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.transcribe import Transcription, remark_on
from dubbin.core.speech.word_table import WordTable
from dubbin.core.texts import tr
from dubbin.core.treat import deep_filter
from dubbin.core.treat.chain import Stage, Use
from dubbin.core.treat.figure import crest_db
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import REPAIRS, TREATMENTS, VOICE
from dubbin.core.treat.tiles import TileCache
from dubbin.core.treat.voice_fitting import Suggestion, fitted_to
from dubbin.core.treat.voice_suggestion import suggest_voice

LONGEST_QUOTE = 48  # letters of what was said, in the list
REPAIR_NAMES, VOICE_NAMES = [t.name for t in REPAIRS], [t.name for t in VOICE]


class CardPart(StrEnum):
    """What is done one after the other."""

    MEASURE = "measure"
    REPAIR = "repair"
    WORDS = "words"
    VOICES = "voices"
    BALANCE = "balance"


@dataclass(frozen=True)
class CardResult:
    """What came of it. changes: to be done one after the other, each from an episode as it is then; entries: what they are; remarks: sentences on what could not
    be done."""

    changes: tuple[Callable[[Episode], Change], ...]
    entries: tuple[Entry, ...]
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class CardResources:
    """What running needs. models: of the recogniser. words: whether to listen for words at all.
    kept: where what is measured is found and kept."""

    copies: WorkingCopies
    tile_cache: TileCache
    kept: KeptResults | None = None
    models: Models = field(default_factory=Models)
    words: bool = True


def run_card(
    episode: Episode, resources: CardResources, task: Task | None = None, say: Callable[[str], None] = lambda _: None, *,
    skip: Collection[PlanKey] = (), told: Callable[[PlanKey, float], None] = lambda _, __: None, until: CardPart = CardPart.BALANCE,
) -> CardResult:  # fmt: skip
    """Work out all that is suggested for an episode. Raises UnusableSound when a recording can't be read. say: is told which step is being done. skip: lines of
    the plan that are left out. told: is told how far each line is, 0 to 1, from any thread. until: the last part that is done; a later run finds what is kept of it."""
    run = _Run(episode, resources, task or Task(), say, frozenset(skip), told)
    run.all(until)
    return CardResult(tuple(run.changes), tuple(run.entries), tuple(run.remarks))


class _Run:
    def __init__(
        self, episode: Episode, resources: CardResources, task: Task, say: Callable[[str], None], skip: frozenset[PlanKey],
        told: Callable[[PlanKey, float], None],
    ) -> None:  # fmt: skip
        self.episode, self._resources, self._task, self._skip, self._told = episode, resources, task, skip, told

        def next_step(text: str) -> None:
            give_back()  # what the step before has freed: the next one asks for other sizes
            say(text)

        self._say = next_step
        self.changes: list[Callable[[Episode], Change]] = []
        self.entries: list[Entry] = []
        self.remarks: list[str] = []
        self.voices = list(episode.session_voices)
        self._reports: dict[str, RecordingReport] = {}
        self._after: dict[str, RecordingReport] = {}
        self._activities: dict[str, Activity] = {}
        self._own: dict[str, NDArray[np.bool_]] = {}
        self._voicings: dict[str, Voicing] = {}
        self._retakes: list[FoundRetake] = []
        self._stretches: dict[CutKind, list[tuple[int, int]]] = {}
        self._found_pauses: list[Pause] = []
        self._check: CutCheck | None = None

    def _wants(self, kind: PlanKind, lane: str = "", treatment: str = "") -> bool:
        return PlanKey(kind, lane, treatment) not in self._skip

    def _tell(self, kind: PlanKind, fraction: float, lane: str = "", treatment: str = "") -> None:
        self._told(PlanKey(kind, lane, treatment), min(max(fraction, 0.0), 1.0))

    def _do(self, change: Callable[[Episode], Change]) -> None:
        self.changes.append(change)
        self.episode = change(self.episode).episode

    def _sounds(self) -> dict[str, LaneSound]:
        return episode_sounds(self.episode, self._resources.copies, self._resources.tile_cache)

    def _each(self, work: Callable[[Lane, Task], object], low: float, high: float, lanes: Sequence[Lane] | None = None) -> None:
        """Do the same for all voices (or some) at once."""
        lanes = self.voices if lanes is None else lanes
        shares = dict(zip([lane.id for lane in lanes], self._task.part(low, high).shares(len(lanes)), strict=True))
        in_parallel(lambda lane: work(lane, shares[lane.id]), lanes, self._task.part(low, low))

    def all(self, until: CardPart) -> None:
        for part, work in self._parts():
            work()
            if part is until:
                break
        self._task.step(1.0)

    def _parts(self) -> list[tuple[CardPart, Callable[[], None]]]:
        found = [(CardPart.MEASURE, self._measure)]
        if self.voices:
            found += [(CardPart.REPAIR, self._repair), (CardPart.WORDS, self._words), (CardPart.VOICES, self._edit_and_set)]
        return [*found, (CardPart.BALANCE, self._balance)]

    def _measure(self) -> None:
        self._say(tr("Measuring"))
        sounds = self._sounds()

        def measure(lane: Lane, task: Task) -> None:
            found = measure_recorded(sounds[lane.id].recorded, lane_key(self.episode, lane), self._resources.kept, task)
            self._reports[lane.id], self._activities[lane.id] = found.report, found.activity

        self._each(measure, 0.0, 0.08)

    def _edit_and_set(self) -> None:
        self._say(tr("Finding pauses"))
        self._pauses()
        self._cut()
        release_recogniser()
        self._voicings.clear()
        self._voice()

    # -- repair -----------------------------------------------------------------------

    def _repair(self) -> None:
        self._say(tr("Repairing"))
        wanted: dict[str, dict[str, int]] = {}
        for lane in self.voices:
            found = {s.treatment: round(s.strength) for s in self._reports[lane.id].suggested if s.treatment in REPAIR_NAMES}
            on = {use.name for use in lane.repairs if use.on}  # what somebody has set is left as it is
            wanted[lane.id] = {
                name: found[name]
                for name in REPAIR_NAMES
                if name in found and name not in on and self._wants(PlanKind.REPAIR, lane.id, name)
            }
        trial = self.episode
        for lane_id, strengths in wanted.items():
            for name, strength in strengths.items():
                trial = change_use(trial, lane_id, name, "", on=True, strength=strength).episode
        sounds = episode_sounds(trial, self._resources.copies, self._resources.tile_cache)

        def treat(lane: Lane, task: Task) -> None:
            chain = sounds[lane.id].repaired
            names = [stage.treatment.name for stage in chain.stages]

            def tell(fraction: float) -> None:
                for k, name in enumerate(names):
                    self._tell(PlanKind.REPAIR, fraction * len(names) - k, lane.id, name)

            def hold_back(stage: Stage) -> None:
                name = stage.treatment.name
                if name in wanted[lane.id]:
                    wanted[lane.id][name] = min(wanted[lane.id][name], int(100 * guard_of(stage, self._resources.kept).highest_strength))

            chain.prepare(task.watched(tell), self._reports[lane.id], then=hold_back)
            tell(1.0)

        self._each(treat, 0.08, 0.47)
        hidden: dict[str, Use] = {}

        def look_again(lane: Lane, task: Task) -> None:
            may = self._wants(PlanKind.REPAIR, lane.id, "dereverb")
            if (
                may
                and "denoise" in wanted[lane.id]
                and (use := hidden_echo(sounds[lane.id].repaired, self._reports[lane.id], task)) is not None
            ):
                hidden[lane.id] = use

        self._each(look_again, 0.47, 0.48)
        for lane_id, use in hidden.items():
            name, strength = use.treatment.name, round(100 * use.strength)
            wanted[lane_id][name] = strength
            trial = change_use(trial, lane_id, name, "", on=True, strength=strength).episode
        if hidden:
            sounds = episode_sounds(trial, self._resources.copies, self._resources.tile_cache)
            self._each(treat, 0.48, 0.5, [lane for lane in self.voices if lane.id in hidden])
        for lane_id, strengths in wanted.items():
            for name, strength in strengths.items():
                self._do(_use(lane_id, name, strength))
        sounds = self._sounds()

        def measure(lane: Lane, task: Task) -> None:
            key = lane_key(self.episode, self.episode.lane(lane.id))
            self._after[lane.id] = measure_repaired(sounds[lane.id], key, self._reports[lane.id], self._resources.kept, task)

        self._each(measure, 0.5, 0.56)
        for lane in self.voices:
            for name, strength in wanted[lane.id].items():
                figure = TREATMENTS[name].figures[0]
                before, after = (figure.text(r) for r in (self._reports[lane.id], self._after[lane.id]))
                title = f"{TREATMENTS[name].title} {strength} % · {lane.voice}"
                self.entries.append(Entry(CardStep.REPAIR, title, RepairSwitch(lane.id, name), before, after))
        deep_filter.release()  # the speech model takes its place

    # -- edit -------------------------------------------------------------------------

    def _words(self) -> None:
        if not self._resources.words:
            return
        self._say(tr("Transcribing"))
        rate = self.episode.rate
        own = own_marks([(lane, self._activities[lane.id]) for lane in self.voices], rate)
        self._own = {lane.id: marks for lane, marks in zip(self.voices, own, strict=True)}
        models, spoken = self._resources.models, self.episode.spoken
        sounds, heard = self._sounds(), dict[str, Transcription]()
        missing = [lane for lane in self.voices if self.episode.transcript(lane.id) is None and self._wants(PlanKind.WORDS, lane.id)]

        def listen(lane: Lane, task: Task) -> None:
            rt60 = self._reports[lane.id].echo.rt60_s
            task = task.watched(lambda fraction: self._tell(PlanKind.WORDS, fraction, lane.id))
            key, kept = lane_key(self.episode, lane), self._resources.kept
            heard[lane.id] = hear_words(
                sounds[lane.id].recorded,
                lane.id,
                key,
                self._activities[lane.id],
                self._own[lane.id],
                models,
                spoken,
                kept,
                task,
                rt60_s=rt60,
            )
            self._tell(PlanKind.WORDS, 1.0, lane.id)

        self._each(listen, 0.56, 0.8, missing)
        self._voicings = {lane_id: found.voicing for lane_id, found in heard.items()}
        for lane in missing:
            transcript = heard[lane.id].transcript
            self._do(lambda e, t=transcript: set_transcript(e, t))  # type: ignore[misc]
            self.remarks += [remark] if (remark := remark_on(transcript, lane.voice)) is not None else []
        rows = [(t, lane.start_frame, lane.voice) for t in self.episode.transcripts for lane in self.episode.lanes if lane.id == t.lane]
        table = WordTable(rows)
        mix = SessionMix(self.episode, {lane.id: sounds[lane.id].recorded for lane in self.voices})
        for transcript in self.episode.transcripts:
            lane = self.episode.lane(transcript.lane)
            known = heard.get(lane.id)
            self._retakes += found_retakes(
                lane.id, lane.start_frame, find_retakes(transcript.words, rate, known.voicing if known else None, transcript.language)
            )
        self._check = check = CutCheck(mix, [(lane.start_frame, self._activities[lane.id]) for lane in self.voices], table)
        if self._wants(PlanKind.RETAKES):
            self._stretches[CutKind.RETAKE] = last_take_cuts(table, mix, rate, self._retakes, check)
            self._tell(PlanKind.RETAKES, 1.0)
        if self._wants(PlanKind.FILLERS):
            self._stretches[CutKind.FILLER] = unheard_filler_cuts(self.episode, find_fillers(table, mix, rate, check))
            self._tell(PlanKind.FILLERS, 1.0)

    def _pauses(self) -> None:
        if self.episode.pauses_on or not self._wants(PlanKind.PAUSES):
            return
        rate, settings = self.episode.rate, self.episode.pauses
        found = find_pauses(
            [(lane.start_frame / rate, self._activities[lane.id]) for lane in self.voices], settings, self.episode.frames / rate
        )
        self._found_pauses = [p for pause in found if (p := self._settled(pause)) is not None]
        self._tell(PlanKind.PAUSES, 1.0)

    def _settled(self, pause: Pause) -> Pause | None:
        """A pause whose cut passes the check that all automatic cuts pass; None where it can't."""
        if self._check is None:
            sounds = self._sounds()
            mix = SessionMix(self.episode, {lane.id: sounds[lane.id].recorded for lane in self.voices})
            self._check = CutCheck(mix, [(lane.start_frame, self._activities[lane.id]) for lane in self.voices])
        rate = self.episode.rate
        settled = self._check.settled(round(pause.cut_start_s * rate), round(pause.cut_end_s * rate))
        return replace(pause, cut_start_s=settled[0] / rate, cut_end_s=settled[1] / rate) if settled is not None else None

    def _cut(self) -> None:
        """Cut what was found, but for cuts in which speech is heard that is neither filler nor retake."""
        wanted = [Cut(start, end, kind) for kind, stretches in self._stretches.items() for start, end in stretches]
        wanted += pause_cuts(self.episode, self._found_pauses)
        speech = self._speech_in(wanted)
        left = {s.cut for s in speech}
        retakes, fillers = ([c for c in wanted if c.kind is kind and c not in left] for kind in (CutKind.RETAKE, CutKind.FILLER))
        self._cut_all(retakes, tr("Last take of {count} lines").format(count=len(self._retakes)))
        self._cut_all([c for c in fillers if not any(_is_inside(c, r) for r in retakes)], tr("{count} fillers"))
        if self._found_pauses:
            length, settings, found = program_map(self.episode).program_frames, self.episode.pauses, self._found_pauses
            kept = [FrameRange(c.start_frame, c.end_frame) for c in left if c.kind is CutKind.PAUSE]
            self._do(lambda e: set_pauses(keep_pauses(e, kept), settings, found, on=True))
            cuts = tuple(c for c in self.episode.cuts if c.kind is CutKind.PAUSE)
            self._add_cuts(tr("{count} pauses shortened").format(count=len(cuts)), CutSwitch(CutKind.PAUSE, cuts), length)
        for found_speech in speech:
            cut = found_speech.cut
            title = tr("Left in: “{short}” · {voice}").format(short=_short(found_speech.text), voice=found_speech.voice)
            where = tr("speech in a {value} at {clock}").format(value=tr(cut.kind.value), clock=self._clock(cut.start_frame))
            self.entries.append(Entry(CardStep.EDIT, title, CutSwitch(cut.kind, (cut,)), "", where))

    def _speech_in(self, cuts: Sequence[Cut]) -> list[SpeechInCut]:
        if not self._own or not cuts:
            return []
        sources = {lane.id: sound.recorded for lane in self.voices for sound in (self._sounds()[lane.id],)}
        languages = self.episode.languages
        language = languages[0] if len(languages) == 1 else None
        model, task = self._resources.models.for_language(language), self._task.part(0.8, 0.81)
        return speech_in_cuts(cuts, self.voices, sources, self._own, self._retakes, model, task, language=language, voicings=self._voicings)

    def _cut_all(self, cuts: Sequence[Cut], title: str) -> None:
        """Cut stretches of one kind in one step."""
        if not cuts:
            return
        before, length = set(self.episode.cuts), program_map(self.episode).program_frames
        stretches, kind, title = [(c.start_frame, c.end_frame) for c in cuts], cuts[0].kind, title.format(count=len(cuts))
        self._do(lambda e: cut_stretches(e, stretches, kind, tr("Cut {title}").format(title=title)))
        made = tuple(c for c in self.episode.cuts if c not in before)
        self._add_cuts(tr("{title} cut").format(title=title), CutSwitch(kind, made), length)

    def _add_cuts(self, title: str, switch: CutSwitch, frames_before: int) -> None:
        after = program_map(self.episode).program_frames
        self.entries.append(Entry(CardStep.EDIT, title, switch, self._clock(frames_before), self._clock(after)))

    def _clock(self, frames: int) -> str:
        seconds = round(frames / self.episode.rate)
        return f"{seconds // 60}:{seconds % 60:02d}"

    # -- voice and balance ------------------------------------------------------------

    def _voice(self) -> None:
        self._say(tr("Setting the voices"))
        sounds = self._sounds()
        uses: dict[str, Suggestion] = {}

        def suggest(lane: Lane, task: Task) -> None:
            if not any(u.on for u in lane.voice_chain) and self._wants(PlanKind.VOICE, lane.id):
                voice, report = sounds[lane.id].repaired, self._after[lane.id]
                found = suggest_voice(report, average_spectrum(voice, task.part(0.0, 0.5)))
                uses[lane.id] = fitted_to(voice, report, found, task.part(0.5, 1.0))

        self._each(suggest, 0.8, 0.84)
        for lane in self.voices:
            if uses.get(lane.id):
                self._do(lambda e, i=lane.id: set_voice(e, i, uses[i], tr("Suggested voice settings")))  # type: ignore[misc]
        sounds = self._sounds()

        loudness: dict[str, Loudness] = {}

        def treat(lane: Lane, task: Task) -> None:
            task = task.watched(lambda fraction: self._tell(PlanKind.VOICE, fraction, lane.id))
            sounds[lane.id].voiced.prepare(task.part(0.0, 0.9))
            if uses.get(lane.id):
                key = lane_key(self.episode, self.episode.lane(lane.id))
                loudness[lane.id] = voice_loudness(sounds[lane.id], key, self._resources.kept, task.part(0.9, 1.0))
            self._tell(PlanKind.VOICE, 1.0, lane.id)

        self._each(treat, 0.84, 0.92)
        for lane in self.voices:
            if uses.get(lane.id):
                names = ", ".join(TREATMENTS[n].title for n in VOICE_NAMES if n in uses[lane.id])
                crests = (crest_db(found) for found in (self._after[lane.id].loudness, loudness[lane.id]))
                before, after = ("–" if c is None else tr("{c} dB crest").format(c=number(c)) for c in crests)
                self.entries.append(Entry(CardStep.VOICE, f"{names} · {lane.voice}", VoiceSwitch(lane.id), before, after))

    def _balance(self) -> None:
        self._say(tr("Balancing"))
        if not self._wants(PlanKind.BALANCE):
            return
        loudness = {}
        sounds = self._sounds()
        for lane in self.episode.lanes:
            if lane.role is Role.MUSIC and not lane.is_insert:
                level = measure_loudness(sounds[lane.id].recorded, true_peak=False).integrated_lufs
                loudness[lane.id] = None if level is None else level + (3.01 if sounds[lane.id].recorded.channels == 1 else 0.0)
        before = self.episode
        self._do(lambda e: suggest_balance(e, loudness))
        if not self.voices:
            return
        task = self._task.part(0.92, 1.0).watched(lambda fraction: self._tell(PlanKind.BALANCE, fraction))
        facts = voice_facts(self.episode, sounds, task, self._resources.kept)
        reports = [
            report_balance(e, program_map(e), facts, b) for e, b in ((before, Balance()), (self.episode, find_balance(self.episode, facts)))
        ]
        for lane in self.voices:
            levels = [next((v for v in r.voices if v.lane == lane.id), None) for r in reports]
            levelled = _lufs(levels[0].before_lufs if levels[0] else None), _lufs(levels[1].after_lufs if levels[1] else None)
            self.entries.append(
                Entry(
                    CardStep.BALANCE,
                    tr("Levelling · {voice}").format(voice=lane.voice),
                    BalanceSwitch(lane.id, BalancePart.LEVELLING),
                    *levelled,
                )
            )
            if self.episode.lane(lane.id).bleed.on:
                self.entries.append(
                    Entry(
                        CardStep.BALANCE,
                        tr("Bleed control · {voice}").format(voice=lane.voice),
                        BalanceSwitch(lane.id, BalancePart.BLEED),
                        "",
                        with_unit(-lane.bleed.range_db, "dB", 0),
                    )
                )
        for lane in self.episode.beds:
            self.entries.append(
                Entry(
                    CardStep.BALANCE,
                    tr("Ducking · {voice}").format(voice=lane.voice),
                    BalanceSwitch(lane.id, BalancePart.DUCKING),
                    "",
                    with_unit(-lane.ducking.depth_db, "dB", 0),
                )
            )


def _is_inside(cut: Cut, other: Cut) -> bool:
    """Whether the middle of a cut lies in another."""
    return other.start_frame <= (cut.start_frame + cut.end_frame) // 2 < other.end_frame


def _short(text: str) -> str:
    return text if len(text) <= LONGEST_QUOTE else f"{text[: LONGEST_QUOTE - 2]} …"


def _use(lane_id: str, name: str, strength: int) -> Callable[[Episode], Change]:
    return lambda e: change_use(
        e,
        lane_id,
        name,
        tr("{title} {strength} % for {voice}").format(title=TREATMENTS[name].title, strength=strength, voice=e.lane(lane_id).voice),
        on=True,
        strength=strength,
    )


def _lufs(value: float | None) -> str:
    return with_unit(value, "LUFS")
