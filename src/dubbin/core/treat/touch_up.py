"""Touch-ups: one sound in one place, a phone that rings or a chair that squeaks, marked on the spectrogram.

A marked rectangle of time and frequency is either taken down by so many decibels, or filled in: whatever stands above the
sound of the same pitch shortly before and after is held down to that. Nothing is invented, and what lies outside
the rectangle stays as it is. Limits: speech in the rectangle is held down with the rest.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded
from dubbin.core.texts import tr
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.treatment import Context, Treatment

FRAME_S, OVERLAP = 0.032, 4
AROUND_S = 0.25  # before and after a rectangle: the surroundings that fill it
SOFT_BINS = 2.0  # over which the edge in frequency fades
LEAST = 1e-3


@dataclass(frozen=True)
class Spot:
    """A rectangle: seconds of the recording, Hz. depth_db: how far it goes down; None: filled in from its surroundings."""

    start_s: float
    end_s: float
    low_hz: float
    high_hz: float
    depth_db: float | None = None


@dataclass(frozen=True)
class TouchUpSettings:
    """The rectangles that a person marked."""

    spots: tuple[Spot, ...] = ()


@dataclass(frozen=True)
class Surroundings:
    """For every spot, power of each bin before and after it: (spots, 2, channels, bins)."""

    power: NDArray[np.float32]


class TouchUp(Treatment):
    """Single sounds taken down, or filled in from what is around them."""

    name: ClassVar[str] = "touch-up"
    title: ClassVar[str] = tr("Touch-ups")
    settings_type: ClassVar[type] = TouchUpSettings
    lead_s: ClassVar[float] = 0.1
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True
    mends_places: ClassVar[bool] = True

    def analyse(self, source: Source, settings: TouchUpSettings, task: Task) -> Surroundings:
        """What sounds around each spot: power of each bin before and behind it."""
        stft = _stft(source.rate)
        out = np.zeros((len(settings.spots), 2, source.channels, stft.bins), np.float32)
        around = round(AROUND_S * source.rate)
        for k, spot in enumerate(settings.spots):
            task.step(k / len(settings.spots))
            start, end = round(spot.start_s * source.rate), round(spot.end_s * source.rate)
            sides = ((start - around - stft.frame, start - stft.frame // 2), (end + stft.frame // 2, end + around + stft.frame))
            for side, (a, b) in enumerate(sides):
                x = read_padded(source, a, b)
                for channel in range(source.channels):
                    P = stft.powers(x[channel])[OVERLAP - 1 : -(OVERLAP - 1)]
                    out[k, side, channel] = np.median(P, axis=0) if len(P) else 0.0
            for side, missing in ((0, start <= 0), (1, end >= source.frames)):
                if missing:
                    out[k, side] = out[k, 1 - side]
        return Surroundings(out)

    def is_idle(self, findings: Surroundings) -> bool:
        """Whether there are no spots."""
        return len(findings.power) == 0

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with every spot taken down in its band: by its depth, or to what sounds before and behind it."""
        out = x.copy()
        begin, end = context.start_frame / context.rate, (context.start_frame + x.shape[1]) / context.rate
        near = [k for k, s in enumerate(context.settings.spots) if s.start_s < end and s.end_s > begin]
        if not near:
            return out
        stft = _stft(context.rate)
        for channel in range(x.shape[0]):
            X = stft.analyse(x[channel])
            centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
            Y = X.copy()
            for k in near:
                spot = context.settings.spots[k]
                Y *= _gains(power(Y), spot, context.findings.power[k, :, channel], centres / context.rate, context.rate)
            out[channel] -= stft.synthesise(X - Y, x.shape[1])
        return out


def _stft(rate: int) -> Stft:
    hop = max(16, round(FRAME_S * rate / OVERLAP / 16) * 16)
    return Stft(hop * OVERLAP, hop)


def _gains(P: NDArray[np.float32], spot: Spot, around: NDArray[np.float32], time_s: NDArray[np.float64], rate: int) -> NDArray[np.float32]:
    """Gain (frames, bins) that treats one spot; 1 outside of it."""
    hz = np.arange(P.shape[1]) * rate / (2 * (P.shape[1] - 1))
    per_bin = hz[1]
    edge = np.minimum(hz - spot.low_hz, spot.high_hz - hz) / (SOFT_BINS * per_bin) + 0.5
    bins = np.clip(edge, 0.0, 1.0)
    inside = ((time_s >= spot.start_s) & (time_s <= spot.end_s)).astype(np.float32)
    if spot.depth_db is not None:
        gain: Any = db_to_gain(-spot.depth_db)
    else:
        share = np.clip((time_s - spot.start_s) / max(spot.end_s - spot.start_s, 1e-6), 0.0, 1.0)[:, None]
        wanted = around[0][None] * (1.0 - share) + around[1][None] * share
        gain = np.clip(np.sqrt(wanted / np.maximum(P, 1e-20)), LEAST, 1.0)
    return np.asarray(1.0 - (1.0 - gain) * inside[:, None] * bins[None], np.float32)
