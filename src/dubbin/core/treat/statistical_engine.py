"""The statistical engine of `denoise`: the spectrum of the noise, and how likely each bin is speech, with one window or two."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.level import db_to_gain
from dubbin.core.treat.noise_track import NoiseTrack
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import Suppression, suppress
from dubbin.core.treat.treatment import Context

OVERLAP = 4
WINDOWS_S = (0.024, 0.060)
LEAD_S = 1.0  # in which the decision-directed rule forgets where it began


def stft_of(rate: int, window_s: float) -> Stft:
    """The transform with windows of about `window_s` seconds at `rate` Hz, its frame a multiple of the overlap."""
    hop = max(16, round(window_s * rate / OVERLAP / 16) * 16)
    return Stft(hop * OVERLAP, hop)


def suppressed(X: NDArray[np.complex64], stft: Stft, track: NoiseTrack, channel: int, context: Context) -> Suppression:
    """Gains for spectra X (frames, bins) of a stretch of one channel. track: the noise as it is with the windows of `stft`."""
    centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
    floor = db_to_gain(-context.settings.depth_db)
    at, level = track.places(centres), track.noise_gains(channel, centres)
    return suppress(power(X), track.spectra[channel], at, level, floor=floor)


def suppressed_twice(x: NDArray[np.float32], channel: int, context: Context) -> NDArray[np.float32]:
    """A stretch (frames,) of one channel, treated: the mean of both windows."""
    out = np.zeros_like(x)
    for window_s, track in zip(WINDOWS_S, context.findings.tracks, strict=True):
        stft = stft_of(context.rate, window_s)
        X = stft.analyse(x)
        X *= suppressed(X, stft, track, channel, context).gains
        out += stft.synthesise(X, len(x))
    out /= np.float32(len(WINDOWS_S))
    return out
