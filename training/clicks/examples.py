"""Examples to learn from: talk of real people with clicks put into it, and the features of all that stands out there.

    python training/clicks/examples.py VOICES EXAMPLES.npz [--clips N] [--seed N]

VOICES as in `training/room_mask/README.md`.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import numpy as np
import soxr

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "room_mask"))
from voices import JUDGED, LEARNT, files_of, talk

from dubbin.core.measure.clicks import candidates_in
from dubbin.core.measure.masking import powers

RATE = 48000
SECONDS = 24.0
RATES, RATE_SHARES = (48000, 44100, 16000, 96000), (0.62, 0.2, 0.13, 0.05)
NEAR_S = 0.0002


def ringing(length: float, hz: float, rise: float, fall: float, noise: float, rng: np.random.Generator) -> np.ndarray:
    """A struck resonance, partly noise. length, rise: samples."""
    n = np.arange(int(4 * length) + 1)
    tone = np.cos(2 * np.pi * hz / RATE * n + rng.uniform(0, 2 * np.pi))
    wave = (1 - np.exp(-(n + 1) / rise)) * np.exp(-fall * n / length) * ((1 - noise) * tone + noise * rng.standard_normal(len(n)))
    return wave / np.max(np.abs(wave))


def waves(kind: str, rng: np.random.Generator) -> list[tuple[int, np.ndarray]]:
    """One click, as (samples after its begin, wave) of each of its parts."""
    if kind == "digital":
        return [(0, rng.choice([-1, 1]) * rng.uniform(0.6, 1, int(rng.integers(1, 5))))]
    if kind == "step":  # a jump that the microphone's capacitor takes back
        fall = rng.uniform(8, 60)
        return [(0, rng.choice([-1, 1]) * np.exp(-np.arange(int(4 * fall)) / fall))]
    if kind == "vinyl":
        return [(0, ringing(rng.uniform(5, 80), rng.uniform(1000, 10000), 2.0, 2.5, rng.uniform(0, 0.7), rng))]
    out, at = [], 0
    for _ in range(int(rng.choice([1, 2, 3], p=[0.5, 0.4, 0.1]))):
        wave = ringing(rng.uniform(12, 110), rng.uniform(1200, 8000), rng.uniform(0.5, 8), rng.uniform(2, 4), rng.uniform(0, 0.6), rng)
        out.append((at, rng.uniform(0.4, 1) * wave))
        at += int(rng.uniform(0.005, 0.025) * RATE)
    return out


def with_clicks(x: np.ndarray, a_second: float, rng: np.random.Generator) -> tuple[np.ndarray, list[tuple[int, int]]]:
    """What is put into x, and where its body lies."""
    added, places = np.zeros(len(x)), []
    loud = np.sqrt(np.mean(x[np.abs(x) > 0.02 * np.max(np.abs(x))] ** 2))
    for place in np.sort(rng.integers(RATE // 4, len(x) - RATE // 4, rng.poisson(len(x) / RATE * a_second))):
        kind = str(rng.choice(["mouth", "vinyl", "digital", "step"], p=[0.5, 0.28, 0.14, 0.08]))
        gain = loud * 10 ** (rng.uniform(-22, 6 if kind == "mouth" else 14) / 20)
        for after, wave in waves(kind, rng):
            at = place + after
            wave = wave[: len(x) - at]
            added[at : at + len(wave)] += gain * wave
            body = np.flatnonzero(np.abs(wave) > 0.1 * np.max(np.abs(wave)))
            places.append((at + int(body[0]), at + int(body[-1]) + 1))
    return added, places


def worn(x: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """The talk as it may have been recorded: a floor of noise, sometimes clipped, or with the room's first reflections."""
    y = x.astype(np.float64)
    if rng.random() < 0.25:
        taps = np.zeros(int(0.03 * RATE))
        taps[0] = 1.0
        for _ in range(int(rng.integers(3, 12))):
            taps[rng.integers(RATE // 500, len(taps))] += rng.normal(0, 0.25)
        y = np.convolve(y, taps)[: len(x)]
    y += rng.standard_normal(len(x)) * np.std(y) * 10 ** (-rng.uniform(25, 70) / 20)
    if rng.random() < 0.15:
        most = np.max(np.abs(y)) * 10 ** (-rng.uniform(1, 8) / 20)
        y = np.clip(y, -most, most) if rng.random() < 0.5 else most * np.tanh(y / most)
    return y


def examples(x: np.ndarray, a_second: float, rate: int, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """(features, how much each rises above the sound in dB; -99 where nothing was put)."""
    added, places = with_clicks(x, a_second, rng)
    y = x + added
    if rate != RATE:
        x, y = soxr.resample(x, RATE, rate), soxr.resample(y, RATE, rate)
        places = [(a * rate // RATE, -(-b * rate // RATE)) for a, b in places]
    x, y = x.astype(np.float32), y.astype(np.float32)
    found, seen = candidates_in(y, rate)
    click, cover = powers(y, x, places, rate) if places else (np.zeros((0, 1)), np.ones((0, 1)))
    rises = 10 * np.log10(np.max((click + 1e-18) / (cover + 1e-18), axis=1, initial=0))
    near, out = NEAR_S * rate, np.full(len(found), -99.0)
    for k, (a, b) in enumerate(found):
        over = [rise for (c, d), rise in zip(places, rises, strict=True) if c < b + near and d > a - near]
        out[k] = max(over, default=-99.0)
    return seen, out


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("voices", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--clips", type=int, default=20, help="of each voice")
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    rng = np.random.default_rng(asked.seed)
    kept: list[tuple[np.ndarray, np.ndarray, int, float]] = []
    for number, voice in enumerate((*LEARNT, *JUDGED)):
        files = files_of(asked.voices, voice)
        for _ in range(asked.clips):
            x = worn(talk(files, SECONDS, rng), rng)
            a_second, rate = float(rng.choice([0.0, 0.5, 2.5])), int(rng.choice(RATES, p=RATE_SHARES))
            kept.append((*examples(x, a_second, rate, rng), number, a_second))
        print(voice, sum(len(k[1]) for k in kept), flush=True)
    np.savez(
        asked.out,
        features=np.concatenate([k[0] for k in kept]).astype(np.float32),
        rises=np.concatenate([k[1] for k in kept]),
        voice=np.concatenate([np.full(len(k[1]), k[2]) for k in kept]),
        clean=np.concatenate([np.full(len(k[1]), k[3] == 0.0) for k in kept]),
        clean_s=np.array([SECONDS * sum(k[3] == 0.0 and k[2] == v for k in kept) for v in range(len(LEARNT) + len(JUDGED))]),
    )


if __name__ == "__main__":
    main()
