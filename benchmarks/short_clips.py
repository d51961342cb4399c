"""Clips of a few seconds, often without a pause: how many real voices are told to be noisy or to hum, as they are and with noise or hum put in."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile as sf
from degraded import noise_of
from scores import Mono

from dubbin.core.measure.findings import CLEAN_FLOOR_DB, CLEAN_SNR_DB
from dubbin.core.measure.hum import find_hum
from dubbin.core.measure.noise import NoiseMeter
from dubbin.core.sound.source import Sound

LENGTHS_S, EVERY_S = (3.0, 4.0, 6.0), 1.1
SNR_DB, HUM_DBFS, HARMONICS, HARMONIC_FALL_DB = 25.0, -60.0, 5, 6.0
Row = tuple[str, str, str, str]


def rows(folder: Path) -> list[Row]:
    """(fault, method, before, after): of clips as they are, and with the fault in them, the share in which it is told."""
    out = []
    for length_s in LENGTHS_S:
        told: list[tuple[bool, bool, bool, bool, float]] = []
        for k, (x, rate) in enumerate(_clips(folder, length_s)):
            level = np.sqrt(np.mean(np.square(x)))
            hiss = (noise_of(0, len(x), k) * level * 10 ** (-SNR_DB / 20)).astype(np.float32)
            floor = _meter(x + hiss, rate).result().floor_dbfs
            assert floor is not None
            wrong = abs(floor - 20 * float(np.log10(level)) + SNR_DB)
            told.append((_is_noisy(x, rate), _is_noisy(x + hiss, rate), _hums(x, rate), _hums(x + _hum(len(x), rate, k), rate), wrong))
        noisy, with_noise, humming, with_hum, wrong_db = np.array(told, float).T
        name = f"{len(told)} clips of {length_s:.0f} s"
        out.append((f"{name}, noise at {SNR_DB:.0f} dB", "Dubbin, noise floor", f"told for {noisy.mean():.1%} as they are",
                    f"told for {with_noise.mean():.1%}; wrong by {np.median(wrong_db):.1f} dB ({np.quantile(wrong_db, 0.99):.1f} in one of a hundred)"))  # fmt: skip
        out.append(
            (
                f"{name}, hum at {HUM_DBFS:.0f} dBFS",
                "Dubbin, hum",
                f"told for {humming.mean():.1%} as they are",
                f"told for {with_hum.mean():.1%}",
            )
        )
    return out


def _clips(folder: Path, length_s: float) -> Iterator[tuple[Mono, int]]:
    for path in sorted(folder.glob("*.flac")):
        x, rate = sf.read(path, dtype="float32")
        for start in np.arange(0.0, len(x) / rate - length_s, EVERY_S):
            clip = x[round(start * rate) : round((start + length_s) * rate)]
            if np.std(clip) > 1e-3:  # somebody speaks
                yield clip, rate


def _meter(x: Mono, rate: int) -> NoiseMeter:
    meter = NoiseMeter(rate, 1)
    meter.push(x[None])
    return meter


def _is_noisy(x: Mono, rate: int) -> bool:
    found = _meter(x, rate).result()
    if found.at_most:
        return False
    return found.floor_dbfs is not None and found.snr_db is not None and found.floor_dbfs > CLEAN_FLOOR_DB and found.snr_db < CLEAN_SNR_DB


def _hums(x: Mono, rate: int) -> bool:
    return find_hum(Sound(x[None], rate)) is not None


def _hum(frames: int, rate: int, seed: int) -> Mono:
    rng, t = np.random.default_rng(seed), np.arange(frames) / rate
    base = 50.0 + rng.uniform(-0.1, 0.1)
    parts = (
        10 ** (-HARMONIC_FALL_DB * h / 20) * np.sin(2 * np.pi * base * (h + 1) * t + rng.uniform(0, 2 * np.pi)) for h in range(HARMONICS)
    )
    x = np.sum(list(parts), axis=0)
    return (x * 10 ** (HUM_DBFS / 20) / np.sqrt(np.mean(x**2))).astype(np.float32)
