"""How well the blind measure of room echo does: rooms of all sizes, near and far, with and without noise."""

from __future__ import annotations

import degraded
import numpy as np
from degraded import noise_of, speech_rms
from scipy import signal
from scores import RATE, Mono

from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound.source import Sound
from dubbin.demo.room import room_response

ROOMS, SEED = 36, 77  # of another seed than those that the measure was fitted on
SNRS_DB = (60, 35, 25)


def decay_s(response: Mono) -> float:
    """RT60 of a response, from -5 to -25 dB of its backward integral (ISO 3382-2, T20)."""
    energy = np.cumsum(response[::-1] ** 2)[::-1]
    level = 10 * np.log10(energy / energy[0] + 1e-12)
    return float(3 * (np.argmax(level < -25) - np.argmax(level < -5)) / RATE)


def noise_tail(rng: np.random.Generator, rt60: float) -> Mono:
    """A direct sound and noise that dies away (Polack's model), 3 dB above to 9 dB below it."""
    n = np.arange(round(1.5 * rt60 * RATE))
    out = rng.standard_normal(len(n)) * np.exp(-6.908 * n / RATE / rt60)
    out[: RATE * 3 // 1000] = 0
    out *= 10 ** (rng.uniform(-9, 3) / 20) / np.sqrt(np.sum(out**2))
    out[0] = 1
    return out


def rows() -> list[tuple[str, str]]:
    rng, clips, errors = np.random.default_rng(SEED), degraded.clips(3, 20), []
    for k in range(ROOMS):
        rt60 = rng.uniform(0.2, 0.9)
        size = np.array((rng.uniform(2.8, 6), rng.uniform(2.6, 5), rng.uniform(2.3, 3)))
        speaker, angle = rng.uniform(0.3, 0.7, 3) * size, rng.uniform(0, 2 * np.pi)
        away = rng.uniform(0.25, 1.2) * np.array((np.cos(angle), np.sin(angle), 0.0))
        microphone = np.clip(speaker + away, 0.3, size - 0.3)
        if k % 3 == 2:
            response, truth = noise_tail(rng, rt60), rt60
        else:
            response = room_response(RATE, rt60, tuple(size), tuple(speaker), tuple(microphone), k)
            truth = decay_s(response)
        x = signal.oaconvolve(clips[k % len(clips)].sound, response)[: len(clips[k % len(clips)].sound)]
        x += noise_of(2, len(x), k) * speech_rms(x) * 10 ** (-SNRS_DB[k // 3 % 3] / 20)
        measured = measure_echo(Sound((0.5 * x).astype(np.float32)[None], RATE)).rt60_s
        errors.append(abs((measured or 0.0) / truth - 1))
    near, half = np.mean(np.array(errors) <= 0.25), np.quantile(errors, 0.5)
    return [
        (
            f"room echo measured blind, {ROOMS} rooms of 0.2 to 0.9 s, noise down to 25 dB",
            f"{100 * near:.0f} % within 25 %, half of them within {100 * half:.0f} %",
        )
    ]
