"""How well a transcript fits its sound, and what automatic cuts take from what is said: on real voices whose utterances are known, and on the demo."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr

from dubbin.core.episode.commands.cuts import pause_cuts
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.folders import user_folders
from dubbin.core.measure.echo import measure_echo
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.mix.program import SessionMix
from dubbin.core.mix.word_cuts import find_fillers, found_retakes, last_take_cuts, unheard_filler_cuts
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.hesitations import is_filler_text
from dubbin.core.speech.models import THOROUGH, built_in_model, find_model
from dubbin.core.speech.pauses import STARTING_POINTS, find_pauses
from dubbin.core.speech.recogniser import recogniser
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.transcribe import transcribe
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.turns import own_speech
from dubbin.core.speech.word_table import WordTable
from dubbin.demo.recordings import RATE, build_sounds

Row = tuple[str, str]
Span = tuple[float, float, str]  # start and end in seconds, and what is said
AROUND_S = 0.1  # of speech counts as under it
LOST_S = 0.03  # from which on a cut has touched what is said


@dataclass(frozen=True)
class Fit:
    """covered: share of the speech time that words, fillers or sounds lie over; by_words: that words or fillers do. invented: words a minute with no
    speech under them. touched: per automatic step, how many of what is said it takes a part of; cuts: how many it makes; taken: what the step may take whole."""

    covered: float
    by_words: float
    invented: float
    touched: dict[str, int]
    cuts: dict[str, int]


def look(sources: dict[str, Sound], said: dict[str, Sequence[Span]], knows_language: bool, language: str | None = None) -> Fit:
    """One session. said: what each voice says, and where. knows_language: of the model; where it does not, every word is invented. language: that the thorough model is
    to hear; None: the quick one hears."""
    names = list(sources)
    activities = {n: find_activity(s) for n, s in sources.items()}
    own = dict(zip(names, own_speech([(0.0, activities[n]) for n in names]), strict=True))
    model = recogniser(built_in_model() if language is None else find_model(THOROUGH.name, user_folders().cache))
    heard = {
        n: transcribe(sources[n], n, activities[n], own[n], model, language=language, rt60_s=measure_echo(sources[n]).rt60_s) for n in names
    }
    recordings = tuple(Recording(n, f"/{n}.wav", n, sources[n].frames, RATE, 1) for n in names)
    episode = replace(
        new_episode(),
        recordings=recordings,
        lanes=tuple(Lane(n, n, (0,), n) for n in names),
        transcripts=tuple(h.transcript for h in heard.values()),
    )
    covered = by_words = invented = speech_s = 0.0
    for name in names:
        marks = np.zeros(sources[name].frames * 100 // RATE + 200, np.bool_)
        for a, b, _ in said[name]:
            marks[int(100 * a) : int(np.ceil(100 * b))] = True
        words = heard[name].transcript.words
        for kinds in (tuple(WordKind), (WordKind.WORD, WordKind.FILLER)):
            over = np.zeros_like(marks)
            for w in words:
                if w.kind in kinds:
                    over[w.start_frame * 100 // RATE : -(-w.end_frame * 100 // RATE)] = True
            share = np.count_nonzero(over & marks) / 100
            covered, by_words = (covered + share, by_words) if len(kinds) > 2 else (covered, by_words + share)
        speech_s += np.count_nonzero(marks) / 100
        for w in words:
            a, b = int(100 * (w.start_frame / RATE - AROUND_S)), int(100 * (w.end_frame / RATE + AROUND_S)) + 1
            invented += w.kind is WordKind.WORD and (not knows_language or not marks[max(a, 0) : b].any())
    minutes = max(s.frames for s in sources.values()) / RATE / 60
    steps = _steps(episode, sources, {n: heard[n].voicing for n in names}, activities)
    touched = {step: _touched(cuts, [s for n in names for s in said[n]], whole_may_go=step == "retakes") for step, cuts in steps.items()}
    return Fit(
        covered / max(speech_s, 0.1), by_words / max(speech_s, 0.1), invented / minutes, touched, {s: len(c) for s, c in steps.items()}
    )


def _steps(episode: Episode, sources: dict[str, Sound], voicing: dict, activities: dict) -> dict[str, list[tuple[int, int]]]:  # type: ignore[type-arg]
    """What every automatic step would cut."""
    mix = SessionMix(episode, dict(sources))
    table = WordTable([(t, 0, t.lane) for t in episode.transcripts])
    check = CutCheck(mix, [(0, activities[n]) for n in sources], table)
    retakes = [r for t in episode.transcripts for r in found_retakes(t.lane, 0, find_retakes(t.words, RATE, voicing[t.lane], t.language))]
    out = {
        "fillers": unheard_filler_cuts(episode, find_fillers(table, mix, RATE, check)),
        "retakes": last_take_cuts(table, mix, RATE, retakes, check),
    }
    for name, point in STARTING_POINTS.items():
        found = find_pauses([(0.0, activities[n]) for n in sources], point, episode.frames / RATE)
        out[f"pauses, {name}"] = [(c.start_frame, c.end_frame) for c in pause_cuts(episode, found)]
    return out


def _touched(cuts: Sequence[tuple[int, int]], said: Sequence[Span], *, whole_may_go: bool) -> int:
    """How many of what is said lose a part to cuts; hesitations do not count, and neither does what a retake takes as a whole."""
    count = 0
    for a, b, text in said:
        lost = sum(max(min(d / RATE, b) - max(c / RATE, a), 0.0) for c, d in cuts)
        count += not is_filler_text(text) and lost > LOST_S and not (whole_may_go and lost > b - a - LOST_S)
    return count


def _row(what: str, fit: Fit) -> Row:
    steps = ", ".join(f"{step} {fit.touched[step]} by {fit.cuts[step]} cuts" for step in fit.touched)
    return (
        f"{what}: fit of the transcript",
        f"{100 * fit.covered:.0f} % of speech time marked, {100 * fit.by_words:.0f} % under words; {fit.invented:.1f} words a minute invented; touched: {steps}",
    )


def demo_rows() -> list[Row]:
    """The demo on two microphones, and summed into one recording."""
    sounds = build_sounds()
    sources = {v: Sound(x[None].astype(np.float32), RATE) for v, x in sounds.recorded.items()}
    said = {v: [(w.start_s, w.end_s, w.text) for w in sounds.truth.words if w.voice == v] for v in sources}
    length = min(s.frames for s in sources.values())
    one = Sound((0.6 * sum(s.samples[:, :length] for s in sources.values())).astype(np.float32), RATE)
    together = {"both": sorted(s for spans in said.values() for s in spans)}
    return [_row("two microphones", look(sources, said, True)), _row("both in one recording", look({"both": one}, together, True))]


def voice_rows(folder: Path) -> list[Row]:
    """Each recording of a folder of voices (see the README there); what they say is in languages that the quick model does not know, and the thorough one does."""
    table = json.loads((folder / "utterances.json").read_text())
    rows = []
    for name, entry in table.items():
        x, rate = sf.read(folder / f"{name}.flac", dtype="float32")
        source = Sound((soxr.resample(x, rate, RATE) if rate != RATE else x).astype(np.float32)[None], RATE)
        said = [(a, b, "speech") for a, b in entry["utterances"]]
        rows.append(_row(name, look({name: source}, {name: said}, False)))
        rows.append(_row(f"{name}, thorough model", look({name: source}, {name: said}, True, name[-2:])))
        print(*rows[-2:], sep="\n", flush=True)
    return rows
