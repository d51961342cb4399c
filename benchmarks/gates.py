"""Recordings behind a gate: whether a noise floor is told where there is one to tell, and how far off it is."""

from __future__ import annotations

import numpy as np
from degraded import Clip, Pair, speech_rms
from scores import RATE, Mono

from dubbin.core.measure.gated import is_gated, tells_floor
from dubbin.core.measure.noise import NoiseMeter, noise_from_powers
from dubbin.core.sound.source import Sound

UNDER_SPEECH_DB, OVER_NOISE_DB = 20.0, 6.0  # where it opens
HOLDS_S = ((0.02, 0.0), (0.06, 0.03), (0.15, 0.03), (0.3, 0.1))  # after which it shuts, and how long it takes
FLOORS_DBFS = (-90.0, -65.0, -50.0)
Row = tuple[str, str, str, str]


def gate(x: Mono, opens_dbfs: float, hold_s: float, release_s: float) -> Mono:
    """Gain that is 0 from `hold_s` after the level of x over 10 ms was last above a threshold, after a straight fade."""
    level = np.convolve(x.astype(float) ** 2, np.full(RATE // 100, 100 / RATE))[: len(x)]
    hold, release = round(hold_s * RATE), round(release_s * RATE)
    last = np.maximum.accumulate(np.where(level > 10 ** (opens_dbfs / 10), np.arange(len(x)), -len(x)))
    since = np.arange(len(x)) - last - hold
    return np.clip(1.0 - since / max(release, 1), 0.0, 1.0).astype(np.float32)


def humming(found: list[Clip]) -> list[Pair]:
    """Hum of 50.05 Hz and 99 harmonics, 30 dB under voices behind a gate that shuts after .2 s."""
    out = []
    for clip in found:
        x, t = clip.sound, np.arange(len(clip.sound)) / RATE
        added = sum(np.sin(2 * np.pi * 50.05 * h * t + h) / h for h in range(1, 101))
        added *= np.sqrt(np.mean(x**2)) * 10 ** (-30 / 20) / np.sqrt(np.mean(added**2))
        gain = gate(x, 20 * np.log10(np.abs(x).max()) - 40.0, 0.2, 0.0)
        out.append(Pair(x * gain, ((x + added) * gain).astype(np.float32)))
    return out


def rows(found: list[Clip]) -> list[Row]:
    """(fault, method, before, after) for each gate and noise; levels in dBFS, the median and the loudest, of voices brought to a peak of .3."""
    out = []
    for hold_s, release_s in HOLDS_S:
        for floor in FLOORS_DBFS:
            told, softest, told_at = 0, [], []
            for k, clip in enumerate(found):
                x = 0.3 * clip.sound / np.abs(clip.sound).max()
                y = x + 10 ** (floor / 20) * np.random.default_rng(k).standard_normal(len(x))
                opens = max(20 * np.log10(speech_rms(x)) - UNDER_SPEECH_DB, floor + OVER_NOISE_DB)
                y = y.astype(np.float32)
                y *= gate(y, opens, hold_s, release_s)
                meter = NoiseMeter(RATE, 1)
                meter.push(y[None])
                powers = meter.frame_powers()
                level = noise_from_powers(powers).floor_dbfs
                assert level is not None
                softest.append(level)
                if not is_gated(powers) or tells_floor(Sound(y[None], RATE), powers):
                    told += 1
                    told_at.append(level)
            what = f"a gate that shuts after {hold_s} s, noise at {floor:.0f} dBFS"
            after = f"told for {told} of {len(found)}" + (f", at {np.median(told_at):.0f} dBFS ({np.max(told_at):.0f})" if told else "")
            out.append((what, "Dubbin, noise floor", f"softest sound {np.median(softest):.0f} dBFS ({np.max(softest):.0f})", after))
            print(*out[-1], flush=True)
    return out
