"""The compiled part of `hum`: a wandering fundamental and its harmonics made, and many scalar products at once."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import C64, F32, F64, kernel


@kernel(fastmath=True)
def synthesise(phase: F64, amplitudes: C64, start: int, step: float, length: int, out: F32) -> None:
    """Add the hum to out (channels, frames), a step after the other, in each of which phase and amplitudes run straight.

    phase: (steps,) cycles of the fundamental. amplitudes: (channels, steps, harmonics). Both have one step before the recording's first and one after its
    last. start: frame of out's first. step: frames between steps. length: frame at which the hum ends."""
    channels, steps, harmonics = amplitudes.shape
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
            cycles = phase[left] + (phase[left + 1] - phase[left]) * part
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
                a, b = amplitudes[c, left, h], amplitudes[c, left + 1, h]
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
