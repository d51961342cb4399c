"""The spectrum of the noise under the speech, as it changes through a recording.

Because the whole recording is there, the noise is estimated from both sides of an instant: first a low quantile of
each bin over several seconds (speech leaves most bins free most of the time), then a mean of the spectra weighted by
how unlikely speech is in them.

Sources: Gerkmann and Hendriks, "Unbiased MMSE-based noise power estimation with low complexity and low tracking
delay", IEEE TASLP 2012 (presence probability); Stahl, Fischer and Bippus, "Quantile based noise estimation for
spectral subtraction and Wiener filtering", ICASSP 2000.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.treat.stft import Stft, power

STEP_S = 1.0  # one noise spectrum each
STRETCH_S = 24.0  # looked at together
QUANTILE = 0.25
QUANTILE_WINDOW_S = 6.0
PRESENCE_SNR = 10.0 ** (15.0 / 10.0)  # a priori SNR of speech where it is present (Gerkmann: 15 dB)
SILENCE = 1e-14  # power a bin below which a frame is digital silence


@dataclass(frozen=True)
class NoiseTrack:
    """spectra: (channels, steps, bins) power for the STFT it was made with; step: frames between spectra,
    the first at step / 2."""

    spectra: NDArray[np.float32]
    step: int

    def at(self, channel: int, centres: NDArray[np.int64]) -> NDArray[np.float32]:
        """Noise power (len(centres), bins) at sample positions, interpolated."""
        spectra = self.spectra[channel]
        place = np.clip(centres / self.step - 0.5, 0, len(spectra) - 1)
        low = np.floor(place).astype(np.int64)
        high = np.minimum(low + 1, len(spectra) - 1)
        share = (place - low).astype(np.float32)[:, None]
        return spectra[low] * (1 - share) + spectra[high] * share


def profile_track(source: Source, stft: Stft, start: int, stop: int) -> NoiseTrack:
    """A constant noise spectrum learned from frames start to stop, which hold noise alone."""
    x = read_padded(source, start, stop)
    spectra = [np.mean(power(stft.analyse(channel)), axis=0) for channel in x]
    return NoiseTrack(np.stack(spectra)[:, None, :].astype(np.float32), source.rate)


def track_noise(source: Source, stft: Stft, task: Task) -> NoiseTrack:
    """The noise spectrum at every second of a source."""
    rate = source.rate
    step = round(STEP_S * rate)
    steps = max(1, -(-source.frames // step))
    per_stretch = round(STRETCH_S / STEP_S)
    around = round(QUANTILE_WINDOW_S * rate)
    spectra = np.zeros((source.channels, steps, stft.bins), np.float32)
    for first in range(0, steps, per_stretch):
        task.step(first / steps)
        count = min(per_stretch, steps - first)
        begin = max(0, first * step - around)
        end = min(source.frames, (first + count) * step + around)
        x = source.read(begin, end)
        centres = (first + np.arange(count)) * step + step // 2 - begin
        for channel in range(source.channels):
            spectra[channel, first : first + count] = _track(x[channel], stft, rate, centres)
    return NoiseTrack(spectra, step)


def _track(x: NDArray[np.float32], stft: Stft, rate: int, centres: NDArray[np.int64]) -> NDArray[np.float32]:
    P = power(stft.analyse(x))
    alive = P.mean(axis=1) > SILENCE
    if not alive.any():
        return np.zeros((len(centres), stft.bins), np.float32)
    positions = (np.arange(len(P)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2)[alive]
    P = P[alive]
    reach = QUANTILE_WINDOW_S / 2 * rate
    spans = [_at_least(FEWEST, len(P), *np.searchsorted(positions, [c - reach, c + reach])) for c in centres]
    smooth = ndimage.uniform_filter1d(P[::THINNED], 3, axis=1, mode="nearest")
    noise = np.empty((len(centres), stft.bins), np.float32)
    for k, (low, high) in enumerate(spans):
        near = smooth[low // THINNED : max(high // THINNED, low // THINNED + 1)]
        rank = int(QUANTILE * (len(near) - 1))
        noise[k] = np.partition(near, rank, axis=0)[rank] * QUANTILE_BIAS
    for _ in range(2):
        noise = _refine(P, noise, positions, centres, spans)
    return noise


# Mean over the 0.25 quantile of the mean of three neighbouring, overlapping bins of noise (measured on white noise).
QUANTILE_BIAS = 1.0 / 0.53
THINNED = 4  # every fourth frame is enough for the quantile: frames overlap by three quarters
FEWEST = 120  # frames that an estimate needs


def _at_least(count: int, total: int, low: int, high: int) -> tuple[int, int]:
    """Bounds widened to `count` frames where there are as many."""
    missing = max(count - (high - low), 0)
    low = max(0, low - missing // 2)
    return int(low), int(min(total, max(high + missing // 2, low + min(count, total))))


def _refine(
    P: NDArray[np.float32],
    noise: NDArray[np.float32],
    positions: NDArray[np.int64],
    centres: NDArray[np.int64],
    spans: list[tuple[int, int]],
) -> NDArray[np.float32]:
    """Mean of the spectra P (frames, bins) around each centre, each weighing what speech leaves to it."""
    place = np.clip(np.interp(positions, centres, np.arange(len(centres))), 0, len(centres) - 1)
    low = place.astype(np.int64)
    share = (place - low).astype(np.float32)[:, None]
    here = noise[low] * (1 - share) + noise[np.minimum(low + 1, len(centres) - 1)] * share
    ratio = ndimage.uniform_filter1d(P / np.maximum(here, 1e-20), 3, axis=0, mode="nearest")
    gain = np.float32(PRESENCE_SNR / (1.0 + PRESENCE_SNR))
    absent = 1.0 / (1.0 + np.exp(np.minimum(ratio * gain, 60.0)) / np.float32(1.0 + PRESENCE_SNR))
    weight = absent + np.float32(1e-6)
    value = weight * np.minimum(P, 6.0 * here)
    out = np.empty_like(noise)
    for k, (a, b) in enumerate(spans):
        out[k] = value[a:b].sum(axis=0) / weight[a:b].sum(axis=0)
    return out
