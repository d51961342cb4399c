"""Audible speech, 100 times a second: how far each instant stands above the room's own noise.

A soft s or the breath after a final t is far below the loud vowels and yet heard: it stands out of the noise in its own
band. So the evidence is taken band by band, each against the noise in that band, and the band that stands out most counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.by_blocks import by_blocks
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.source import Samples, Source, read_padded

FRAMES_PER_S = 100
WINDOW_S = 0.02
BANDS_HZ = (160, 450, 900, 1600, 2800, 4800, 7500, 12000)
NOISE_WINDOW_S = 12.0
NOISE_QUANTILE = 0.12
# A frame is heard when a band exceeds its noise by this many of the scatter (in dB) that noise has in that band, and
# by at least MARGIN_DB.
SCATTER_FACTOR = 3.2
MARGIN_DB = 2.2
INAUDIBLE_BELOW_LOUD_DB = 58.0  # below the loud speech of the recording nothing is called audible
CHUNK_S = 20.0
CLICK_S, ALONE_S = 0.03, 0.25  # a burst shorter than this, this far from any other, is a click and not speech


@dataclass(frozen=True)
class Activity:
    """Per 10 ms frame: level_db, RMS in dBFS above 160 Hz; excess_db, distance to what is just audible (above 0:
    heard). Frame k covers the recording from k * 10 ms on."""

    level_db: NDArray[np.float32]
    excess_db: NDArray[np.float32]

    @property
    def audible(self) -> NDArray[np.bool_]:
        """True where somebody, or something as loud, is heard; lone clicks left out."""
        return without_clicks(self.excess_db > 0)


def find_activity(source: Source, task: Task | None = None) -> Activity:
    """Look through a whole source; channels are judged together by the loudest."""
    task = task or Task()
    count = max(1, -(-source.frames * FRAMES_PER_S // source.rate))
    bands = np.full((count, len(BANDS_HZ) - 1), -150.0, np.float32)
    per_chunk = round(CHUNK_S * FRAMES_PER_S)
    hop = source.rate / FRAMES_PER_S

    def look(first: int) -> None:
        number = min(per_chunk, count - first)
        start = round(first * hop)
        x = read_padded(source, start - round(hop), round((first + number) * hop) + round(hop))
        bands[first : first + number] = _band_levels(x, source.rate, number)

    in_parallel(look, range(0, count, per_chunk), task)
    return activity_from_bands(bands)


def _band_levels(x: Samples, rate: int, count: int) -> NDArray[np.float32]:
    """Band levels in dB (count, bands); x begins one hop before frame 0 and ends one hop after the last."""
    size = round(2 * WINDOW_S * rate / 2)
    hop = rate / FRAMES_PER_S
    starts = np.round((np.arange(count) + 0.5) * hop + hop - size / 2).astype(np.int64)
    window = np.hanning(size + 2)[1:-1].astype(np.float32)
    window /= np.sqrt(np.sum(window**2, dtype=np.float64))
    edges = np.round(np.array(BANDS_HZ) * size / rate).astype(np.int64)
    edges = np.minimum(edges, size // 2)
    out = np.full((count, len(BANDS_HZ) - 1), 1e-15, np.float32)
    for channel in x:
        padded = np.pad(channel, (0, size))
        frames = np.lib.stride_tricks.sliding_window_view(padded, size)[starts]
        X = fourier.rfft(frames * window)
        P = (X.real**2 + X.imag**2) * (2.0 / size)
        for band, (low, high) in enumerate(pairwise(edges)):
            if high > low:
                out[:, band] = np.maximum(out[:, band], P[:, low:high].sum(axis=1))
    return (10.0 * np.log10(out)).astype(np.float32)


def activity_from_bands(bands: NDArray[np.float32]) -> Activity:
    """Judge band levels (frames, bands) in dB against the noise around each of them."""
    level = by_blocks(lambda some: 10.0 * np.log10(np.sum(10.0 ** (some.astype(np.float64) / 10.0), axis=1)), bands)
    loud = np.quantile(level, 0.95)
    excess = np.full(len(bands), -np.inf)
    for band in range(bands.shape[1]):
        smooth = neighbours.uniform_filter1d(bands[:, band], 3, mode="nearest")
        noise, scatter = _noise_of_band(smooth)
        margin = np.maximum(SCATTER_FACTOR * scatter, MARGIN_DB)
        audible_from = np.maximum(noise + margin, loud - INAUDIBLE_BELOW_LOUD_DB)
        excess = np.maximum(excess, smooth - audible_from)
    return Activity(level.astype(np.float32), excess.astype(np.float32))


def _noise_of_band(level: NDArray[np.float32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level of the noise, and its scatter (one sigma), in dB around every frame."""
    step = FRAMES_PER_S
    reach = round(NOISE_WINDOW_S / 2 * FRAMES_PER_S)
    centres = np.arange(step // 2, max(len(level), step // 2 + 1), step)
    noise, scatter = np.empty(len(centres)), np.empty(len(centres))
    for k, centre in enumerate(centres):
        near = np.sort(level[max(0, centre - reach) : centre + reach])
        near = near[near > -125.0] if near[-1] > -125.0 else near
        low = near[int(0.02 * len(near))]
        anchor = near[int(NOISE_QUANTILE * len(near))]
        # The quiet frames are one side of a bell; its lower flank tells the width without the speech above.
        spread = np.clip((anchor - low) / 0.9, 0.3, 2.5)
        noise[k] = anchor + 1.0 * spread
        scatter[k] = spread
    frames = np.arange(len(level))
    return np.interp(frames, centres, noise), np.interp(frames, centres, scatter)


def without_clicks(audible: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The same marks without bursts that are too short and too far from others to be speech."""
    starts, ends = runs(audible)
    if not len(starts):
        return audible
    alone = ALONE_S * FRAMES_PER_S
    before = np.concatenate([[np.inf], starts[1:] - ends[:-1]])
    after = np.concatenate([starts[1:] - ends[:-1], [np.inf]])
    click = (ends - starts <= CLICK_S * FRAMES_PER_S) & (before > alone) & (after > alone)
    out = audible.copy()
    for a, b in zip(starts[click], ends[click], strict=True):
        out[a:b] = False
    return out


def runs(marks: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First and one past the last index of every run of True."""
    edges = np.diff(np.concatenate([[0], marks.astype(np.int8), [0]]))
    return np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
