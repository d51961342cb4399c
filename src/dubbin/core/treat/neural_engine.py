"""The neural engine of `denoise`: stretches on their way through the network of `deep_filter`, at its rate, side by side, and back."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.memory import give_back
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.treat import deep_filter
from dubbin.core.treat.treatment import Context

Mono = tuple[NDArray[np.float32], Context]  # one channel of a stretch, and where it lies


def running_means(source: Source, task: Task) -> tuple[tuple[deep_filter.Means, ...], ...]:
    """The features' running means at every second, so that a stretch goes on where the one before would have been."""
    hops = deep_filter.RATE // deep_filter.HOP
    means = [[deep_filter.start_means()] for _ in range(source.channels)]
    overlap = round(source.rate * deep_filter.HOP / deep_filter.RATE)
    for start in range(0, source.frames - source.rate, source.rate):
        task.step(start / max(source.frames, 1))
        x = read_padded(source, start - overlap, start + source.rate)
        for channel in range(source.channels):
            y = _resampled(x[channel], source.rate, deep_filter.RATE)
            # Frame 1 of the stretch begins at its first sample, as frame 0 of the second itself does.
            X = deep_filter.analyse(y)[1 : hops + 1]
            means[channel].append(deep_filter.features(X, means[channel][-1])[2])
    return tuple(tuple(m) for m in means)


def cleaned_by_network(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    """What the network leaves out is taken from x; so sound above its 24 kHz stays, and alignment is exact."""
    out: list[NDArray[np.float32]] = [x for x, _ in stretches]
    # Stretches of one length go side by side; at both ends of a recording they are shorter.
    lengths: dict[int, list[int]] = {}
    heard = [_resampled(x[_before(context) :], context.rate, deep_filter.RATE) for x, context in stretches]
    for k, y in enumerate(heard):
        lengths.setdefault(len(y), []).append(k)
    for numbers in lengths.values():
        group = [(heard[k], stretches[k][1]) for k in numbers]
        for k, clean in zip(numbers, _enhanced(group, channel), strict=True):
            x, context = stretches[k]
            removed = _resampled(heard[k] - clean, deep_filter.RATE, context.rate)
            skip = _before(context)
            count = min(len(removed), len(x) - skip)
            out[k] = x.copy()
            out[k][skip : skip + count] -= removed[:count]
    return out


def _before(context: Context) -> int:
    """Frames of a stretch that lie before the recording: there is nothing to settle on."""
    return max(-context.start_frame, 0)


def _enhanced(heard: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    """What the network makes of stretches of one length at its own rate; of two passes the mean."""
    network, first = deep_filter.deep_filter(), heard[0][1]
    shifts = (0, deep_filter.HOP // 2) if first.settings.finest else (0,)
    out = [np.zeros_like(y) for y, _ in heard]
    with network.room:
        for shift in shifts:
            moved = [np.pad(y, (shift, 0)) for y, _ in heard]
            spectra = [(deep_filter.analyse(y), _means_at(context, channel)) for y, (_, context) in zip(moved, heard, strict=True)]
            for clean, Y, y in zip(out, network.enhance(spectra), moved, strict=True):
                clean += deep_filter.synthesise(Y, len(y))[shift:]
            del spectra
    give_back()
    return [clean / np.float32(len(shifts)) for clean in out]


def _means_at(context: Context, channel: int) -> deep_filter.Means:
    known: tuple[deep_filter.Means, ...] = context.findings.means[channel]
    return known[min(max(context.start_frame, 0) // context.rate, len(known) - 1)]


def _resampled(x: NDArray[np.float32], rate: int, to_rate: int) -> NDArray[np.float32]:
    if rate == to_rate:
        return x
    return np.asarray(soxr.resample(x, rate, to_rate, quality="HQ"), np.float32)
