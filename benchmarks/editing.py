"""Figures of the Edit step on the demo, whose script and word times are known: words, edges, fillers, speakers, retakes, pauses."""

from __future__ import annotations

import time
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

import fit
import numpy as np
import real_edges
import speakers
from numpy.typing import NDArray
from scores import text_error

from dubbin.core.folders import user_folders
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import Activity, find_activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.hesitations import is_filler_text
from dubbin.core.speech.models import MODELS, built_in_model, find_model
from dubbin.core.speech.pauses import PauseSettings, find_pauses
from dubbin.core.speech.recogniser import recognise, recogniser
from dubbin.core.speech.retakes import find_retakes
from dubbin.core.speech.speakers import tell_apart
from dubbin.core.speech.transcribe import transcribe
from dubbin.core.speech.transcript import Word, WordKind, plain
from dubbin.core.speech.turns import own_speech
from dubbin.core.speech.word_edges import find_features, refine_edges
from dubbin.demo.recordings import RATE, SpokenWord, build_sounds, clean_lines

Row = tuple[str, str]
FLOORS_DB = (-65, -58, -50, -42)
GAP_S = 2.0
NAMES = ("Ines Calder", "Tobias Wren", "The Slow Ferry")
SAME_S = 0.6  # words that are further apart are not the same word


def rows(voices: Path | None = None) -> list[Row]:
    """voices: a folder of recordings of real people; None: the demo alone."""
    sounds = build_sounds()
    sources = {voice: Sound(x[None].astype(np.float32), RATE) for voice, x in sounds.recorded.items()}
    activities = {voice: find_activity(source) for voice, source in sources.items()}
    own = dict(zip(sources, own_speech([(0.0, a) for a in activities.values()]), strict=True))
    model = recogniser(built_in_model())
    out: list[Row] = _model_rows(sources, activities, own, sounds.truth.words)
    hits, found, wanted = 0, 0, 0
    for voice, source in sources.items():
        truth = [w for w in sounds.truth.words if w.voice == voice]
        rt60 = measure_echo(source).rt60_s
        started = time.perf_counter()
        words = transcribe(source, voice, activities[voice], own[voice], model, rt60_s=rt60).transcript.words
        speed = source.frames / source.rate / (time.perf_counter() - started)
        out.append((f"{voice}: word error of what is written down", f"{_error(truth, words):.2f}, {speed:.0f} x real time"))
        for name, known in MODELS.items():
            raw, _ = recognise(source, own[voice], recogniser(find_model(name, user_folders().cache)), language="en")
            better = refine_edges(raw, find_features(source), activities[voice], rt60)
            figure = f"{_edges(raw, truth)} → {_edges(better, truth)} ms"
            out.append((f"{voice}: edges of words, mean error of starts and ends, {known.title.lower()} model", figure))
        fillers = [w for w in words if w.kind is WordKind.FILLER]
        true = [w for w in truth if is_filler_text(w.text)]
        hits += sum(any(_meets(f, t) for f in fillers) for t in true)
        found, wanted = found + sum(any(_meets(f, t) for t in true) for f in fillers), wanted + len(true)
        wrong = sum(not any(_meets(f, t) for t in true) for f in fillers)
        out.append((f"{voice}: fillers", f"{len(true)} said, {len(fillers)} found, {wrong} of them wrong"))
        retakes = find_retakes(words, RATE, find_voicing(source).kept())
        out.append((f"{voice}: lines and words said again that were found", str(len(retakes))))
    out.append(("fillers, recall", f"{hits / max(wanted, 1):.2f}"))
    mixed = Sound(sum(s.samples for s in sources.values()).astype(np.float32), RATE)
    out.append(
        ("two voices in one recording, share of speech time given to the right one", f"{_right_speaker(mixed, sounds.truth.words):.2f}")
    )
    on_voices = fit.voice_rows(voices) + real_edges.rows(voices) + speakers.rows(voices) if voices is not None else []
    return out + fit.demo_rows() + on_voices + _pauses()


def _model_rows(
    sources: dict[str, Sound], activities: dict[str, Activity], own: dict[str, NDArray[np.bool_]], truth: Sequence[SpokenWord]
) -> list[Row]:
    """Each speech model that comes with the program, with and without the names of the show."""
    out = []
    for name, known in MODELS.items():
        model = recogniser(find_model(name, user_folders().cache))
        for terms in ((), NAMES):
            errors, started = [], time.perf_counter()
            for voice, source in sources.items():
                heard = transcribe(source, voice, activities[voice], own[voice], model, terms=terms).transcript
                errors.append((_error([w for w in truth if w.voice == voice], heard.words), voice))
            speed = sum(s.frames / s.rate for s in sources.values()) / (time.perf_counter() - started)
            listed = ", names of the show listed" if terms else ""
            out.append(
                (
                    f"{known.title.lower()} model{listed}: word error",
                    ", ".join(f"{e:.3f} {v}" for e, v in errors) + f"; {speed:.0f} x real time",
                )
            )
    return out


def _error(truth: list[SpokenWord], words: tuple[Word, ...]) -> float:
    return text_error(" ".join(w.text for w in truth), " ".join(w.text for w in words if w.kind is WordKind.WORD))


def _pairs(heard: list[HeardWord], truth: list[SpokenWord]) -> list[tuple[HeardWord, SpokenWord]]:
    from difflib import SequenceMatcher

    matcher = SequenceMatcher(None, [plain(h.text) for h in heard], [plain(t.text) for t in truth], autojunk=False)
    pairs = [(heard[i + k], truth[j + k]) for i, j, n in matcher.get_matching_blocks() for k in range(n)]
    return [(h, t) for h, t in pairs if abs(h.start_s - t.start_s) < SAME_S]


def _edges(heard: list[HeardWord], truth: list[SpokenWord]) -> str:
    pairs = _pairs(heard, truth)
    start = np.mean([abs(h.start_s - t.start_s) for h, t in pairs])
    end = np.mean([abs(h.end_s - t.end_s) for h, t in pairs])
    return f"{1000 * start:.0f} and {1000 * end:.0f}"


def _meets(word: Word, true: SpokenWord) -> bool:
    shared = min(word.end_frame / RATE, true.end_s) - max(word.start_frame / RATE, true.start_s)
    return shared > 0.3 * min(true.end_s - true.start_s, (word.end_frame - word.start_frame) / RATE)


def _right_speaker(mixed: Sound, truth: tuple[SpokenWord, ...]) -> float:
    speakers = tell_apart(mixed, find_voicing(mixed), find_activity(mixed).audible, 2)
    wanted = np.full(len(speakers), -1)
    for word in truth:
        wanted[round(word.start_s * 100) : round(word.end_s * 100)] = 0 if word.voice == truth[0].voice else 1
    known = (wanted >= 0) & (speakers >= 0)
    right = float(np.mean(wanted[known] == speakers[known]))
    return max(right, 1 - right)


def _pauses() -> list[Row]:
    """Lines with known silence between, at several noise floors: what goes of the silence, and what is lost of the speech."""
    parts, spans, at = [], [], 0
    for x in clean_lines()[:24]:
        loud = np.flatnonzero(np.abs(x) > 10 ** (-52 / 20))
        line = x[loud[0] : loud[-1]]
        spans.append((at / RATE, (at + len(line)) / RATE))
        parts += [line, np.zeros(round(GAP_S * RATE))]
        at += len(line) + round(GAP_S * RATE)
    x = np.concatenate(parts).astype(np.float32)
    out = []
    for floor_db in FLOORS_DB:
        noise = np.random.default_rng(7).standard_normal(len(x)) * 10 ** (floor_db / 20)
        source = Sound((x + noise).astype(np.float32)[None], RATE)
        cuts = [(p.cut_start_s, p.cut_end_s) for p in find_pauses([(0.0, find_activity(source))], PauseSettings(), len(x) / RATE)]
        silent = sum(max(min(d, b) - max(c, a), 0.0) for (_, a), (b, _) in pairwise(spans) for c, d in cuts)
        lost = max((_heard(x, max(c, a), min(d, b), floor_db) for a, b in spans for c, d in cuts if min(d, b) > max(c, a)), default=0.0)
        share = silent / (GAP_S * (len(spans) - 1))
        out.append(
            (
                f"pauses of {GAP_S:.0f} s over a noise floor of {floor_db} dBFS",
                f"{100 * share:.0f} % taken out, at most {1000 * lost:.0f} ms of speech lost a cut",
            )
        )
    return out


def _heard(x: np.ndarray, start_s: float, end_s: float, floor_db: float) -> float:
    """Seconds of a stretch that stand out of the noise."""
    part = x[round(start_s * RATE) : round(end_s * RATE)]
    frames = part[: len(part) // 240 * 240].reshape(-1, 240)
    levels = 10 * np.log10(np.mean(frames**2, axis=1) + 1e-12) if len(frames) else np.zeros(0)
    return float(np.count_nonzero(levels > max(floor_db, -60)) * 0.005)
