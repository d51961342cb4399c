"""Whose voice is in a microphone: its own, or another's that came across the room.

Where only another voice speaks, a microphone hears that voice softer by an amount that differs from band to band: how it crosses the room. That is
measured once for every pair of microphones. Then, frame by frame, what a microphone hears is held against what must have come across: what stands above it is its
own voice. A frame in which both waves are alike (high correlation at the same delay) needs more to be called so. It is asked of the recorded sound: a
denoiser lets what comes across through in bursts, and then no constant amount comes across.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.speech.turns import bimodal_split

FRAMES_PER_S = 50
WINDOW_S = 0.043
BANDS_HZ = (160, 280, 420, 600, 850, 1150, 1500, 1950, 2500, 3150, 4000)
CHUNK_S = 20.0
LAG_S = 0.015
NOISE_QUANTILE = 0.1
ROOM_DECAY_DB_PER_S = 110.0  # how fast what came across dies away: RT60 of about half a second
LOUD_QUANTILE, UNDER_LOUD_DB = 0.95, 20.0
ABOVE_DB = 3.0  # what is expected to come across is known to so much
ALIKE, ALIKE_EXTRA_DB = 0.6, 4.0
SHARE = 0.12  # of a frame's power that must stand above what came across
OWN_UNDER_LOUD_DB = 34.0
SMOOTH_FRAMES, BRIDGE_FRAMES, LEAST_FRAMES = 3, 8, 6

Marks = NDArray[np.bool_]


class _Heard:
    """Band powers of every microphone and correlations of every pair, on one clock."""

    def __init__(self, microphones: Sequence[tuple[float, Source]], task: Task) -> None:
        self.count = max(int(np.ceil((start + s.frames / s.rate) * FRAMES_PER_S)) for start, s in microphones)
        n = len(microphones)
        self.bands = np.zeros((n, self.count, len(BANDS_HZ) - 1), np.float32)
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
            self.bands[i, first : first + len(X), band] = P[:, low:high].sum(axis=1)


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
    power = heard.bands.astype(np.float64)
    for i in range(len(power)):
        # A running sum comes out just under nothing in a silence behind loud frames.
        power[i] = np.maximum(neighbours.uniform_filter1d(power[i], SMOOTH_FRAMES, axis=0, mode="nearest"), 0.0)
    power += 1e-16
    level = 10.0 * np.log10(power.sum(axis=2))
    # Where a microphone runs: before and after, its silence says nothing.
    runs = [slice(round(a * FRAMES_PER_S), round((a + s.frames / s.rate) * FRAMES_PER_S) + 1) for a, s in microphones]
    noise = np.stack([np.quantile(power[i, run], NOISE_QUANTILE, axis=0) for i, run in enumerate(runs)])
    loud = np.array([np.quantile(level[i, run], LOUD_QUANTILE) for i, run in enumerate(runs)])
    running = np.zeros(level.shape, bool)
    for i, run in enumerate(runs):
        running[i, run] = True
    crossing = _crossings(power, noise, level, loud, running)
    out = []
    for i, (start, source) in enumerate(microphones):
        expected = np.tile(2.0 * noise[i], (heard.count, 1))
        alike = np.zeros(heard.count, np.float32)
        for j in range(len(microphones)):
            if (i, j) in crossing:
                across = _dying(power[j] * crossing[i, j])
                expected += across
                pair = heard.alike[min(i, j), max(i, j)]
                alike = np.maximum(alike, np.where(level[j] > level[i], pair, 0.0))
        margin = 10.0 ** ((ABOVE_DB + ALIKE_EXTRA_DB * (alike > ALIKE)) / 10.0)
        above = np.maximum(power[i] - expected * margin[:, None], 0.0).sum(axis=1)
        own = (above > SHARE * power[i].sum(axis=1)) & (10.0 * np.log10(above + 1e-16) > loud[i] - OWN_UNDER_LOUD_DB)
        own = neighbours.closed(np.pad(own, BRIDGE_FRAMES), BRIDGE_FRAMES)
        own = neighbours.opened(own, LEAST_FRAMES)[BRIDGE_FRAMES:-BRIDGE_FRAMES]
        offset, count = round(start * FRAMES_PER_S), int(np.ceil(source.frames / source.rate * FRAMES_PER_S))
        out.append(np.resize(np.append(own[offset : offset + count], np.zeros(max(count - len(own) + offset, 0), bool)), count))
    return out


def _crossings(
    power: NDArray[np.float64], noise: NDArray[np.float64], level: NDArray[np.float64], loud: NDArray[np.float64], running: Marks
) -> dict[tuple[int, int], NDArray[np.float64]]:
    """By (hearing, speaking) microphone: power per band that comes across, as a share of what the speaker's own hears."""
    out = {}
    smooth = 10.0 * np.log10(np.maximum(neighbours.uniform_filter1d(10.0 ** (level / 10.0), 7, axis=1, mode="nearest"), 1e-16))
    for i in range(len(power)):
        for j in range(len(power)):
            if i == j:
                continue
            both = running[i] & running[j]
            speaking = both & (level[j] > loud[j] - UNDER_LOUD_DB)
            difference = smooth[i] - smooth[j]
            heaps = bimodal_split(difference[speaking | (both & (level[i] > loud[i] - UNDER_LOUD_DB))], FRAMES_PER_S)
            if heaps is None:
                continue  # they hear the same
            chosen = speaking & (difference < sum(heaps) / 2)
            if np.count_nonzero(chosen) < FRAMES_PER_S:
                continue
            shares = np.maximum(power[i][chosen] - noise[i], 0.0) / power[j][chosen]
            out[i, j] = np.quantile(shares, 0.6, axis=0)
    return out


def _dying(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power that dies away no faster than a room lets it."""
    level = 10.0 * np.log10(power + 1e-18)
    fall = ROOM_DECAY_DB_PER_S / FRAMES_PER_S * np.arange(len(level))[:, None]
    # A running maximum of a level that rises by the fall: the envelope of all that still sounds. Early by a frame, since windows overlap.
    dying = np.maximum.accumulate(level + fall, axis=0) - fall
    dying[:-1] = np.maximum(dying[:-1], level[1:])
    return np.asarray(10.0 ** (dying / 10.0))
