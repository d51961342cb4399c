"""What is known of a room, put to use in a stretch of sound: the predicted echo goes, and every bin is told how much of it is the voice."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.level import db_to_gain
from dubbin.core.treat.prediction import predicted
from dubbin.core.treat.room_mask import band_edges, band_gains, bin_gains, features, in_bands
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains

HOP_S, OVERLAP = 0.016, 3
LATE_S = 0.055  # after the direct sound: what comes before belongs to it for the ear
STATISTICAL_FLOOR_DB = -18.0  # of what the network hears
DEEPEST_DB = 20.0
NETWORK_SHARE = 0.6  # of the gain, in decibels; the rest is the decay's


@dataclass(frozen=True)
class RoomFilters:
    """filters: (channels, chunks, bins, TAPS) complex; that of chunk c is right at frame (c + 0.5) * step. levels_db: of speech, a channel each."""

    filters: NDArray[np.complex64]
    step: int
    rt60_s: float
    levels_db: tuple[float, ...]


@dataclass(frozen=True)
class RoomPowers:
    """Power spectra (frames, bins) before and after prediction, and of the late echo that is left."""

    before: NDArray[np.float32]
    after: NDArray[np.float32]
    late: NDArray[np.float32]


def dereverb_stft(rate: int) -> Stft:
    """The transform in which echo is predicted, at `rate` Hz."""
    hop = max(16, round(HOP_S * rate / 16) * 16)
    return Stft(hop * OVERLAP, hop)


def predict_away(X: NDArray[np.complex64], found: RoomFilters, channel: int, stft: Stft, rate: int, start_frame: int) -> RoomPowers:
    """Take what is predicted out of X (frames, bins), in place. start_frame: where in the recording the sound of X begins."""
    centres = start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
    place = (centres / found.step - 0.5).astype(np.float32)
    bins = found.filters.shape[2]
    before = power(X)
    late = late_power(before, found.rt60_s, stft.hop / rate)
    X[:, :bins] -= predicted(X[:, :bins], found.filters[channel], place)
    after = power(X)
    late[:, :bins] *= np.minimum(1.0, after[:, :bins] / np.maximum(before[:, :bins], 1e-20))
    return RoomPowers(before, after, late)


def room_gains(powers: RoomPowers, level_db: float, depth_db: float, stft: Stft, rate: int, bins: int) -> NDArray[np.float32]:
    """Gains (frames, bins) of the lowest bins, -DEEPEST_DB to 0 dB. level_db: of speech. depth_db: how far late echo goes down."""
    edges = band_edges(rate, stft.frame)
    network = bin_gains(band_gains(features(bands_of(powers, edges), level_db)), edges, bins)
    statistical = suppression_gains(powers.after[:, :bins], powers.late[:, :bins] + 1e-14, floor=db_to_gain(-depth_db))
    # A mean of both in decibels: the one knows voices and rooms, the other this room's decay, bin by bin.
    both = network ** np.float32(NETWORK_SHARE) * statistical ** np.float32(1.0 - NETWORK_SHARE)
    out: NDArray[np.float32] = np.maximum(both, np.float32(db_to_gain(-DEEPEST_DB)))
    return out


def bands_of(powers: RoomPowers, edges: NDArray[np.int64]) -> tuple[NDArray[np.float32], ...]:
    """What the network hears: powers in bands (frames, BANDS) before and after prediction, of the late echo, and after a statistical suppressor."""
    statistical = suppression_gains(powers.after, powers.late + 1e-14, floor=db_to_gain(STATISTICAL_FLOOR_DB))
    return tuple(in_bands(P, edges) for P in (powers.before, powers.after, powers.late, powers.after * statistical**2))


def late_power(P: NDArray[np.float32], rt60_s: float, hop_s: float) -> NDArray[np.float32]:
    """Power of the late echo in every bin of P (frames, bins): the sound LATE_S ago, let decay by the room (Polack's model)."""
    from dubbin.core.treat.dereverb_kernels import decayed

    delay = max(1, round(LATE_S / hop_s))
    decay = 10.0 ** (-6.0 * hop_s / rt60_s)
    return np.asarray(decayed(np.ascontiguousarray(P), np.float32(decay), delay))
