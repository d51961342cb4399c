"""The compiled part of `tones`: some tones made at a time, each turned on from frame to frame."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import C64, F32, F64, kernel


@kernel(fastmath=True)
def synthesise(phases: F64, amplitudes: C64, start: int, hop: int, out: F32) -> None:
    """Add tones to out (channels, frames), a step after the other, in each of which phase and amplitudes run straight.

    phases: (tones, steps) cycles in the middle of every step. amplitudes: (channels, tones, steps). start: frame of out's first. hop: frames a step."""
    channels, tones, steps = amplitudes.shape
    real, imaginary = np.empty(tones), np.empty(tones)
    turn_real, turn_imaginary = np.empty(tones), np.empty(tones)
    at_real, at_imaginary = np.empty((channels, tones)), np.empty((channels, tones))
    by_real, by_imaginary = np.empty((channels, tones)), np.empty((channels, tones))
    done, frames = 0, out.shape[1]
    while done < frames:
        place = start + done - hop // 2  # from the middle of the first step
        left = min(max(place // hop, 0), max(steps - 2, 0))
        right = min(left + 1, steps - 1)
        if left == right or place // hop > left:
            count = frames - done
        elif place < 0:
            count = min(-place, frames - done)
        else:
            count = min((left + 1) * hop - place, frames - done)
        part = (place - left * hop) / hop
        for t in range(tones):
            slope = phases[t, right] - phases[t, left]
            cycles = phases[t, left] + slope * part
            angle = 2.0 * np.pi * (cycles - np.floor(cycles))
            real[t], imaginary[t] = np.cos(angle), np.sin(angle)
            turn_real[t], turn_imaginary[t] = np.cos(2.0 * np.pi * slope / hop), np.sin(2.0 * np.pi * slope / hop)
            for c in range(channels):
                a, b = amplitudes[c, t, left], amplitudes[c, t, right]
                if place < 0:
                    b = a  # before the first middle, and after the last, the strength stays
                elif place // hop > left:
                    a = b
                share = min(max(part, 0.0), 1.0)
                at_real[c, t] = a.real + (b.real - a.real) * share
                at_imaginary[c, t] = a.imag + (b.imag - a.imag) * share
                by_real[c, t], by_imaginary[c, t] = (b.real - a.real) / hop, (b.imag - a.imag) / hop
        for i in range(done, done + count):
            for c in range(channels):
                total = 0.0
                for t in range(tones):
                    total += at_real[c, t] * real[t] - at_imaginary[c, t] * imaginary[t]
                    at_real[c, t] += by_real[c, t]
                    at_imaginary[c, t] += by_imaginary[c, t]
                out[c, i] += total
            for t in range(tones):
                swap = real[t] * turn_real[t] - imaginary[t] * turn_imaginary[t]
                imaginary[t] = real[t] * turn_imaginary[t] + imaginary[t] * turn_real[t]
                real[t] = swap
        done += count
