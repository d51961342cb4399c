"""The neural engine of `denoise`: stretches on their way through the network of `deep_filter`, at its rate, side by side, and back.

The network is recurrent: it treats a voice that it has heard before better than one that begins behind noise alone, of whose first seconds it takes up to all.
So every stretch begins with the state that the network is in behind a few seconds of the recording in which somebody speaks. Turns of eight real voices between pauses of
3 to 25 s, in noise at 25 dB: SI-SDR of their first two seconds 24.6 > 25.7 dB, of the worst 3.0 > 5.5 (docs/decisions/neural-denoiser.md). At 15 dB and below .2 dB less.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.memory import give_back
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.treat import deep_filter
from dubbin.core.treat.treatment import Context

Mono = tuple[NDArray[np.float32], Context]  # one channel of a stretch, and where it lies
SPEECH_S = 4  # of speech that the network hears before every stretch. Three seconds gain less, eight no more
SEARCHED_S = 30.0  # in so many seconds of a recording one place is listened to, where somebody may speak
MOST_SEARCHED = deep_filter.SIDE_BY_SIDE


@dataclass(frozen=True)
class Start:
    """What the network knows of a channel before a stretch of it. means: of the features, at every second, so that a stretch goes on where the one before would have
    been; state: behind a few seconds of the recording in which somebody speaks."""

    means: tuple[deep_filter.Means, ...]
    state: deep_filter.State


def starts_of(source: Source, task: Task) -> tuple[Start, ...]:
    """What the network begins with, for each channel of a recording."""
    means, powers = _by_seconds(source, task)
    return tuple(Start(tuple(m), _behind_speech(source, c, m, np.array(powers[c]))) for c, m in enumerate(means))


def _by_seconds(source: Source, task: Task) -> tuple[list[list[deep_filter.Means]], list[list[float]]]:
    """The features' running means at every second, and the power of each second, for each channel."""
    hops = deep_filter.RATE // deep_filter.HOP
    means = [[deep_filter.start_means()] for _ in range(source.channels)]
    powers: list[list[float]] = [[] for _ in means]
    overlap = round(source.rate * deep_filter.HOP / deep_filter.RATE)
    for start in range(0, source.frames - source.rate, source.rate):
        task.step(start / max(source.frames, 1))
        x = read_padded(source, start - overlap, start + source.rate)
        for channel in range(source.channels):
            y = _resampled(x[channel], source.rate, deep_filter.RATE)
            # Frame 1 of the stretch begins at its first sample, as frame 0 of the second itself does.
            X = deep_filter.analyse(y)[1 : hops + 1]
            means[channel].append(deep_filter.features(X, means[channel][-1])[2])
            powers[channel].append(float(np.mean(x[channel, overlap:].astype(np.float64) ** 2)))
    return means, powers


def _behind_speech(source: Source, channel: int, means: Sequence[deep_filter.Means], powers: NDArray[np.float64]) -> deep_filter.State:
    """The network's state behind seconds in which somebody speaks: of the loudest ones of each part of the recording those of which it keeps most, for it knows a voice
    from a noise."""
    network, rate = deep_filter.deep_filter(), source.rate
    stretches = []
    for second in loudest_seconds(powers):
        x = source.read(second * rate, min((second + SPEECH_S) * rate, source.frames))[channel]
        stretches.append(deep_filter.Stretch(deep_filter.analyse(_resampled(x, rate, deep_filter.RATE)), means[second]))
    with network.room:
        heard = network.enhance(stretches)
    return max(heard, key=lambda one: float(np.sum(np.abs(one[0]) ** 2)))[1]


def loudest_seconds(powers: NDArray[np.float64]) -> list[int]:
    """Where SPEECH_S loud seconds begin, in each part of a recording. powers: of every second; loud: by the median, which no single bang moves."""
    if len(powers) <= SPEECH_S:
        return [0]
    levels = np.median(np.lib.stride_tricks.sliding_window_view(powers, SPEECH_S), axis=1)
    parts = np.array_split(np.arange(len(levels)), min(max(int(len(powers) / SEARCHED_S), 1), MOST_SEARCHED))
    return [int(part[np.argmax(levels[part])]) for part in parts]


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
            spectra = [_stretch(y, context, channel) for y, (_, context) in zip(moved, heard, strict=True)]
            for clean, (Y, _), y in zip(out, network.enhance(spectra), moved, strict=True):
                clean += deep_filter.synthesise(Y, len(y))[shift:]
            del spectra
    give_back()
    return [clean / np.float32(len(shifts)) for clean in out]


def _stretch(y: NDArray[np.float32], context: Context, channel: int) -> deep_filter.Stretch:
    start: Start = context.findings.starts[channel]
    second = min(max(context.start_frame, 0) // context.rate, len(start.means) - 1)
    return deep_filter.Stretch(deep_filter.analyse(y), start.means[second], start.state)


def _resampled(x: NDArray[np.float32], rate: int, to_rate: int) -> NDArray[np.float32]:
    if rate == to_rate:
        return x
    return np.asarray(soxr.resample(x, rate, to_rate, quality="HQ"), np.float32)
