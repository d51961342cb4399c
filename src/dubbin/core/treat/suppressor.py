"""How much of each bin is speech: a log-spectral amplitude estimator in two passes over a whole stretch.

The first pass goes forward in time with the decision-directed rule. The second takes the first one's estimate of the
speech, before and after each frame, as its a priori SNR: an estimate without the lag that blurs the starts of words,
and smooth enough to leave no musical noise.

Sources: Ephraim and Malah, "Speech enhancement using a minimum mean-square error log-spectral amplitude estimator",
IEEE TASSP 1985; Cohen and Berdugo, "Speech enhancement for non-stationary noise environments", Signal Processing 2001
(presence probability and gain floor); Plapous, Marro and Scalart, "Improved signal-to-noise ratio estimation for speech
enhancement", IEEE TASLP 2006 (two steps).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dubbin.core.treat import quick_math

DECISION_WEIGHT = 0.9  # of the last frame in the first pass's a priori SNR
SMOOTH_WEIGHT = 0.8  # of the first pass's speech, three frames wide, in the second pass's a priori SNR
FIRST_FLOOR = 0.1  # gain floor of the first pass
LOWEST_SNR = 10.0 ** (-20.0 / 10.0)
HIGHEST_RATIO = 1e4
# Speech is taken for absent where the a priori SNR of the surroundings lies below the first, for present above the second.
ABSENT_DB, PRESENT_DB = -4.0, 5.0
MOST_ABSENT = 0.95


@lru_cache(maxsize=1)
def _kernels() -> tuple[Any, Any, Any]:
    from numba import njit

    log2, exp2 = quick_math.kernels()
    one, least, nats = np.float32(1.0), np.float32(1e-6), np.float32(1.0 / np.log(2.0))
    decision, smooth = np.float32(DECISION_WEIGHT), np.float32(SMOOTH_WEIGHT)
    lowest, highest = np.float32(LOWEST_SNR), np.float32(HIGHEST_RATIO)
    first_floor = np.float32(FIRST_FLOOR**2)
    # Presence grows with the level of the surroundings between the two limits.
    octave_db = 10.0 * np.log10(2.0)
    absent_octaves = np.float32(ABSENT_DB / octave_db)
    per_octave = np.float32(octave_db / (PRESENT_DB - ABSENT_DB))
    most = np.float32(MOST_ABSENT)

    # The exponential integral E1 after Abramowitz and Stegun, 5.1.53 (up to 1) and 5.1.54 (from 1 on).
    e0, e1, e2, e3, e4, e5 = (np.float32(c) for c in (-0.57721566, 0.99999193, -0.24991055, 0.05519968, -0.00976004, 0.00107857))
    n1, n2, d1, d2 = (np.float32(c) for c in (2.334733, 0.250621, 3.330657, 1.681534))
    half, nothing = np.float32(0.5), np.float32(0.0)
    octave = np.float32(np.log(2.0))

    @njit(nogil=True, inline="always", fastmath=True, error_model="numpy")
    def lsa(v, wiener):  # type: ignore[no-untyped-def]
        """The gain of the log-spectral estimator; v: a posteriori SNR times the Wiener gain."""
        v = min(max(v, least), np.float32(80.0))
        small = e0 + v * (e1 + v * (e2 + v * (e3 + v * (e4 + v * e5)))) - octave * log2(v)
        large = exp2(-v * nats) / v * ((v * v + n1 * v + n2) / (v * v + d1 * v + d2))
        integral = small if v < one else large
        return min(wiener * exp2(half * nats * integral), one)

    @njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
    def first(P, noise, at, level, ratio, speech):  # type: ignore[no-untyped-def]
        """ratio: power over noise; speech: that of the speech over the noise, by the decision-directed rule."""
        frames, bins = P.shape
        before = np.zeros(bins, np.float32)
        steps = noise.shape[0]
        for t in range(frames):
            n = min(int(at[t]), steps - 1)
            m = min(n + 1, steps - 1)
            share = np.float32(at[t] - n)
            for k in range(bins):
                here = (noise[n, k] * (one - share) + noise[m, k] * share) * level[t]
                r = min(P[t, k] / max(here, np.float32(1e-20)), highest)
                xi = max(decision * before[k] + (one - decision) * max(r - one, nothing), lowest)
                wiener = xi / (one + xi)
                gain = lsa(r * wiener, wiener)
                clean = gain * gain * r
                before[k] = clean
                ratio[t, k] = r
                speech[t, k] = max(clean, first_floor * r)

    @njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
    def prior(speech, ratio, xi, near):  # type: ignore[no-untyped-def]
        """xi: a priori SNR from the first pass, before and after; near: its mean over 5 bins and 3 frames."""
        frames, bins = ratio.shape
        wide = np.empty((3, bins), np.float32)
        fifth = np.float32(1.0 / 15.0)
        for t in range(frames + 1):
            if t < frames:
                b, a = max(t - 1, 0), min(t + 1, frames - 1)
                for k in range(bins):
                    s = np.float32(0.25) * (speech[b, k] + speech[a, k]) + np.float32(0.5) * speech[t, k]
                    xi[t, k] = max(smooth * s + (one - smooth) * max(ratio[t, k] - one, nothing), lowest)
                row = wide[t % 3]
                for k in range(2, bins - 2):
                    row[k] = xi[t, k - 2] + xi[t, k - 1] + xi[t, k] + xi[t, k + 1] + xi[t, k + 2]
                for k in (0, 1, bins - 2, bins - 1):
                    total = nothing
                    for j in range(-2, 3):
                        total += xi[t, min(max(k + j, 0), bins - 1)]
                    row[k] = total
            if t >= 1:
                u = t - 1
                c, d, e = max(u - 1, 0) % 3, u % 3, min(u + 1, frames - 1) % 3
                for k in range(bins):
                    near[u, k] = (wide[c, k] + wide[d, k] + wide[e, k]) * fifth

    @njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
    def second(ratio, xi, near, floor, out):  # type: ignore[no-untyped-def]
        frames, bins = ratio.shape
        log_floor = log2(floor)
        for t in range(frames):
            for k in range(bins):
                level = log2(near[t, k])
                absent = min(one - min(max((level - absent_octaves) * per_octave, nothing), one), most)
                x = xi[t, k]
                wiener = x / (one + x)
                v = max(ratio[t, k] * wiener, least)
                gain = lsa(v, wiener)
                p = one / (one + absent / (one - absent) * (one + x) * exp2(-min(v, np.float32(60.0)) * nats))
                out[t, k] = max(exp2(p * log2(gain + np.float32(1e-9)) + (one - p) * log_floor), floor)

    return first, prior, second


@dataclass(frozen=True)
class Suppression:
    """gains: (frames, bins), between the floor and 1. snr: power ratio of speech to noise around each bin, as estimated."""

    gains: NDArray[np.float32]
    snr: NDArray[np.float32]


def suppress(
    P: NDArray[np.float32],
    noise: NDArray[np.float32],
    at: NDArray[np.float32] | None = None,
    level: NDArray[np.float32] | None = None,
    *,
    floor: float,
) -> Suppression:
    """Look at power spectra P (frames, bins) over the noise's power.

    noise: of the same shape; or, with `at`, some spectra (steps, bins), of which frame t has the one at place at[t],
    blended from both neighbours. level: (frames,), a factor of the noise's power. A lower `floor` takes the noise further
    down where nobody speaks.
    """
    first, prior, second = _kernels()
    if at is None:
        at = np.arange(len(P), dtype=np.float32)
    if level is None:
        level = np.ones(len(P), np.float32)
    ratio, speech, xi, near = (np.empty(P.shape, np.float32) for _ in range(4))
    noise = np.ascontiguousarray(noise, np.float32)
    first(np.ascontiguousarray(P, np.float32), noise, at.astype(np.float32), level, ratio, speech)
    prior(speech, ratio, xi, near)
    second(ratio, xi, near, np.float32(floor), speech)
    return Suppression(speech, near)


def suppression_gains(P: NDArray[np.float32], noise: NDArray[np.float32], *, floor: float) -> NDArray[np.float32]:
    """The gains of `suppress` alone, with the noise's power given for every frame."""
    return suppress(P, noise, floor=floor).gains
