"""Derumble: wind, handling and traffic below the voice go, the voice keeps its body.

A high-pass of linear phase under the lowest voice, forwards and aligned: what lies below is drawn out and subtracted. It is
drawn out at about a kilohertz, where the long filter that so sharp an edge wants costs next to nothing. The low rate's grid
is that of the recording, so a stretch comes out the same wherever it begins. Source: Crochiere and Rabiner, "Multirate digital signal processing",
Prentice-Hall 1983, chapter 6 (narrow filters by decimation and interpolation).
Limits: a plosive's thump reaches up into the voice; what of it lies above the edge stays.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound import fourier
from dubbin.core.sound.fir import band_taps, kaiser_beta, kaiser_taps
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

STOP_DB = 54.0
STOP_SHARE = 0.87  # the response falls from the pass edge to the stop edge, which lies this share below it
LOW_RATE = 1000.0  # Hz, about
MIRROR_DB = 80.0  # how far down what the change of rate folds over is


@dataclass(frozen=True)
class DerumbleSettings:
    """From where on the voice is left alone."""

    edge_hz: float = setting(
        78.0,
        30.0,
        150.0,
        tr("Hz"),
        tr("Keep above"),
        tr("The lowest frequency that stays as it is; a low man's voice begins at about 80 Hz."),
    )


@dataclass(frozen=True)
class LowBand:
    """Filters of odd length that draw out what lies below an edge. mirror: before and after the change of rate by `ratio`, at the
    high rate; low: at the low rate."""

    ratio: int
    mirror: NDArray[np.float32]
    low: NDArray[np.float32]

    def drawn(self, x: NDArray[np.float32], start_frame: int) -> NDArray[np.float32]:
        """The low band of x (frames,), of which the first frame is number `start_frame` of the recording."""
        from dubbin.core.treat.low_band_kernels import spread, thinned

        first = -start_frame % self.ratio  # of x's frames on the grid
        low = fourier.convolved(np.pad(thinned(x, self.mirror, first, self.ratio), len(self.low) // 2), self.low)
        out = np.zeros_like(x)
        # The filter's half stands before the first frame on the grid: it reaches the frames before that one.
        first -= len(self.low) // 2 * self.ratio
        spread(low, self.mirror * np.float32(self.ratio), first, self.ratio, out)
        return out


@lru_cache(maxsize=16)
def low_band(rate: int, edge_hz: float) -> LowBand:
    """Filters whose complement is 1 above `edge_hz` and STOP_DB down below STOP_SHARE of it."""
    ratio = max(1, round(rate / LOW_RATE))
    low_rate = rate / ratio
    stop_hz = edge_hz * STOP_SHARE
    taps = kaiser_taps(STOP_DB, (edge_hz - stop_hz) / (low_rate / 2))
    low = band_taps((0.0, (edge_hz + stop_hz) / 2), low_rate, np.kaiser(taps, kaiser_beta(STOP_DB)))
    taps = kaiser_taps(MIRROR_DB, (low_rate - 2 * edge_hz) / (rate / 2))
    mirror = band_taps((0.0, low_rate / 2), rate, np.kaiser(taps, kaiser_beta(MIRROR_DB))) if ratio > 1 else np.ones(1)
    return LowBand(ratio, mirror.astype(np.float32), low.astype(np.float32))


class Derumble(Treatment):
    """What lies below the voice taken out."""

    name: ClassVar[str] = "derumble"
    title: ClassVar[str] = tr("Rumble")
    settings_type: ClassVar[type] = DerumbleSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("rumble_dbfs", tr("below 65 Hz"), "dBFS", 1, lambda r: r.tone.rumble_dbfs),)
    lead_s: ClassVar[float] = 0.5
    tail_s: ClassVar[float] = 0.5
    changes_little: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DerumbleSettings, task: Task) -> None:
        """Nothing is looked for: the band is that of the settings."""
        return None

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) without what lies below the edge; the phase of the rest stays."""
        band = low_band(context.rate, context.settings.edge_hz)
        return np.stack([channel - band.drawn(channel, context.start_frame) for channel in x])
