"""Steady tones: the whine of a converter, a supply or a screen, whatever its frequency, and how strong it is over time.

Where nothing else is loud, a steady tone stands out of the spectrum as a line that is always there. Each such line is followed as the harmonics of hum are (hum.py):
multiplied by its own phase it becomes a steady complex number and everything else a moving one, of which a robust mean over seconds is left. Only what keeps its phase for
many seconds is a tone: partials of a voice, held notes and whistles don't.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.hum import TRACKING_S, HumTrack
from dubbin.core.measure.steady import ABOVE_CHANCE, SMOOTH_S, STEPS_PER_S, SURE_S, coherence, products, robust_mean
from dubbin.core.measure.tone_lines import Line, find_lines
from dubbin.core.sound import neighbours
from dubbin.core.sound.level import finite_or_none, power_to_db
from dubbin.core.sound.source import Source, read_padded

HUM_APART_HZ = 4.0  # from a harmonic of the hum, which is the hum's own
WANDERING_S = 0.5  # sigma of the first look at how a tone turns
COHERENT = 0.7  # share of a tone's power that keeps its phase for seconds
MEAN_OF = 60.0  # values of single steps that the smooth mean is made of
SOFT = 0.1  # share of the steps that are softest, where words hardly are
LEFT = 0.04  # share of the power in soft steps that may be left without the tone: what leaves more moves too fast to be followed
LOWEST_DBFS = -96.0
MOST_OF_ALL, MEANT_DBFS = 0.3, -45.0  # share of the sound's power, and level, from which on tones are what was meant to be recorded


@dataclass(frozen=True)
class ToneTrack:
    """hop: frames a step. phases: (tones, steps) cycles at the middle of each step; amplitudes: (channels, tones, steps) complex, so that a tone is the real part of
    amplitude * exp(2j pi phase)."""

    hop: int
    rate: int
    phases: NDArray[np.float64]
    amplitudes: NDArray[np.complex64]


@dataclass(frozen=True)
class Tones:
    """What `check` says: frequencies_hz and levels_dbfs of all steady tones, the lowest first; level_dbfs: of them together, None where there are none.
    Where a tone does not last, it is told as it is where it is strong."""

    frequencies_hz: tuple[float, ...] = ()
    levels_dbfs: tuple[float, ...] = ()
    level_dbfs: float | None = None


def find_tones(source: Source, hum: HumTrack | None = None, task: Task | None = None) -> ToneTrack | None:
    """Look through a whole source; None when there is no steady tone. hum: what is known of mains hum, whose harmonics don't count. Takes sounds of 2 s or more."""
    task = task or Task()
    if source.frames < 2 * source.rate:
        return None
    hop = 2 * round(source.rate / STEPS_PER_S / 2)
    likely = [line for line in find_lines(source, task.part(0.0, 0.5)) if hum is None or not _is_hums(line.frequency_hz, hum)]
    lines = _lasting(source, likely, hop, task.part(0.5, 0.6))
    if not lines:
        return None
    carriers = np.array([line.frequency_hz for line in lines])
    values, power = _demodulated(source, carriers, hop, 0, source.frames, task.part(0.6, 0.9))
    phases = carriers[:, None] * (np.arange(values.shape[2]) + 0.5) * (hop / source.rate)
    kept: list[int] = []
    for k, line in enumerate(lines):
        task.step(0.9 + 0.1 * k / len(lines))
        found = _followed(values[:, k])
        there = found.part(line.start_frame // hop, max(line.end_frame // hop, 1)).is_tone  # it need not last
        values[:, k] = found.mean * there[:, None]
        phases[k] += found.turned
        if there.any():
            kept.append(k)
    if not kept:
        return None
    level = np.sum(np.mean(np.abs(values[:, kept]) ** 2, axis=2), axis=1) / 2
    if np.any((level > MOST_OF_ALL * power) & (level > 10 ** (MEANT_DBFS / 10))):
        return None
    return ToneTrack(hop, source.rate, phases[kept], np.ascontiguousarray(values[:, kept]))


def describe_tones(track: ToneTrack | None) -> Tones:
    """The figures of a track."""
    if track is None:
        return Tones()
    strength = np.abs(track.amplitudes.astype(np.complex128)) ** 2
    # Where it is strong counts: it need not last.
    frequencies = np.average(np.diff(track.phases), axis=1, weights=strength.sum(axis=0)[:, 1:] + 1e-20) * track.rate / track.hop
    power = np.sum(strength**2, axis=2) / (np.sum(strength, axis=2) + 1e-20) / 2
    order = np.argsort(frequencies)
    levels = (power_to_db(float(p)) for p in power.max(axis=0)[order])
    together = finite_or_none(power_to_db(float(power.sum(axis=1).max())))
    return Tones(tuple(map(float, frequencies[order])), tuple(levels), together)


def synthesise_tones(track: ToneTrack, start_frame: int, count: int) -> NDArray[np.float32]:
    """The tones themselves, (channels, count), from frame `start_frame` on; beyond the edges of the recording they go on as there."""
    from dubbin.core.measure.tones_kernels import synthesise

    out = np.zeros((track.amplitudes.shape[0], count), np.float32)
    if count > 0:
        synthesise(track.phases, track.amplitudes, start_frame, track.hop, out)
    return out


def _is_hums(frequency_hz: float, hum: HumTrack) -> bool:
    """Whether a line is a harmonic that the hum has."""
    fundamental = float(np.median(hum.frequency_hz))
    h = max(round(frequency_hz / fundamental), 1)
    near = abs(frequency_hz - h * fundamental) < HUM_APART_HZ
    return near and h <= hum.amplitudes.shape[1] and bool(hum.amplitudes[:, h - 1].any())


def _lasting(source: Source, lines: list[Line], hop: int, task: Task) -> list[Line]:
    """Those that are tones where they were found: the others need not be followed through hours."""
    if all(line.end_frame - line.start_frame == source.frames for line in lines):
        return lines
    there: dict[Line, bool] = {}

    def look(line: Line) -> None:
        values, _ = _demodulated(source, np.array([line.frequency_hz]), hop, line.start_frame, line.end_frame, Task())
        there[line] = bool(_followed(values[:, 0]).is_tone.any())

    in_parallel(look, lines, task)
    return [line for line in lines if there[line]]


def _demodulated(
    source: Source, carriers_hz: NDArray[np.float64], hop: int, start_frame: int, end_frame: int, task: Task
) -> tuple[NDArray[np.complex64], NDArray[np.float64]]:
    """Of some frames of a source, (channels, carriers, steps): twice the mean of x times each conjugate carrier over two steps around each step's middle; and the mean square of
    each channel."""
    count = max((end_frame - start_frame) // hop, 1)
    window = 0.5 - 0.5 * np.cos(np.pi * np.arange(2 * hop) / hop)
    window *= 2.0 / window.sum()
    carriers = window * np.exp(-2j * np.pi * carriers_hz[:, None] * (np.arange(2 * hop) - hop) / source.rate)
    first, second = carriers[:, :hop], carriers[:, hop:]
    out = np.empty((source.channels, len(carriers_hz), count), np.complex64)
    size = 10 * STEPS_PER_S
    starts = range(0, count, size)
    squares = np.zeros((len(starts), source.channels))

    def some(start: int) -> None:
        stop = min(start + size, count)
        begin = start_frame + start * hop - hop // 2
        x = read_padded(source, begin, begin + (stop - start + 1) * hop)
        squares[start // size] = np.sum(x[:, hop // 2 : hop // 2 + (stop - start) * hop] ** 2, axis=1, dtype=np.float64)
        turn = np.exp(-2j * np.pi * (carriers_hz[:, None] * ((np.arange(start, stop) + 0.5) * hop / source.rate) % 1.0))
        for c in range(source.channels):
            one, two = products(x[c].reshape(-1, hop), first, second)
            out[c, :, start:stop] = (one[:-1] + two[1:]).T * turn

    in_parallel(some, starts, task)
    return out, squares.sum(axis=0) / (end_frame - start_frame)


@dataclass(frozen=True)
class _Followed:
    """turned: (steps,) cycles by which a tone runs ahead of its carrier. values: (channels, steps), turned back by that; mean, spread: of them (`robust_mean`)."""

    turned: NDArray[np.float64]
    values: NDArray[np.complex64]
    mean: NDArray[np.complex64]
    spread: NDArray[np.float32]

    def part(self, start: int, stop: int) -> _Followed:
        """Some of the steps."""
        return _Followed(self.turned[start:stop], self.values[:, start:stop], self.mean[:, start:stop], self.spread[:, start:stop])

    @property
    def is_tone(self) -> NDArray[np.bool_]:
        """Of each channel, whether what was followed there is a tone."""
        steady = np.mean(np.abs(self.mean) ** 2, axis=1)
        chance = np.mean(self.spread.astype(np.float64) ** 2, axis=1) / MEAN_OF
        above = ABOVE_CHANCE * max(1.0, SURE_S * STEPS_PER_S / len(self.turned))  # in a short sound chance has more of a say
        loud = steady > np.maximum(above * chance, 2 * 10 ** (LOWEST_DBFS / 10))
        left = np.array([_left(v, m) for v, m in zip(self.values, self.mean, strict=True)])
        return np.asarray(loud & (coherence(self.mean[:, None])[:, 0] > COHERENT) & (left < LEFT))


def _left(values: NDArray[np.complex64], mean: NDArray[np.complex64]) -> float:
    """Share of the power of values (steps,) that is left in soft steps without their mean, where that is strong."""
    strength = np.abs(mean) ** 2
    there = (strength > 0.25 * np.quantile(strength, 0.95)) & (values != 0)
    if not there.any():
        return 1.0
    before, after = (float(np.quantile(np.abs(one[there]) ** 2, SOFT)) for one in (values, values - mean))
    return after / (before + 1e-20)


def _followed(values: NDArray[np.complex64]) -> _Followed:
    """Follow a tone of values (channels, steps): from its carrier, or from a first guess at how it turns, by which less is left."""
    starts = (np.zeros(values.shape[1]), _wandering(values))
    return min((_followed_from(values, start) for start in starts), key=lambda one: float(np.mean(one.spread**2, axis=1).min()))


def _followed_from(values: NDArray[np.complex64], turned: NDArray[np.float64]) -> _Followed:
    for smooth_s in TRACKING_S:
        mean, spread = robust_mean(values * np.exp(-2j * np.pi * turned).astype(np.complex64), smooth_s)
        turned = turned + _lag(mean, spread, smooth_s * STEPS_PER_S)
    values = values * np.exp(-2j * np.pi * turned).astype(np.complex64)
    return _Followed(turned, values, *robust_mean(values, SMOOTH_S))


def _wandering(values: NDArray[np.complex64]) -> NDArray[np.float64]:
    """Cycles by which a tone of values (channels, steps) runs ahead of its carrier, roughly: from how values turn from step to step, however fast they do."""
    turn = np.sum(values[:, 1:] * np.conj(values[:, :-1]), axis=0)
    mean, _ = robust_mean(turn / np.sqrt(np.abs(turn) + 1e-20), WANDERING_S)  # as strong as the values: loud instants hold no sway
    return np.concatenate([[0.0], np.cumsum(np.angle(mean))]) / (2 * np.pi)


def _lag(mean: NDArray[np.complex64], spread: NDArray[np.float32], smooth: float) -> NDArray[np.float64]:
    """Cycles by which a tone is ahead of its carrier, at every step. mean, spread: (channels, steps)."""
    turn = mean[:, 1:] * np.conj(mean[:, :-1])
    certain = np.minimum(np.abs(turn) / (spread[:, 1:] ** 2 + 1e-16), 1e4)
    turn = np.sum(turn / (np.abs(turn) + 1e-20) * certain, axis=0)
    real, imaginary = (neighbours.gaussian_filter1d(part, smooth, mode="nearest") for part in (turn.real, turn.imag))
    return np.concatenate([[0.0], np.cumsum(np.arctan2(imaginary, real))]) / (2 * np.pi)
