"""The compiled part of `hum`: a wandering fundamental and its harmonics made, and many scalar products at once."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import C64, F32, F64, inlined, kernel

ROUNDING = 1e-13  # of running sums of weights, where none of them counts


@kernel(fastmath=True)
def synthesise(phase: F64, amplitudes: C64, first: int, steps: int, start: int, step: float, length: int, out: F32) -> None:
    """Add the hum to out (channels, frames), a step after the other, in each of which phase and amplitudes run straight.

    phase: cycles of the fundamental at some steps. amplitudes: (channels, these steps, harmonics). first: which of all steps theirs is. steps: how many there are, one
    put before the recording's first and one after its last. start: frame of out's first. step: frames between steps. length: frame at which the hum ends."""
    channels, _, harmonics = amplitudes.shape
    size = int(step) + 2
    tr, ti = np.empty(size, np.float32), np.empty(size, np.float32)
    cr, ci = np.empty(size, np.float32), np.empty(size, np.float32)
    swap, share = np.empty(size, np.float32), np.empty(size, np.float32)
    position, end = max(start, 0), min(start + out.shape[1], length)
    while position < end:
        place = (position + 0.0) / step + 0.5  # steps, the one put before the first included
        left = min(max(int(np.floor(place)), 0), steps - 2)
        stop = end if left == steps - 2 else min(int(np.ceil((left + 0.5) * step)), end)
        count = min(max(stop - position, 1), size)
        for i in range(count):
            part = (position + i) / step + 0.5 - left
            cycles = phase[left - first] + (phase[left - first + 1] - phase[left - first]) * part
            angle = 2.0 * np.pi * (cycles - np.floor(cycles))
            tr[i], ti[i] = np.cos(angle), np.sin(angle)
            share[i] = min(max(part, 0.0), 1.0)
            cr[i], ci[i] = 1.0, 0.0
        for h in range(harmonics):
            for i in range(count):
                swap[i] = cr[i] * tr[i] - ci[i] * ti[i]
            for i in range(count):
                ci[i] = cr[i] * ti[i] + ci[i] * tr[i]
            for i in range(count):
                cr[i] = swap[i]
            for c in range(channels):
                a, b = amplitudes[c, left - first, h], amplitudes[c, left - first + 1, h]
                if a == 0 and b == 0:
                    continue
                ar, ai, dr, di = a.real, a.imag, b.real - a.real, b.imag - a.imag
                y = out[c, position - start :]
                for i in range(count):
                    y[i] += (ar + dr * share[i]) * cr[i] - (ai + di * share[i]) * ci[i]
        position += count


@kernel(fastmath=True)
def products(x: F32, rows: F32, out: F32) -> None:
    """out (count, n): the scalar products of every x (count, length) with every row (n, length), n a multiple of 4. The order of the sums is fixed."""
    length = x.shape[1]
    for r in range(0, len(rows), 4):
        a, b, c, d = rows[r], rows[r + 1], rows[r + 2], rows[r + 3]
        for k in range(len(x)):
            y = x[k]
            p = q = v = w = np.float32(0.0)
            for i in range(length):
                p += a[i] * y[i]
                q += b[i] * y[i]
                v += c[i] * y[i]
                w += d[i] * y[i]
            out[k, r], out[k, r + 1], out[k, r + 2], out[k, r + 3] = p, q, v, w


@inlined()
def running_mean(x: F64, half: int, out: F64) -> None:
    """Write into out (n,) the mean of x (n,) from half before to half after each value; the first and the last value go on beyond the ends."""
    n = len(x)
    total = x[0] * (half + 1)
    for i in range(1, half + 1):
        total += x[min(i, n - 1)]
    share = 1.0 / (2 * half + 1)
    for i in range(n):
        out[i] = total * share
        total += x[min(i + half + 1, n - 1)] - x[max(i - half, 0)]


@inlined()
def bell_mean(x: F64, half: int, spare: F64) -> None:
    """Smooth x (n,) in place by three running means, which make a bell, ten times as fast as a filter of that shape. spare: (n,)."""
    running_mean(x, half, spare)
    running_mean(spare, half, x)
    running_mean(x, half, spare)
    for i in range(len(x)):
        x[i] = spare[i]


@kernel()
def robust_mean(values: C64, quiet: F32, half: int, rounds: int, mean: C64, spread: F32) -> None:
    """Write into mean and spread (n,) the smooth mean of values (n,) and how far those that count lie from it.

    quiet: (n,) power of the weak values around each: to begin with, what is weak counts. half: values to each side of a running mean. rounds: in which the mean and the weights
    of the values are found in turn; what lies far from the mean counts little, and values of 0 (digital silence) don't count."""
    n = len(values)
    weight, total, real, imaginary, scale, spare = np.empty(n), np.empty(n), np.empty(n), np.empty(n), np.empty(n), np.empty(n)
    for i in range(n):
        power = values[i].real ** 2 + values[i].imag ** 2
        weight[i] = (quiet[i] / (power + quiet[i] + 1e-20)) ** 2 if power > 0.0 else 0.0
    for _ in range(rounds):
        for i in range(n):
            total[i] = weight[i]
            real[i], imaginary[i] = weight[i] * values[i].real, weight[i] * values[i].imag
        bell_mean(total, half, spare)
        bell_mean(real, half, spare)
        bell_mean(imaginary, half, spare)
        for i in range(n):
            if total[i] < ROUNDING:
                total[i], real[i], imaginary[i] = 0.0, 0.0, 0.0
            total[i] += 1e-12
            real[i], imaginary[i] = real[i] / total[i], imaginary[i] / total[i]
            error = (values[i].real - real[i]) ** 2 + (values[i].imag - imaginary[i]) ** 2
            scale[i] = weight[i] * error
        bell_mean(scale, half, spare)
        for i in range(n):
            scale[i] = max(scale[i], 0.0) / total[i] + 1e-16
            error = (values[i].real - real[i]) ** 2 + (values[i].imag - imaginary[i]) ** 2
            weight[i] = (scale[i] / (error + scale[i])) ** 2 if weight[i] > 0.0 else 0.0
    for i in range(n):
        mean[i] = real[i] + 1j * imaginary[i]
        spread[i] = np.sqrt(scale[i])
