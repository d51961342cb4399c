"""All that is measured about one recording, in one streamed pass."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.measure.clipping import Clipping, ClippingMeter
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.measure.noise import Noise, NoiseMeter
from dubbin.core.sound.source import Source, blocks


@dataclass(frozen=True)
class Suggestion:
    """A treatment that would answer a finding: its name, strength (0 to 100) and the reason, for people."""

    treatment: str
    strength: int
    because: str


@dataclass(frozen=True)
class RecordingReport:
    """Figures of a whole recording; None where they could not be measured."""

    rate: int
    channels: int
    duration_s: float
    loudness: Loudness
    noise: Noise
    clipping: Clipping
    dc_offset: float
    suggested: tuple[Suggestion, ...] = field(default=())


def measure_recording(source: Source, task: Task | None = None) -> RecordingReport:
    """Measure a source once through."""
    task = task or Task()
    loudness = LoudnessMeter(source.rate, source.channels)
    noise = NoiseMeter(source.rate, source.channels)
    clipping = ClippingMeter(source.rate, source.channels)
    total = np.zeros(source.channels)
    for start, x in blocks(source):
        task.step(start / max(source.frames, 1))
        loudness.push(x)
        noise.push(x)
        clipping.push(x)
        total += x.sum(axis=1, dtype=np.float64)
    noise_result = noise.result()
    mean = total / max(source.frames, 1)
    return RecordingReport(
        source.rate,
        source.channels,
        source.frames / source.rate,
        loudness.result(),
        noise_result,
        clipping.result(),
        float(mean[np.argmax(np.abs(mean))]) if source.channels else 0.0,
        suggest(noise_result),
    )


CLEAN_FLOOR_DB, CLEAN_SNR_DB = -70.0, 50.0


def suggest(noise: Noise) -> tuple[Suggestion, ...]:
    """The treatments that the figures ask for."""
    if noise.floor_dbfs is None or noise.floor_dbfs < CLEAN_FLOOR_DB:
        return ()
    if noise.snr_db is None or noise.snr_db > CLEAN_SNR_DB:
        return ()
    strength = int(np.clip(round(100 - (noise.snr_db - 20.0) * 0.8), 60, 95))
    because = f"noise floor {noise.floor_dbfs:.1f} dBFS, speech {noise.snr_db:.0f} dB above it"
    return (Suggestion("denoise", strength, because),)
