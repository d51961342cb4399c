"""How near to the sound the edges of words lie on recordings of real people: what was said is put together anew, with short gaps whose ends are known.

Where words of a sentence run into each other nobody can say to a hundredth where one ends; where somebody pauses it can be measured. So the truth here is
where an utterance begins and ends: what its first word begins with, and its last one ends with.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from numpy.typing import NDArray

from dubbin.core.folders import user_folders
from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.models import THOROUGH, find_model
from dubbin.core.speech.recogniser import recognise, recogniser
from dubbin.core.speech.turns import own_speech
from dubbin.core.speech.word_edges import find_features, refine_edges
from dubbin.demo.recordings import RATE

Row = tuple[str, str]
Span = tuple[float, float]
GAPS_S = (0.06, 0.1, 0.16, 0.25, 0.4)
NOISE_DBFS = -66.0  # between them
# Against the loud of an utterance: what is kept of it; what counts as spoken, in a recording that is quiet enough, and else over its noise.
KEPT_DB, SPOKEN_DB, OVER_NOISE_DB = -40.0, -32.0, 10.0
STEP_S, RUN = 0.005, 3  # an utterance begins with so many steps in a row that can be heard
NOISE_SHARE, LOUD_SHARE = 3, 95  # percentiles of the levels of steps
SAME_S = 0.5  # a word that lies further away is another one
LONGEST_S = 12.0  # of an utterance: in a longer one there are pauses of which nothing is known


@dataclass(frozen=True)
class Errors:
    """Of first words' starts and last words' ends, in seconds, positive where they come late; how many utterances have no word."""

    starts: NDArray[np.float64]
    ends: NDArray[np.float64]
    without: int

    def __str__(self) -> str:
        means = " and ".join(f"{1000 * np.abs(e).mean():.0f}" for e in (self.starts, self.ends))
        late = " and ".join(f"{1000 * np.median(e):+.0f}" for e in (self.starts, self.ends))
        return f"{means} ms (usually {late})"


def levels_of(x: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """RMS in dB of steps of (frames,), each with the one before it."""
    size = round(STEP_S * rate)
    power = (x[: len(x) // size * size].reshape(-1, size).astype(np.float64) ** 2).mean(axis=1)
    return np.asarray(10 * np.log10(np.convolve(power, [0.5, 0.5], "same") + 1e-12))


def audible_span(levels: NDArray[np.float64], least_db: float) -> tuple[int, int] | None:
    """First and one past the last step above so much against the loud ones; None where there is none."""
    runs = (
        np.flatnonzero(np.convolve(levels > np.percentile(levels, LOUD_SHARE) + least_db, np.ones(RUN), "valid") == RUN)
        if len(levels) >= RUN
        else []
    )
    return (int(runs[0]), int(runs[-1]) + RUN) if len(runs) else None


def put_together(x: NDArray[np.float32], rate: int, utterances: Sequence[Span], seed: int = 5) -> tuple[Sound, list[Span]]:
    """Utterances of a recording (frames,) one after the other with short gaps, over a faint noise; where each is spoken, in seconds."""
    rng = np.random.default_rng(seed)
    parts: list[NDArray[np.float32]] = [np.zeros(rate // 2, np.float32)]
    pieces = [x[round(a * rate) : round(b * rate)] for a, b in utterances if b - a < LONGEST_S]
    levels = [levels_of(piece, rate) for piece in pieces]
    noise_db = np.percentile(np.concatenate([v - np.percentile(v, LOUD_SHARE) for v in levels if len(v)]), NOISE_SHARE)
    spoken_db = max(SPOKEN_DB, float(noise_db) + OVER_NOISE_DB)
    size, at = round(STEP_S * rate), rate // 2
    spans = []
    for piece, level in zip(pieces, levels, strict=True):
        kept, spoken = audible_span(level, KEPT_DB), audible_span(level, spoken_db)
        if kept is None or spoken is None:
            continue
        part = piece[kept[0] * size : kept[1] * size]
        gap = round(float(rng.choice(GAPS_S)) * rate)
        spans.append(tuple((at + (edge - kept[0]) * size) / rate for edge in spoken))
        parts += [part, np.zeros(gap, np.float32)]
        at += len(part) + gap
    y = np.concatenate([*parts, np.zeros(rate // 2, np.float32)])
    y = (soxr.resample(y, rate, RATE) if rate != RATE else y).astype(np.float32)
    return Sound((y + rng.standard_normal(len(y)).astype(np.float32) * np.float32(10 ** (NOISE_DBFS / 20)))[None], RATE), spans


def errors_of(words: Sequence[HeardWord], spans: Sequence[Span]) -> Errors:
    """How far the first word of each utterance begins, and its last one ends, from where the utterance does."""
    starts, ends, without = [], [], 0
    for a, b in spans:
        inside = [w for w in words if a <= (w.start_s + w.end_s) / 2 <= b]
        if not inside:
            without += 1
            continue
        starts.append(inside[0].start_s - a)
        ends.append(inside[-1].end_s - b)
    near = [np.array([e for e in errors if abs(e) < SAME_S]) for errors in (starts, ends)]
    return Errors(near[0], near[1], without)


def rows(folder: Path) -> list[Row]:
    """folder: of recordings of real people (see the README there)."""
    model = recogniser(find_model(THOROUGH.name, user_folders().cache))
    out, found = [], []
    for name, entry in json.loads((folder / "utterances.json").read_text()).items():
        x, rate = sf.read(folder / f"{name}.flac", dtype="float32")
        sound, spans = put_together(x, rate, entry["utterances"])
        activity = find_activity(sound)
        raw, _ = recognise(sound, own_speech([(0.0, activity)])[0], model, language=name[-2:])
        better = refine_edges(raw, find_features(sound), activity, measure_echo(sound).rt60_s)
        found.append((errors_of(raw, spans), errors_of(better, spans)))
        heard = f"{len(spans) - found[-1][1].without} of {len(spans)} utterances with words"
        out.append((f"{name}: edges of words beside pauses, thorough model", f"{found[-1][0]} → {found[-1][1]}; {heard}"))
    means = [[1000 * np.mean([np.abs(getattr(pair[k], side)).mean() for pair in found]) for side in ("starts", "ends")] for k in (0, 1)]
    figure = " → ".join(f"{start:.0f} and {end:.0f}" for start, end in means)
    return [*out, ("edges of words beside pauses, mean error of starts and ends, mean of the voices", f"{figure} ms")]


if __name__ == "__main__":
    import sys

    for what, figure in rows(Path(sys.argv[1])):
        print(f"{what}: {figure}")
