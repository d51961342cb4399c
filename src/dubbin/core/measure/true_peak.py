"""True peak: the highest value of the wave between the samples.

What lies between the samples depends on the filter that draws it, most of all for clicks and hisses near the highest frequency: meters that all follow the
standard differ by half a decibel there. So the wave is drawn by a long filter at twice the standard's rate, and by the very filter that the standard prints, and
the higher of the two counts: a ceiling that holds here holds on other meters too. Source: ITU-R BS.1770-5, annex 2.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import fourier
from dubbin.core.sound.level import gain_to_db
from dubbin.core.sound.source import Samples

TAPS_PER_PHASE = 48  # the standard's filter has 12; these keep the response flat almost to the highest frequency
KAISER_BETA = 6.0
ROUNDING = 1.0001  # what 32 bit numbers may add
PIECE = 1024  # frames that are oversampled together, by FFT
TOGETHER = 4  # pieces through all filters at once: more of them fall out of the cache
PRINTED = (
    (0.001708984375, 0.010986328125, -0.0196533203125, 0.033203125, -0.0594482421875, 0.1373291015625,
     0.97216796875, -0.102294921875, 0.047607421875, -0.026611328125, 0.014892578125, -0.00830078125),
    (-0.0291748046875, 0.029296875, -0.0517578125, 0.089111328125, -0.16650390625, 0.465087890625,
     0.77978515625, -0.2003173828125, 0.1015625, -0.0582275390625, 0.0330810546875, -0.0189208984375),
)  # fmt: skip
"""The first two phases of the filter in annex 2, table 1; the other two are these backwards."""


def oversampling(rate: int) -> int:
    """How many times `rate` is raised: to twice the 192 kHz that the standard asks for at the usual rates."""
    return 8 if rate < 80000 else 4 if rate < 160000 else 2


@lru_cache(maxsize=4)
def interpolator(factor: int) -> NDArray[np.float32]:
    """Low-pass for interpolation by `factor`: linear phase, unity gain after zero stuffing."""
    n = np.arange(TAPS_PER_PHASE * factor + 1) - TAPS_PER_PHASE * factor / 2
    taps = np.sinc(n / factor) * np.kaiser(len(n), KAISER_BETA)
    return (factor * taps / np.sum(taps)).astype(np.float32)


@lru_cache(maxsize=4)
def between_filters(rate: int) -> tuple[NDArray[np.float32], ...]:
    """Filters of up to TAPS_PER_PHASE taps, each for an instant between frame TAPS_PER_PHASE / 2 - 1 and the next one."""
    factor = oversampling(rate)
    drawn = [interpolator(factor)[phase::factor] for phase in range(1, factor)]
    if rate >= 80000:
        return tuple(drawn)
    side = TAPS_PER_PHASE // 2 - 6
    printed = [np.pad(np.array(taps, np.float32), side) for half in PRINTED for taps in (half, half[::-1])]
    # Backwards the longest tap of a phase stands one earlier.
    return (*drawn, *printed)


@lru_cache(maxsize=4)
def reach_of(rate: int) -> tuple[float, float]:
    """(a, b) such that no value between samples exceeds a * highest sample + b * highest second difference around it.

    A filter is a line between the two samples beside its instant, and something that neither a constant nor a line passes: that part is a filter of the second
    differences, and can't give more than the sum of its taps times the highest of them. Speech bends little between two samples, so this is
    a few percent above its highest sample, where the sum of the filter's own taps would be nearly three times as high.
    """
    straight, bent, middle = 0.0, 0.0, TAPS_PER_PHASE // 2 - 1
    for taps in between_filters(rate):
        # Convolution turns the taps round; the instant is then the same distance from the other one of both samples.
        h = taps[::-1].astype(np.float64)
        slope = float(np.sum(h * (np.arange(len(h)) - middle)))
        left = float(np.sum(h)) - slope
        h[middle] -= left
        h[middle + 1] -= slope
        straight = max(straight, abs(left) + abs(slope))
        bent = max(bent, float(np.sum(np.abs(np.cumsum(np.cumsum(h))))))
    return straight * ROUNDING, bent * ROUNDING


def _reach(pieces: NDArray[np.float32], rate: int) -> NDArray[np.float32]:
    """What no value between the samples of pieces (n, frames) can exceed, (n,)."""
    from dubbin.core.measure.true_peak_kernels import extremes

    straight, bent = reach_of(rate)
    highest, bend = np.empty(len(pieces), np.float32), np.empty(len(pieces), np.float32)
    extremes(pieces, highest, bend)
    out: NDArray[np.float32] = straight * highest + bent * bend
    return out


class TruePeakMeter:
    """Streams blocks; `true_peak_dbtp` and `sample_peak_dbfs` hold for all that came.

    Pieces that can't raise the peak (`reach_of`) are not oversampled, which changes nothing in the result and saves nearly all of the work.
    """

    def __init__(self, rate: int, channels: int) -> None:
        self._rate = rate
        self._responses = np.stack([fourier.rfft(taps, PIECE) for taps in between_filters(rate)])
        self._tail: Samples = np.zeros((channels, TAPS_PER_PHASE), np.float32)
        self.peaks = np.zeros(channels)
        self.sample_peaks = np.zeros(channels)

    def push(self, x: Samples) -> None:
        """x: (channels, frames) float32."""
        if not x.shape[1]:
            return
        joined = np.concatenate([self._tail, x], axis=1)
        self.sample_peaks = np.maximum(self.sample_peaks, np.max(np.abs(x), axis=1))
        self._look(joined)
        self._tail = joined[:, -TAPS_PER_PHASE:].copy()

    def finish(self) -> None:
        """Look at the last frames too, whose surroundings reach past the end."""
        self._look(np.pad(self._tail, ((0, 0), (0, TAPS_PER_PHASE))))

    def _look(self, x: Samples) -> None:
        reach = _reach(x, self._rate) if x.shape[1] > 2 else np.full(len(x), np.inf)
        for channel in np.flatnonzero(reach > np.maximum(self.peaks, self.sample_peaks)):
            known = max(self.peaks[channel], self.sample_peaks[channel])
            self.peaks[channel] = max(self.peaks[channel], self._peak_between(x[channel], known))

    def _peak_between(self, x: NDArray[np.float32], known: float) -> float:
        """Highest value between the samples of x that have TAPS_PER_PHASE / 2 neighbours on both sides."""
        step = PIECE - TAPS_PER_PHASE
        count = max(1, -(-(len(x) - TAPS_PER_PHASE) // step))
        padded = np.pad(x, (0, count * step + TAPS_PER_PHASE - len(x)))
        pieces = np.lib.stride_tricks.sliding_window_view(padded, PIECE)[::step][:count]
        chosen = _reach(pieces, self._rate) > known
        if not chosen.any():
            return 0.0
        X = fourier.rfft(pieces[chosen])
        # In the last piece only what has its neighbours on both sides counts.
        last = len(x) - TAPS_PER_PHASE - (count - 1) * step if chosen[-1] else step
        best = 0.0
        for at in range(0, len(X), TOGETHER):
            between = fourier.irfft(X[at : at + TOGETHER, None] * self._responses, PIECE)[..., TAPS_PER_PHASE:]
            if at + TOGETHER >= len(X):
                between[-1, :, last:] = 0.0
            best = max(best, float(np.max(between)), -float(np.min(between)))
        return best

    @property
    def true_peak_dbtp(self) -> float:
        """Highest true peak so far; None of silence."""
        return gain_to_db(float(np.max(np.maximum(self.peaks, self.sample_peaks), initial=0.0)))

    @property
    def sample_peak_dbfs(self) -> float:
        """Highest sample so far; None of silence."""
        return gain_to_db(float(np.max(self.sample_peaks, initial=0.0)))


def peaks_around(x: Samples, rate: int, ignore_below: float = 0.0) -> NDArray[np.float32]:
    """For every frame the highest true peak, over all channels, between its two neighbours: (frames,).

    Where the samples are so low that no peak can reach `ignore_below` (amplitude), the sample itself is given:
    that saves the work where only high peaks matter.
    """
    out = np.max(np.abs(x), axis=0) if x.shape[1] else np.zeros(0, np.float32)
    if not x.shape[1]:
        return out
    phases = between_filters(rate)
    half, step = TAPS_PER_PHASE // 2, PIECE - TAPS_PER_PHASE
    count = -(-x.shape[1] // step)
    for channel in x:
        padded = np.pad(channel, (half, count * step + half - len(channel)))
        pieces = np.lib.stride_tricks.sliding_window_view(padded, PIECE)[::step][:count]
        chosen = np.flatnonzero(_reach(pieces, rate) > ignore_below)
        if not len(chosen):
            continue
        X = fourier.rfft(pieces[chosen])
        highest = np.zeros((len(chosen), step), np.float32)
        for phase in phases:
            between = fourier.irfft(X * fourier.rfft(phase, PIECE), PIECE)
            np.maximum(highest, np.abs(between[:, TAPS_PER_PHASE:]), out=highest)
        # Entry k lies between frame k and the one after or before it (by phase): both must answer for it.
        whole = np.zeros((count, step), np.float32)
        whole[chosen] = highest
        gaps = whole.reshape(-1)[: len(channel)]
        np.maximum(out, gaps, out=out)
        np.maximum(out[1:], gaps[:-1], out=out[1:])
        np.maximum(out[:-1], gaps[1:], out=out[:-1])
    return out
