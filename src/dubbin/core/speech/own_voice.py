"""Whose voice is in a microphone: its own, or another's that came across the room.

Where only another voice speaks, a microphone hears that voice softer by an amount that differs from band to band: how it crosses the room. That is
measured once for every pair of microphones. Then, frame by frame, what a microphone hears is held against what must have come across: what stands above it is its
own voice. A frame in which both waves are alike (high correlation at the same delay) needs more to be called so. It is asked of the recorded sound: a
denoiser lets what comes across through in bursts, and then no constant amount comes across.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.own_stretches import LOUD_QUANTILE, own_stretches
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.speech.turns import bimodal_split

FRAMES_PER_S = 50
WINDOW_S = 0.043
BANDS_HZ = (160, 280, 420, 600, 850, 1150, 1500, 1950, 2500, 3150, 4000)
BANDS = len(BANDS_HZ) - 1
CHUNK_S = 20.0
LAG_S = 0.015
NOISE_QUANTILE = 0.1
ROOM_DECAY_DB_PER_S = 110.0  # how fast what came across dies away: RT60 of about half a second
UNDER_LOUD_DB = 20.0
ABOVE_DB = 3.0  # what is expected to come across is known to so much
ALIKE, ALIKE_EXTRA_DB = 0.6, 4.0
SHARE = 0.12  # of a frame's power that must stand above what came across
OWN_UNDER_LOUD_DB = 38.0
SMOOTH_FRAMES, BRIDGE_FRAMES, LEAST_FRAMES = 3, 8, 6
LEAST_POWER = 1e-16  # added, so that silence has a level

Marks = NDArray[np.bool_]
Values = NDArray[np.float64]


class _Heard:
    """Band powers of every microphone and correlations of every pair, on one clock. Band by band: all of it at once in doubles is half a gigabyte for three hours."""

    def __init__(self, microphones: Sequence[tuple[float, Source]], task: Task) -> None:
        self.count = max(int(np.ceil((start + s.frames / s.rate) * FRAMES_PER_S)) for start, s in microphones)
        n = len(microphones)
        self._bands = np.zeros((n, BANDS, self.count), np.float32)
        self.alike = {(i, j): np.zeros(self.count, np.float32) for i in range(n) for j in range(i + 1, n)}
        per_chunk = round(CHUNK_S * FRAMES_PER_S)

        def look(first: int) -> None:
            number = min(per_chunk, self.count - first)
            spectra = [_spectra(source, start, first, number) for start, source in microphones]
            for i, X in enumerate(spectra):
                self._add_bands(i, first, X)
            for (i, j), alike in self.alike.items():
                alike[first : first + number] = _correlation(spectra[i], spectra[j])

        in_parallel(look, range(0, self.count, per_chunk), task)

    def _add_bands(self, i: int, first: int, X: NDArray[np.complex64]) -> None:
        P = X.real**2 + X.imag**2
        edges = np.round(np.array(BANDS_HZ) * WINDOW_S).astype(int)
        for band, (low, high) in enumerate(pairwise(edges)):
            self._bands[i, band, first : first + len(X)] = P[:, low:high].sum(axis=1)

    def power(self, i: int, band: int) -> Values:
        """(count,) smoothed over neighbouring frames, of a microphone's band."""
        smooth = neighbours.uniform_filter1d(self._bands[i, band].astype(np.float64), SMOOTH_FRAMES, mode="nearest")
        # A running sum comes out just under nothing in a silence behind loud frames.
        np.maximum(smooth, 0.0, out=smooth)
        smooth += LEAST_POWER
        return smooth

    def total(self, i: int) -> Values:
        """(count,) power of a microphone in all bands together."""
        whole = np.zeros(self.count)
        for band in range(BANDS):
            whole += self.power(i, band)
        return whole


def _spectra(source: Source, start_s: float, first: int, number: int) -> NDArray[np.complex64]:
    """(frames, bins up to the highest band) of a microphone's loudest channel, from frame `first` of the common clock."""
    size, hop = round(WINDOW_S * source.rate), source.rate / FRAMES_PER_S
    begin = round((first / FRAMES_PER_S - start_s) * source.rate) - size // 2
    x = read_padded(source, begin, begin + round(number * hop) + size)
    mono = x[int(np.argmax(np.sum(x * x, axis=1)))] if x.shape[0] > 1 else x[0]
    starts = np.round(np.arange(number) * hop).astype(int)
    frames = np.lib.stride_tricks.sliding_window_view(mono, size)[starts] * np.hanning(size).astype(np.float32)
    bins = round(BANDS_HZ[-1] * WINDOW_S) + 1
    return np.asarray(fourier.rfft(frames)[:, :bins] / size, np.complex64)


def _correlation(X: NDArray[np.complex64], Y: NDArray[np.complex64]) -> NDArray[np.float32]:
    """Highest normalised correlation of two microphones within LAG_S, per frame."""
    low = round(BANDS_HZ[0] * WINDOW_S)
    cross = X * np.conj(Y)
    cross[:, :low] = 0
    size = 4 * cross.shape[1]
    r = fourier.irfft(cross, size) * size / 2
    reach = round(LAG_S / WINDOW_S * size)
    best = np.maximum(np.abs(r[:, : reach + 1]).max(axis=1), np.abs(r[:, -reach:]).max(axis=1))
    power = np.sqrt(np.sum(np.abs(X[:, low:]) ** 2, axis=1) * np.sum(np.abs(Y[:, low:]) ** 2, axis=1))
    return np.asarray(best / np.maximum(power, 1e-20), np.float32)


def find_own_voices(microphones: Sequence[tuple[float, Source]], task: Task | None = None) -> list[Marks]:
    """For every microphone (start on a common clock in seconds, sound): FRAMES_PER_S marks a second, on its own clock, of its own voice.

    Frame k is centred on k / FRAMES_PER_S of the common clock, moved to the microphone's. One alone: where anything is heard above its noise.
    """
    if not microphones:
        return []
    heard = _Heard(microphones, task or Task())
    level = np.stack([10.0 * np.log10(heard.total(i)) for i in range(len(microphones))])
    # Where a microphone runs: before and after, its silence says nothing.
    runs = [slice(round(a * FRAMES_PER_S), round((a + s.frames / s.rate) * FRAMES_PER_S) + 1) for a, s in microphones]
    noise = np.array([[np.quantile(heard.power(i, band)[run], NOISE_QUANTILE) for band in range(BANDS)] for i, run in enumerate(runs)])
    running, own_turns = np.zeros(level.shape, bool), np.zeros(level.shape, bool)
    for i, run in enumerate(runs):
        running[i, run] = True
        own_turns[i, run] = own_stretches(level[i, run], 1 / FRAMES_PER_S)
    loud = np.array([np.quantile(level[i, own], LOUD_QUANTILE) for i, own in enumerate(own_turns)])
    crossing = _crossings(heard, noise, level, loud, running, own_turns)
    out = []
    for i, (start, source) in enumerate(microphones):
        above = _above_what_came_across(heard, i, noise[i], level, crossing)
        own = (above > SHARE * heard.total(i)) & (10.0 * np.log10(above + LEAST_POWER) > loud[i] - OWN_UNDER_LOUD_DB)
        own = neighbours.closed(np.pad(own, BRIDGE_FRAMES), BRIDGE_FRAMES)
        own = neighbours.opened(own, LEAST_FRAMES)[BRIDGE_FRAMES:-BRIDGE_FRAMES]
        offset, count = round(start * FRAMES_PER_S), int(np.ceil(source.frames / source.rate * FRAMES_PER_S))
        out.append(np.resize(np.append(own[offset : offset + count], np.zeros(max(count - len(own) + offset, 0), bool)), count))
    return out


def _above_what_came_across(heard: _Heard, i: int, noise: Values, level: Values, crossing: Mapping[tuple[int, int], Values]) -> Values:
    """(count,) power by which a microphone stands above its noise and all that must have come across from others."""
    others = [j for j in range(len(level)) if (i, j) in crossing]
    alike = np.zeros(heard.count, np.float32)
    for j in others:
        pair = heard.alike[min(i, j), max(i, j)]
        alike = np.maximum(alike, np.where(level[j] > level[i], pair, 0.0))
    margin = 10.0 ** ((ABOVE_DB + ALIKE_EXTRA_DB * (alike > ALIKE)) / 10.0)
    above = np.zeros(heard.count)
    for band in range(BANDS):
        expected = np.full(heard.count, 2.0 * noise[band])
        for j in others:
            expected += _dying(heard.power(j, band) * crossing[i, j][band])
        above += np.maximum(heard.power(i, band) - expected * margin, 0.0)
    return above


def _crossings(
    heard: _Heard, noise: Values, level: Values, loud: Values, running: Marks, own_turns: Marks
) -> dict[tuple[int, int], Values]:
    """By (hearing, speaking) microphone: power per band that comes across, as a share of what the speaker's own hears."""
    out = {}
    smooth = 10.0 * np.log10(np.maximum(neighbours.uniform_filter1d(10.0 ** (level / 10.0), 7, axis=1, mode="nearest"), LEAST_POWER))
    for i in range(len(level)):
        for j in range(len(level)):
            if i == j:
                continue
            both = running[i] & running[j]
            speaking = both & (level[j] > loud[j] - UNDER_LOUD_DB)
            difference = smooth[i] - smooth[j]
            turns = [both & own_turns[k] & (level[k] > loud[k] - UNDER_LOUD_DB) for k in (i, j)]
            heaps = bimodal_split(_as_many(*(difference[turn] for turn in turns)), FRAMES_PER_S)
            if heaps is None:
                continue  # they hear the same
            chosen = speaking & (difference < sum(heaps) / 2)
            if np.count_nonzero(chosen) < FRAMES_PER_S:
                continue
            out[i, j] = np.array([_share(heard.power(i, b)[chosen] - noise[i, b], heard.power(j, b)[chosen]) for b in range(BANDS)])
    return out


def _as_many(some: Values, others: Values) -> Values:
    """Of both as many, evenly taken out: who says little counts as much as who says most."""
    count = min(len(some), len(others))
    return np.concatenate([x[np.linspace(0, len(x) - 1, count).round().astype(int)] for x in (some, others)]) if count else some[:0]


def _share(heard: Values, spoken: Values) -> float:
    """Of what is spoken, what is usually heard."""
    return float(np.quantile(np.maximum(heard, 0.0) / spoken, 0.6))


def _dying(power: Values) -> Values:
    """(frames,) power that dies away no faster than a room lets it."""
    level = 10.0 * np.log10(power + 1e-18)
    fall = ROOM_DECAY_DB_PER_S / FRAMES_PER_S * np.arange(len(level))
    # A running maximum of a level that rises by the fall: the envelope of all that still sounds. Early by a frame, since windows overlap.
    dying = np.maximum.accumulate(level + fall) - fall
    dying[:-1] = np.maximum(dying[:-1], level[1:])
    return np.asarray(10.0 ** (dying / 10.0))
