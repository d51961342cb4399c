"""The card's cuts: retakes, fillers and pauses, but for cuts in which speech is heard that nobody meant to take out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from dubbin.core.card.entry import CardStep, CutSwitch, Entry
from dubbin.core.card.plan import PlanKind
from dubbin.core.card.state import CardRun
from dubbin.core.card.words import Words
from dubbin.core.episode.commands.cuts import cut_stretches, keep_pauses, pause_cuts, set_pauses
from dubbin.core.episode.model import Cut, CutKind, FrameRange
from dubbin.core.episode.time_map import program_map
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.heard_in_cuts import SpeechInCut, speech_in_cuts
from dubbin.core.mix.lane_results import Measured
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.word_cuts import count_of_lines
from dubbin.core.speech.pauses import Pause, find_pauses
from dubbin.core.texts import tr, tr_count

LONGEST_QUOTE = 48  # letters of what was said, in the list


@dataclass(frozen=True)
class FoundCuts:
    """What can be cut: all of it in order of kinds, and the pauses of it."""

    cuts: tuple[Cut, ...]
    pauses: tuple[Pause, ...]


def find_cuts(run: CardRun, measured: Mapping[str, Measured], words: Words) -> FoundCuts:
    """Retakes and fillers among the words, and pauses of everybody."""
    cuts = [Cut(start, end, kind) for kind, stretches in words.stretches.items() for start, end in stretches]
    pauses = _pauses(run, measured, words)
    return FoundCuts((*cuts, *pause_cuts(run.episode, pauses)), pauses)


def make_cuts(run: CardRun, found: FoundCuts, words: Words) -> None:
    """Cut what was found, but for cuts in which speech is heard that is neither filler nor retake."""
    speech = _speech_in(run, found.cuts, words)
    left = {s.cut for s in speech}
    retakes, fillers = ([c for c in found.cuts if c.kind is kind and c not in left] for kind in (CutKind.RETAKE, CutKind.FILLER))
    lines = count_of_lines(words.retakes, [(c.start_frame, c.end_frame) for c in retakes])
    step = tr_count("Keep the last take of {count} line", "Keep the last take of {count} lines", lines)
    _cut_all(run, retakes, step, tr_count("Last take of {count} line kept", "Last take of {count} lines kept", lines))
    fillers = [c for c in fillers if not any(_holds(r, c) for r in retakes)]
    step = tr_count("Cut {count} filler", "Cut {count} fillers", len(fillers))
    _cut_all(run, fillers, step, tr_count("{count} filler cut", "{count} fillers cut", len(fillers)))
    if found.pauses:
        _shorten(run, found.pauses, [FrameRange(c.start_frame, c.end_frame) for c in left if c.kind is CutKind.PAUSE])
    for s in speech:
        title = tr("Left in: “{short}” · {voice}").format(short=_short(s.text), voice=s.voice)
        where = tr("speech in a {value} at {clock}").format(value=tr(s.cut.kind.value), clock=_clock(run, s.cut.start_frame))
        run.entries.append(Entry(CardStep.EDIT, title, CutSwitch(s.cut.kind, (s.cut,)), "", where))


def _pauses(run: CardRun, measured: Mapping[str, Measured], words: Words) -> tuple[Pause, ...]:
    """Pauses whose cuts pass the check that all automatic cuts pass."""
    episode = run.episode
    if episode.pauses_on or not run.wants(PlanKind.PAUSES):
        return ()
    rate, check = episode.rate, words.check
    if check is None:
        sounds = run.sounds()
        mix = SessionMix(episode, {lane.id: sounds[lane.id].recorded for lane in run.voices})
        check = CutCheck(mix, [(lane.start_frame, measured[lane.id].activity) for lane in run.voices])
    heard = [(lane.start_frame / rate, measured[lane.id].activity) for lane in run.voices]
    found = find_pauses(heard, episode.pauses, episode.frames / rate)
    settled = tuple(p for pause in found if (p := _settled(pause, check, rate)) is not None)
    run.tell(PlanKind.PAUSES, 1.0)
    return settled


def _settled(pause: Pause, check: CutCheck, rate: int) -> Pause | None:
    """A pause whose cut ends where nobody is heard; None where it can't be made so."""
    settled = check.settled(round(pause.cut_start_s * rate), round(pause.cut_end_s * rate))
    return replace(pause, cut_start_s=settled[0] / rate, cut_end_s=settled[1] / rate) if settled is not None else None


def _speech_in(run: CardRun, cuts: Sequence[Cut], words: Words) -> list[SpeechInCut]:
    if not words.own or not cuts:
        return []
    sounds, languages = run.sounds(), run.episode.languages
    sources = {lane.id: sounds[lane.id].recorded for lane in run.voices}
    language = languages[0] if len(languages) == 1 else None
    model, task = run.resources.models.for_language(language), run.task.part(0.8, 0.81)
    return speech_in_cuts(cuts, run.voices, sources, words.own, words.retakes, model, task, language=language, voicings=words.voicings)


def _cut_all(run: CardRun, cuts: Sequence[Cut], step: str, title: str) -> None:
    """Cut stretches of one kind in one step. step: its name in the history; title: of its entry in the list."""
    if not cuts:
        return
    before, length = set(run.episode.cuts), program_map(run.episode).program_frames
    stretches, kind = [(c.start_frame, c.end_frame) for c in cuts], cuts[0].kind
    run.do(lambda e: cut_stretches(e, stretches, kind, step))
    made = tuple(c for c in run.episode.cuts if c not in before)
    _add(run, title, CutSwitch(kind, made), length)


def _shorten(run: CardRun, pauses: Sequence[Pause], kept: Sequence[FrameRange]) -> None:
    """Shorten pauses, all but those that are kept."""
    length, settings = program_map(run.episode).program_frames, run.episode.pauses
    run.do(lambda e: set_pauses(keep_pauses(e, kept), settings, pauses, on=True))
    cuts = tuple(c for c in run.episode.cuts if c.kind is CutKind.PAUSE)
    _add(run, tr_count("{count} pause shortened", "{count} pauses shortened", len(cuts)), CutSwitch(CutKind.PAUSE, cuts), length)


def _add(run: CardRun, title: str, switch: CutSwitch, frames_before: int) -> None:
    after = program_map(run.episode).program_frames
    run.entries.append(Entry(CardStep.EDIT, title, switch, _clock(run, frames_before), _clock(run, after)))


def _clock(run: CardRun, frames: int) -> str:
    seconds = round(frames / run.episode.rate)
    return f"{seconds // 60}:{seconds % 60:02d}"


def _holds(cut: Cut, other: Cut) -> bool:
    """Whether the middle of another cut lies in a cut."""
    return cut.start_frame <= (other.start_frame + other.end_frame) // 2 < cut.end_frame


def _short(text: str) -> str:
    return text if len(text) <= LONGEST_QUOTE else f"{text[: LONGEST_QUOTE - 2]} …"
