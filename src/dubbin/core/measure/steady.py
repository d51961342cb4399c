"""What keeps its frequency for long, told from what moves: shared by mains hum and other steady tones.

Multiplied by its own phase, step by step, a steady tone becomes a steady complex number and everything else a moving one. Speech is kept out by weights: at every instant an
estimate is a mean of its surroundings in which values far from the others hardly count (iteratively reweighted least squares with a Geman-McClure weight).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import neighbours

STEPS_PER_S = 20  # estimates a second; a window of two steps holds whole periods of 50 and 60 Hz
THINNED = 5
ROUNDS = 5  # of the mean and the weights
SMOOTH_S = 1.6  # one sigma of the mean over time
COHERENCE_S = 12.0  # over which a tone keeps its phase
ABOVE_CHANCE = 6.0  # times the power that is found by chance
SURE_S = 8.0


def products(x: NDArray[np.float32], *carriers: NDArray[np.complex128]) -> list[NDArray[np.complex64]]:
    """Of each set of carriers (harmonics, n): the sums of x (steps, n) times them, (steps, harmonics)."""
    from dubbin.core.measure import hum_kernels

    rows = np.concatenate([part for carrier in carriers for part in (carrier.real, carrier.imag)]).astype(np.float32)
    sums = np.empty((len(x), len(rows)), np.float32)
    hum_kernels.products(np.ascontiguousarray(x), rows, sums)
    parts = np.split(sums, 2 * len(carriers), axis=1)
    return [real + 1j * imaginary for real, imaginary in zip(parts[::2], parts[1::2], strict=True)]


def coherence(amplitudes: NDArray[np.complex64]) -> NDArray[np.float64]:
    """(channels, harmonics): power of the mean over long windows, over the mean power. Speech turns, hum stands."""
    size = min(int(COHERENCE_S * STEPS_PER_S), amplitudes.shape[2])
    inner = slice(size // 2, amplitudes.shape[2] - size // 2 + 1)
    out = np.empty(amplitudes.shape[:2])
    for place in np.ndindex(*out.shape):  # one by one: hours of all of them would take much memory
        a = amplitudes[place]
        kept = neighbours.uniform_filter1d(a.real, size) ** 2 + neighbours.uniform_filter1d(a.imag, size) ** 2
        total = neighbours.uniform_filter1d(np.abs(a) ** 2, size)
        out[place] = kept[inner].mean() / (total[inner].mean() + 1e-20)
    return out


def robust_mean(values: NDArray[np.complex64], smooth_s: float) -> tuple[NDArray[np.complex64], NDArray[np.float32]]:
    """Smooth mean of values (..., steps) over time, and the spread of the values that count; those that are 0 don't, which is digital silence."""
    from dubbin.core.measure import hum_kernels

    half = (round(2.0 * smooth_s * STEPS_PER_S) | 1) // 2
    # To begin with, what is weak counts: speech only ever adds.
    size = max(int(4 * SMOOTH_S * STEPS_PER_S / THINNED) | 1, 3)
    mean, spread = np.empty(values.shape, np.complex64), np.empty(values.shape, np.float32)
    for place in np.ndindex(*values.shape[:-1]):
        line = np.ascontiguousarray(values[place])
        thin = np.abs(line[::THINNED]) ** 2
        thin[thin == 0] = thin.max(initial=0.0)  # digital silence says nothing of what is weak
        quiet = np.repeat(neighbours.percentile_filter(thin, 25, size=size, mode="nearest"), THINNED)[: len(line)]
        hum_kernels.robust_mean(line, quiet, half, ROUNDS, mean[place], spread[place])
    return mean, spread
