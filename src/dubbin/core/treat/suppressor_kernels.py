"""The compiled part of `suppressor`: its passes over a stretch, bin by bin, a frame's bins together in vector instructions."""

from __future__ import annotations

from typing import Any

import numpy as np

from dubbin.core.kernel import F32, inlined, kernel
from dubbin.core.treat.fast_math_kernels import exp2, log2

DECISION_WEIGHT = 0.9  # of the last frame in the first pass's a priori SNR
SMOOTH_WEIGHT = 0.8  # of the first pass's speech, three frames wide, in the second pass's a priori SNR
FIRST_FLOOR = 0.1  # gain floor of the first pass
LOWEST_SNR = np.float32(10.0 ** (-20.0 / 10.0))
HIGHEST_RATIO = np.float32(1e4)
# Speech is taken for absent where the a priori SNR of the surroundings lies below the first, for present above the second.
ABSENT_DB, PRESENT_DB = -4.0, 5.0
LEAST_PRESENT = np.float32(0.05)

ZERO, QUARTER, HALF, ONE = np.float32(0.0), np.float32(0.25), np.float32(0.5), np.float32(1.0)
FIFTEENTH = np.float32(1.0 / 15.0)
LEAST, LEAST_NOISE, LEAST_GAIN = np.float32(1e-6), np.float32(1e-20), np.float32(1e-9)
NATS = np.float32(1.0 / np.log(2.0))
DECISION, FRESH = np.float32(DECISION_WEIGHT), np.float32(1.0 - DECISION_WEIGHT)
SMOOTH, ROUGH = np.float32(SMOOTH_WEIGHT), np.float32(1.0 - SMOOTH_WEIGHT)
FIRST_FLOOR_POWER = np.float32(FIRST_FLOOR**2)
# Presence grows with the level of the surroundings, in octaves of power, between the two limits.
OCTAVE_DB = 10.0 * np.log10(2.0)
ABSENT_OCTAVES = np.float32(ABSENT_DB / OCTAVE_DB)
PER_OCTAVE = np.float32(OCTAVE_DB / (PRESENT_DB - ABSENT_DB))
MOST_V = np.float32(60.0)
LSA_TOP = 8.0
# exp(E1(v) / 2) * sqrt(v), of which the estimator's gain is made, is smooth: this polynomial in v / (LSA_TOP / 2) - 1, a Chebyshev fit of the least relative error, is good
# to 2e-6 from 0 to LSA_TOP; above, exp(E1(v) / 2) is 1 to 2e-5. As numbers, since the library that has E1 takes a fifth of a second to import.
LSA_POLYNOMIAL = (
    0.0039823423,
    -0.010243079,
    0.010318426,
    -0.0039211866,
    -0.015526019,
    0.0701858,
    -0.21366191,
    0.98356694,
    2.0037825,
)  # highest power first
LSA_HIGHEST, LSA_SCALE = np.float32(LSA_TOP), np.float32(2.0 / LSA_TOP)
H8, H7, H6, H5, H4, H3, H2, H1, H0 = (np.float32(c) for c in LSA_POLYNOMIAL)


@inlined(fastmath=True)
def lsa(v: Any, wiener: Any) -> Any:
    """The gain of the log-spectral estimator; v: a posteriori SNR times the Wiener gain."""
    v = min(max(v, LEAST), LSA_HIGHEST)
    t = v * LSA_SCALE - ONE
    h = H0 + t * (H1 + t * (H2 + t * (H3 + t * (H4 + t * (H5 + t * (H6 + t * (H7 + t * H8)))))))
    return min(wiener * h / np.sqrt(v), ONE)


@inlined(fastmath=True)
def decide(x: F32, low: F32, high: F32, rest: np.float32, loud: np.float32, before: F32, w: F32, v: F32, ratio: F32, speech: F32) -> None:
    """First pass over a frame of power x (bins,), by the decision-directed rule.

    low, high: (bins,) noise before and after, rest, loud: their shares. before: (bins,) the last frame's speech over the noise, which is written anew. w, v: (bins,)
    room to work in. Writes ratio (bins,), power over noise, and speech (bins,), that of the speech over the noise."""
    bins = len(x)
    for k in range(bins):
        ratio[k] = min(x[k] / max(low[k] * rest + high[k] * loud, LEAST_NOISE), HIGHEST_RATIO)
    for k in range(bins):
        xi = max(DECISION * before[k] + FRESH * max(ratio[k] - ONE, ZERO), LOWEST_SNR)
        w[k] = xi / (ONE + xi)
    for k in range(bins):
        v[k] = lsa(ratio[k] * w[k], w[k])
    for k in range(bins):
        clean = v[k] * v[k] * ratio[k]
        before[k] = clean
        speech[k] = max(clean, FIRST_FLOOR_POWER * ratio[k])


@inlined(fastmath=True)
def prior(before: F32, here: F32, after: F32, ratio: F32, xi: F32, wide: F32) -> None:
    """Write xi (bins,): a priori SNR from the first pass's speech in this frame and both beside it (bins,); and wide (bins,), its sum over five bins.

    ratio: (bins,) power over noise."""
    bins = len(xi)
    for k in range(bins):
        mean = QUARTER * (before[k] + after[k]) + HALF * here[k]
        xi[k] = max(SMOOTH * mean + ROUGH * max(ratio[k] - ONE, ZERO), LOWEST_SNR)
    for k in range(2, bins - 2):
        wide[k] = xi[k - 2] + xi[k - 1] + xi[k] + xi[k + 1] + xi[k + 2]
    for k in (0, 1, bins - 2, bins - 1):
        total = ZERO
        for j in range(-2, 3):
            total += xi[min(max(k + j, 0), bins - 1)]
        wide[k] = total


@inlined(fastmath=True)
def gains_of(ratio: F32, xi: F32, near: F32, floor: np.float32, log_floor: np.float32, p: F32, v: F32, gain: F32, out: F32) -> None:
    """Second pass over a frame: write the gains into out (bins,), from the a priori SNR xi and how likely speech is, by the level `near` around.

    ratio: (bins,) power over noise. floor: lowest gain, log_floor its log2. p, v, gain: (bins,) room to work in."""
    bins = len(out)
    for k in range(bins):
        level = log2(near[k])
        p[k] = max(min((level - ABSENT_OCTAVES) * PER_OCTAVE, ONE), LEAST_PRESENT)
    for k in range(bins):
        gain[k] = xi[k] / (ONE + xi[k])
        v[k] = max(ratio[k] * gain[k], LEAST)
    for k in range(bins):
        gain[k] = lsa(v[k], gain[k])
    for k in range(bins):
        p[k] = p[k] / (p[k] + (ONE - p[k]) * (ONE + xi[k]) * exp2(-min(v[k], MOST_V) * NATS))
    for k in range(bins):
        gain[k] = log2(gain[k] + LEAST_GAIN)
    for k in range(bins):
        out[k] = max(exp2(p[k] * (gain[k] - log_floor) + log_floor), floor)


@kernel(fastmath=True)
def look(P: F32, noise: F32, at: F32, level: F32, floor: np.float32, gains: F32, near: F32) -> None:
    """Both passes, the second two frames behind the first, so that all between them stays in the nearest cache.

    P: (frames, bins). noise: (steps, bins), of which frame t has the one at place at[t], times level[t]. Writes gains and near,
    the a priori SNR's mean over 5 bins and 3 frames, both of P's shape. Every frame is gone through in short loops: a processor
    works on several vectors at once where each needs few steps.
    """
    frames, bins = P.shape
    before, w, v, g = np.zeros(bins, np.float32), np.empty(bins, np.float32), np.empty(bins, np.float32), np.empty(bins, np.float32)
    ratio, speech = np.empty((4, bins), np.float32), np.empty((4, bins), np.float32)
    xi, wide = np.empty((4, bins), np.float32), np.empty((4, bins), np.float32)
    steps, last = noise.shape[0], frames - 1
    log_floor = log2(floor)
    for t in range(frames + 2):
        if t < frames:
            n = min(int(at[t]), steps - 1)
            share = np.float32(at[t] - n)
            rest, loud = (ONE - share) * level[t], share * level[t]
            decide(P[t], noise[n], noise[min(n + 1, steps - 1)], rest, loud, before, w, v, ratio[t % 4], speech[t % 4])
        u = t - 1
        if 0 <= u < frames:
            b, a = max(u - 1, 0) % 4, min(u + 1, last) % 4
            prior(speech[b], speech[u % 4], speech[a], ratio[u % 4], xi[u % 4], wide[u % 4])
        u = t - 2
        if u >= 0:
            c, d, e = wide[max(u - 1, 0) % 4], wide[u % 4], wide[min(u + 1, last) % 4]
            out = near[u]
            for k in range(bins):
                out[k] = (c[k] + d[k] + e[k]) * FIFTEENTH
            gains_of(ratio[u % 4], xi[u % 4], out, floor, log_floor, w, v, g, gains[u])
