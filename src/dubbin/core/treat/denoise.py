"""Denoise: background noise is taken down between and under the words.

Two engines. The statistical one follows the spectrum of the noise, or learns it from a selection that holds noise alone, and
weighs every bin by how likely it is speech: transparent, for noise that stays much the same. The neural one knows what
voices sound like: it takes away changing noise too (a kitchen, a street), at the price of deciding what a voice is.

Limits: below about 5 dB of SNR the voice gets thin; the neural engine takes music away with the noise.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any, ClassVar

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded
from dubbin.core.treat import deep_filter
from dubbin.core.treat.noise_track import NoiseTrack, profile_track, track_noise
from dubbin.core.treat.settings import setting
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains
from dubbin.core.treat.treatment import Context, Treatment

FRAME_S, OVERLAP = 0.036, 4


class Engine(StrEnum):
    STATISTICAL = "statistical"
    NEURAL = "neural"


@dataclass(frozen=True)
class DenoiseSettings:
    """depth_db: how far the statistical engine takes the noise down at full strength; the neural one takes all that it
    hears as noise. noise_from_s: a stretch (start, end in seconds of the
    recording) that holds noise alone, for the statistical engine; None follows the noise by itself."""

    depth_db: float = setting(
        20.0, 6.0, 40.0, "dB", "Depth", "How far the statistical engine takes the noise down at full strength."
    )
    engine: Engine = Engine.NEURAL
    noise_from_s: tuple[float, float] | None = None


def denoise_stft(rate: int) -> Stft:
    hop = max(16, round(FRAME_S * rate / OVERLAP / 16) * 16)
    return Stft(hop * OVERLAP, hop)


@dataclass(frozen=True)
class NeuralStart:
    """The running means of the network's features at every second of the recording, for each channel."""

    means: tuple[tuple[deep_filter.Means, ...], ...]


class Denoise(Treatment):
    name: ClassVar[str] = "denoise"
    title: ClassVar[str] = "Noise"
    settings_type: ClassVar[type] = DenoiseSettings
    tile_s: ClassVar[float] = 30.0
    lead_s: ClassVar[float] = 4.0  # in which the network's state settles; the statistical engine needs a third of it
    tail_s: ClassVar[float] = 0.1

    def analyse(self, source: Source, settings: DenoiseSettings, task: Task) -> Any:
        if settings.engine is Engine.NEURAL:
            return _neural_start(source, task)
        stft = denoise_stft(source.rate)
        if settings.noise_from_s is None:
            return track_noise(source, stft, task)
        start, stop = (round(s * source.rate) for s in settings.noise_from_s)
        start, stop = max(0, start), min(source.frames, stop)
        if stop - start < stft.frame:
            raise ValueError(f"the noise profile is too short: {settings.noise_from_s} s")
        return profile_track(source, stft, start, stop)

    def process(self, x: Samples, context: Context) -> Samples:
        if context.settings.engine is Engine.NEURAL:
            return _neural(x, context)
        return _statistical(x, context, db_to_gain(-context.settings.depth_db))


def _statistical(x: Samples, context: Context, floor: float) -> Samples:
    stft = denoise_stft(context.rate)
    track: NoiseTrack = context.findings
    out = np.empty_like(x)
    for channel in range(x.shape[0]):
        X = stft.analyse(x[channel])
        centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
        X *= suppression_gains(power(X), track.at(channel, centres), floor=floor)
        out[channel] = stft.synthesise(X, x.shape[1])
    return out


def _neural_start(source: Source, task: Task) -> NeuralStart:
    """The features' running means at every second, so that a stretch goes on where the one before would have been."""
    hops = deep_filter.RATE // deep_filter.HOP
    means = [[deep_filter.start_means()] for _ in range(source.channels)]
    overlap = round(source.rate * deep_filter.HOP / deep_filter.RATE)
    for start in range(0, source.frames - source.rate, source.rate):
        task.step(start / max(source.frames, 1))
        x = read_padded(source, start - overlap, start + source.rate)
        for channel in range(source.channels):
            y = _resampled(x[channel], source.rate, deep_filter.RATE)
            # Frame 1 of the stretch begins at its first sample, as frame 0 of the second itself does.
            X = deep_filter.analyse(y)[1 : hops + 1]
            means[channel].append(deep_filter.features(X, means[channel][-1])[2])
    return NeuralStart(tuple(tuple(m) for m in means))


def _neural(x: Samples, context: Context) -> Samples:
    """What the network leaves out is taken from x; so sound above its 24 kHz stays, and alignment is exact."""
    start: NeuralStart = context.findings
    network = deep_filter.deep_filter()
    skip = max(-context.start_frame, 0)  # before the recording there is nothing to settle on
    second = max(context.start_frame, 0) // context.rate
    out = x.copy()
    for channel in range(x.shape[0]):
        y = _resampled(x[channel, skip:], context.rate, deep_filter.RATE)
        known = start.means[channel]
        X = deep_filter.analyse(y)
        clean = deep_filter.synthesise(network.enhance(X, known[min(second, len(known) - 1)]), len(y))
        residue = _resampled(y - clean, deep_filter.RATE, context.rate)
        count = min(len(residue), x.shape[1] - skip)
        out[channel, skip : skip + count] -= residue[:count]
    return out


def _resampled(x: NDArray[np.float32], rate: int, to_rate: int) -> NDArray[np.float32]:
    if rate == to_rate:
        return x
    return np.asarray(soxr.resample(x, rate, to_rate, quality="HQ"), np.float32)
