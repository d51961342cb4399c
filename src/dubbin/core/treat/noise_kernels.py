"""The compiled part of `noise_track`."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, F64, I64, inlined, kernel
from dubbin.core.treat.fast_math_kernels import exp2, log2

AROUND = (4, 9)  # frames and bins of the neighbourhood that is judged
SPEECH_FROM, STEEPNESS = 1.3, 8.0  # times the noise, where a neighbourhood counts half; how sharp that edge is
HIGHEST_RATIO = np.float32(20.0)  # of one bin, so that a single peak does not rule out its neighbourhood

ZERO, ONE, LEAST, LEAST_RATIO, LEAST_WEIGHT = (np.float32(c) for c in (0.0, 1.0, 1e-20, 1e-6, 1e-5))
STEEP, EDGE = np.float32(STEEPNESS / np.log(2.0)), np.float32(SPEECH_FROM)
BEFORE, SIDE = AROUND[0] // 2, AROUND[1] // 2
SHARE = np.float32(1.0 / (AROUND[0] * AROUND[1]))
MOST = np.float32(40.0)


@inlined()
def over(P: F32, noise: F32, place: np.float32, row: F32) -> None:
    """Write into row (bins,) the power P (bins,) over the noise (steps, bins) at a place among its steps."""
    steps = noise.shape[0]
    n = min(int(place), steps - 1)
    m = min(n + 1, steps - 1)
    share = np.float32(place - n)
    low, high = noise[n], noise[m]
    for k in range(len(row)):
        row[k] = P[k] / max(low[k] * (ONE - share) + high[k] * share, LEAST)


@kernel(fastmath=True)
def weigh(P: F32, noise: F32, place: F32, level: F32, segment: I64, count: int) -> tuple[F64, F64]:
    """Weighted sums of P (frames, bins), and the weights, (count, bins) each: a bin weighs by how little speech there is in its neighbourhood.

    noise: (steps, bins), of which frame t has the one at place[t] (frames,), times level[t] (frames,). segment: (frames,) to which of the `count` sums a frame
    belongs."""
    frames, bins = P.shape
    ratio = np.empty((frames, bins), np.float32)
    row, wide = np.empty(bins, np.float32), np.empty(bins + 2 * SIDE, np.float32)
    values, weights = np.zeros((count, bins)), np.zeros((count, bins))
    for t in range(frames):
        over(P[t], noise, place[t], row)
        for k in range(bins):
            wide[k + SIDE] = min(row[k] / level[t], HIGHEST_RATIO)
        for k in range(SIDE):
            wide[k] = wide[SIDE]
            wide[bins + SIDE + k] = wide[bins + SIDE - 1]
        out = ratio[t]
        for k in range(bins):
            out[k] = wide[k]
        for j in range(1, 2 * SIDE + 1):
            later = wide[j:]
            for k in range(bins):
                out[k] += later[k]
    for t in range(frames):
        for k in range(bins):
            row[k] = 0
        for j in range(AROUND[0]):
            near = ratio[min(max(t - BEFORE + j, 0), frames - 1)]
            for k in range(bins):
                row[k] += near[k]
        for k in range(bins):
            height = min(max(STEEP * (row[k] * SHARE - EDGE), -MOST), MOST)
            row[k] = ONE / (ONE + exp2(height)) + LEAST_WEIGHT
        x, v, w = P[t], values[segment[t]], weights[segment[t]]
        share = ONE / level[t]
        for k in range(bins):
            v[k] += row[k] * x[k] * share
        for k in range(bins):
            w[k] += row[k]
    return values, weights


@kernel(fastmath=True)
def bands(P: F32, noise: F32, place: F32, edges: I64) -> F32:
    """(frames, bands) mean of log2 of P (frames, bins) over the noise (steps, bins) at place (frames,): a mean that a few loud partials hardly move.

    edges: (bands + 1,) first bins of the bands, and one past the last."""
    frames, bins = P.shape
    row = np.empty(bins, np.float32)
    out = np.empty((frames, len(edges) - 1), np.float32)
    for t in range(frames):
        over(P[t], noise, place[t], row)
        for k in range(bins):
            row[k] = log2(max(row[k], LEAST_RATIO))
        for b in range(len(edges) - 1):
            total = ZERO
            for k in range(edges[b], edges[b + 1]):
                total += row[k]
            out[t, b] = total / max(edges[b + 1] - edges[b], 1)
    return out
