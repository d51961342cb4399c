"""Denoise: background noise that stays much the same is taken down between and under the words.

A listener gets the same voice in a quieter room. The noise is followed through the recording by itself or
learned from a selection that holds noise alone. Limits: sounds as short as speech (a door, a bark) stay; below
about 5 dB of SNR the voice gets thin.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.noise_track import NoiseTrack, profile_track, track_noise
from dubbin.core.treat.settings import setting
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains
from dubbin.core.treat.treatment import Context, Treatment

FRAME_S, OVERLAP = 0.032, 4


@dataclass(frozen=True)
class DenoiseSettings:
    """depth_db: how far the noise goes down at full strength. noise_from_s: a stretch (start, end in seconds of the
    recording) that holds noise alone; None follows the noise by itself."""

    depth_db: float = setting(
        24.0, 6.0, 40.0, "dB", "Depth", "How far the noise goes down at full strength. Deeper is drier."
    )
    noise_from_s: tuple[float, float] | None = None


def denoise_stft(rate: int) -> Stft:
    hop = max(16, round(FRAME_S * rate / OVERLAP / 16) * 16)
    return Stft(hop * OVERLAP, hop)


class Denoise(Treatment):
    name: ClassVar[str] = "denoise"
    title: ClassVar[str] = "Noise"
    settings_type: ClassVar[type] = DenoiseSettings
    lead_s: ClassVar[float] = 1.0
    tail_s: ClassVar[float] = 0.1

    def analyse(self, source: Source, settings: DenoiseSettings, task: Task) -> NoiseTrack:
        stft = denoise_stft(source.rate)
        if settings.noise_from_s is None:
            return track_noise(source, stft, task)
        start, stop = (round(s * source.rate) for s in settings.noise_from_s)
        start, stop = max(0, start), min(source.frames, stop)
        if stop - start < stft.frame:
            raise ValueError(f"the noise profile is too short: {settings.noise_from_s} s")
        return profile_track(source, stft, start, stop)

    def process(self, x: Samples, context: Context) -> Samples:
        stft = denoise_stft(context.rate)
        out = np.empty_like(x)
        floor = db_to_gain(-context.settings.depth_db)
        for channel in range(x.shape[0]):
            X = stft.analyse(x[channel])
            centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
            noise = context.findings.at(channel, centres)
            X *= suppression_gains(power(X), noise, floor=floor)
            out[channel] = stft.synthesise(X, x.shape[1])
        return out
