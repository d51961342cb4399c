"""Makes what is learnt from: talk in simulated rooms, with and without noise, through the treatments that come before, in bands; beside it the same talk close by.

    python training/room_mask/pairs.py VOICES OUT --count 300 --seed 1 [--judged]

Writes OUT/SEED.npz: `bands` (clips, frames, 5, BANDS), the four that the network hears and what the room's decay alone would leave, and `truth` (clips, frames, BANDS),
decibels in half precision, and `level` (clips,).
"""

from __future__ import annotations

import argparse
import time
from pathlib import Path

import numpy as np
from scipy import signal
from voices import JUDGED, LEARNT, RATE, files_of, talk

from dubbin.core import jobs
from dubbin.core.jobs import Task
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.dereverb import DereverbSettings
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.room_mask import band_edges, in_bands, speech_level
from dubbin.core.treat.room_prediction import bands_of, dereverb_stft, predict_away
from dubbin.core.treat.stft import power
from dubbin.core.treat.suppressor import suppression_gains
from dubbin.demo.faults import fan_noise
from dubbin.demo.room import room_response

SECONDS, EARLY_S = 20, 0.05


def response(rng: np.random.Generator) -> np.ndarray:
    """A room, from a vocal booth to a hall, near and far; now and then only noise that dies away."""
    rt60 = float(rng.choice([rng.uniform(0.15, 0.45), rng.uniform(0.3, 0.9)]))
    size = np.array((rng.uniform(2.4, 6.5), rng.uniform(2.2, 5.5), rng.uniform(2.2, 3.2)))
    speaker, angle = rng.uniform(0.25, 0.75, 3) * size, rng.uniform(0, 2 * np.pi)
    away = rng.uniform(0.15, 1.6) * np.array((np.cos(angle), np.sin(angle), 0.3 * rng.standard_normal()))
    h = room_response(RATE, rt60, tuple(size), tuple(speaker), tuple(np.clip(speaker + away, 0.2, size - 0.2)), int(rng.integers(1 << 30)))
    first = int(np.argmax(np.abs(h) > 0.5))
    h = h[first:]
    # Walls take more from the top than from the bottom: the tail dies away faster there, by a share of its own for every room.
    n = np.arange(len(h)) / RATE
    low = signal.sosfilt(signal.butter(2, rng.uniform(800, 4000), fs=RATE, output="sos"), h)
    faster = np.exp(-6.908 * n * rng.uniform(0, 0.8) / rt60)
    h = low + (h - low) * faster
    return h.astype(np.float32)


def noise(rng: np.random.Generator, count: int) -> np.ndarray:
    kind = rng.integers(4)
    if kind == 0:
        x = fan_noise(count, RATE, int(rng.integers(1 << 30)))
    else:
        x = rng.standard_normal(count)
        if kind == 3:
            x = shaped(x, rng)
        elif kind == 1:
            x = signal.lfilter([0.05, -0.096, 0.051, -0.0044], [1, -2.495, 2.017, -0.522], x)
    return (x / np.std(x)).astype(np.float32)


def shaped(x: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Noise of no kind in particular: a smooth spectrum, drawn at random in octaves, 8 dB up and down."""
    octaves = np.log2(np.maximum(np.fft.rfftfreq(len(x), 1 / RATE), 20) / 20)
    return np.fft.irfft(np.fft.rfft(x) * 10 ** (np.interp(octaves, np.arange(11), rng.normal(0, 8, 11) - 4 * np.arange(11)) / 20), len(x))


def clip(files: list[Path], rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, float]:
    x = talk(files, SECONDS, rng)
    x = signal.sosfilt(signal.butter(2, 60, "high", fs=RATE, output="sos"), x).astype(np.float32)
    if rng.random() < 0.08:
        close = y = x
    else:
        h = response(rng)
        near = h.copy()
        near[int(EARLY_S * RATE) :] = 0
        y, close = (signal.oaconvolve(x, a)[: len(x)].astype(np.float32) for a in (h, near))
    loud = float(np.sqrt(np.mean(y**2)))
    if rng.random() < 0.55:
        y = y + noise(rng, len(y)) * loud * 10 ** (-rng.uniform(6, 30) / 20)
        denoise = TREATMENTS["denoise"]
        strength = float(rng.choice([1.0, rng.uniform(0.6, 1.0)]))
        y = Chain(Sound(y[None].astype(np.float32), RATE), [Use(denoise, denoise.settings_type(), strength)]).read(0, len(y))[0]
    else:
        y = y + noise(rng, len(y)) * loud * 10 ** (-rng.uniform(35, 65) / 20)
    y = np.ascontiguousarray(y, np.float32)
    dereverb = TREATMENTS["dereverb"]
    found = dereverb.analyse(Sound(y[None], RATE), dereverb.settings_type(), Task())
    stft = dereverb_stft(RATE)
    powers = predict_away(stft.analyse(y), found, 0, stft, RATE, 0)
    edges = band_edges(RATE, stft.frame)
    decay = suppression_gains(powers.after, powers.late + 1e-14, floor=db_to_gain(-DereverbSettings().depth_db))
    bands = [*bands_of(powers, edges), in_bands(powers.after * decay, edges)]
    level = speech_level(powers.before.mean(axis=1))
    truth = in_bands(power(stft.analyse(close)), edges)
    db = lambda B: 10 * np.log10(B + 1e-14)  # noqa: E731
    return np.stack([db(B) for B in bands], 1).astype(np.float16), db(truth).astype(np.float16), level


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("voices", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--count", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--judged", action="store_true")
    given = parser.parse_args()
    jobs.CORES = 1
    rng = np.random.default_rng(given.seed)
    names = JUDGED if given.judged else LEARNT
    files = [files_of(given.voices, name) for name in names]
    print({name: len(some) for name, some in zip(names, files, strict=True)}, flush=True)
    given.out.mkdir(parents=True, exist_ok=True)
    made, start = [], time.monotonic()
    for k in range(given.count):
        made.append(clip(files[k % len(files)], rng))
        if k % 25 == 24 or k == given.count - 1:
            bands, truth, level = (np.stack([m[i] for m in made]) for i in range(3))
            np.savez(given.out / f"{'judged-' if given.judged else ''}{given.seed}.npz", bands=bands, truth=truth, level=level)
            print(f"{k + 1} clips, {time.monotonic() - start:.0f} s", flush=True)


if __name__ == "__main__":
    main()
