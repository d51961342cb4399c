"""What a small network makes of a room: how much of each band is the voice, seen together with a second of sound before and after it.

The network is given, in bands of the ear's width, the sound as it is recorded, the sound after prediction, the late echo that the room's decay lets expect,
and what a statistical suppressor would leave; it answers with a gain for each band and frame. It is a temporal convolutional network (sound/temporal.py), so that the gain of a
frame depends on a fixed stretch of sound and on nothing else. Trained on real voices in simulated rooms (`training/room_mask`). Limits: it was taught direct sound
and the first 50 ms of reflections as the voice; what the prediction left of early reflections stays.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dubbin.core import array_files
from dubbin.core.sound.temporal import temporal_network

BANDS = 40
HIGHEST_HZ = 20000.0
LEAST_BINS = 2  # of a band
RANGE_DB = 80.0  # below the level of speech: what is quieter is silence
SCALE_DB = 20.0
LEVEL_SHARE = 0.9  # of the frames are quieter than the level of speech
DILATIONS = (1, 2, 4, 8, 16, 1, 2, 4, 8, 16)
REACH = sum(DILATIONS)  # frames that a gain depends on, on each side


@lru_cache(maxsize=8)
def band_edges(rate: int, frame: int) -> NDArray[np.int64]:
    """Borders (BANDS + 1,) in bins of spectra of `frame` samples, in equal steps of the ERB rate up to 20 kHz. A band that lies above the Nyquist frequency is empty."""
    top = np.log1p(HIGHEST_HZ / (24.7 * 9.265))
    hz = 24.7 * 9.265 * np.expm1(np.arange(BANDS + 1) * top / BANDS)
    edges = np.round(hz * frame / rate).astype(np.int64)
    for k in range(1, BANDS + 1):
        edges[k] = max(edges[k], edges[k - 1] + LEAST_BINS)
    out: NDArray[np.int64] = np.minimum(edges, frame // 2 + 1)
    return out


def in_bands(P: NDArray[np.float32], edges: NDArray[np.int64]) -> NDArray[np.float32]:
    """Mean power (frames, BANDS) of power spectra P (frames, bins); 0 in empty bands."""
    width = np.diff(edges)
    used = int(np.count_nonzero(width))
    out = np.zeros((len(P), BANDS), np.float32)
    out[:, :used] = np.add.reduceat(P[:, : edges[used]], edges[:used], axis=1) / width[:used]
    return out


def speech_level(powers: NDArray[np.float32]) -> float:
    """Level in dB (mean power of a bin) of the louder frames of a recording, of the mean powers (frames,) of all of them; digital silence doesn't count."""
    heard = powers[powers > 1e-12]
    return float(10.0 * np.log10(np.quantile(heard, LEVEL_SHARE))) if len(heard) else -60.0


def features(bands: tuple[NDArray[np.float32], ...], level_db: float) -> NDArray[np.float32]:
    """What the network is given, (frames, BANDS * len(bands)), of powers in bands (frames, BANDS): decibels above the level of speech."""
    parts = [np.maximum(10.0 * np.log10(B + 1e-20) - level_db, -RANGE_DB) / SCALE_DB for B in bands]
    return np.concatenate(parts, axis=1).astype(np.float32)


def band_gains(x: NDArray[np.float32]) -> NDArray[np.float32]:
    """Gains (frames, BANDS), 0 to 1, for features x (frames, inputs)."""
    logits = temporal_network(x, _weights(), DILATIONS)
    return np.asarray(1.0 / (1.0 + np.exp(-logits)), np.float32)


def bin_gains(gains: NDArray[np.float32], edges: NDArray[np.int64], bins: int) -> NDArray[np.float32]:
    """Gains (frames, bins) of gains (frames, BANDS): straight lines from the middle of a band to the next one's."""
    used = int(np.count_nonzero(np.diff(edges)))
    middle = (edges[:used] + edges[1 : used + 1] - 1) / 2
    place = np.interp(np.arange(bins), middle, np.arange(used))
    low = np.minimum(place.astype(np.int64), used - 2)
    share = (place - low).astype(np.float32)
    return gains[:, low] * (1 - share) + gains[:, low + 1] * share


@lru_cache(maxsize=1)
def _weights() -> dict[str, NDArray[np.float32]]:
    return {
        name: np.ascontiguousarray(stored, np.float32) for name, stored in array_files.weights("dubbin.core.treat", "room-mask").items()
    }
