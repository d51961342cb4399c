"""The faults of the demo recordings, each from a fixed seed and each with its truth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Mono = NDArray[np.float64]


def fan_noise(frames: int, rate: int, seed: int) -> Mono:
    """A desk fan: broad noise that falls towards the highs, two blade tones, breathing slowly; RMS 1."""
    rng = np.random.default_rng(seed)
    noise = scipy.signal.lfilter([1.0], [1.0, -0.93], rng.standard_normal(frames))
    n = np.arange(frames) / rate
    blades = 0.9 * np.sin(2 * np.pi * 118.0 * n) + 0.5 * np.sin(2 * np.pi * 236.0 * n + 1.0)
    breathing = 1.0 + 0.08 * np.sin(2 * np.pi * 0.11 * n)
    return normal((noise / np.std(noise) + 0.35 * blades) * breathing)


def hiss(frames: int, rate: int, seed: int) -> Mono:
    """A preamplifier: white noise with a little more of the lows; RMS 1."""
    rng = np.random.default_rng(seed)
    return normal(scipy.signal.lfilter([1.0], [1.0, -0.4], rng.standard_normal(frames)))


def hum(frames: int, rate: int, fundamental_hz: float, drift_hz: float, harmonics: int) -> Mono:
    """Mains hum whose fundamental wanders by drift_hz to both sides within three minutes; RMS 1."""
    n = np.arange(frames) / rate
    frequency = fundamental_hz + drift_hz * np.sin(2 * np.pi * n / 180.0)
    turn = np.exp(2j * np.pi * np.cumsum(frequency) / rate)
    out, power = np.zeros(frames), np.ones(frames, complex)
    for k in range(1, harmonics + 1):  # each is the one before, turned once more: a sine apiece takes five times as long
        power *= turn
        out += (power * (np.exp(0.7j * k * k) / k**1.1)).imag
    return normal(out)


@dataclass(frozen=True)
class Clicks:
    sound: Mono
    frames: tuple[int, ...]


def clicks(x: Mono, rate: int, count: int, seed: int) -> Clicks:
    """Impulses and short mouth clicks: a few samples to 2 ms, at random places of a recording x."""
    rng = np.random.default_rng(seed)
    out = np.zeros_like(x)
    places = np.sort(rng.choice(np.arange(rate, len(x) - rate, rate // 5), count, replace=False))
    places = places + rng.integers(0, rate // 8, count)
    for place in places:
        length = int(rng.integers(4, 2 * rate // 1000))
        n = np.arange(length)
        tone = np.cos(2 * np.pi * rng.uniform(1500, 7000) / rate * n + rng.uniform(0, 6.28))
        out[place : place + length] += rng.uniform(0.05, 0.28) * tone * np.exp(-5.0 * n / length) * rng.choice([-1, 1])
    return Clicks(out, tuple(int(p) for p in places))


def normal(x: Mono) -> Mono:
    return np.asarray(x / np.sqrt(np.mean(x**2)))
