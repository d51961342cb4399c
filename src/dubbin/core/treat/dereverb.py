"""Dereverb: the late echo of the room goes down, the voice comes close.

Two steps. Weighted prediction error: what can be predicted of a sub-band from its own past, at least 48 ms ago, is echo and is
subtracted; direct sound and early reflections can't be predicted from so far. Then what late echo remains is taken down, by the mean of
two gains: one from the room's decay, as for a noise, and one of a small network that has heard many rooms (`room_mask`).
Behind the neural denoiser it is given a share of what that took of the room (`wants_rooms`), without which too little of the voice is left
to tell from its echo.
Prediction filters are found for overlapping stretches and blended from one to the next, so that the result is the same wherever
one begins to listen.
Frames of 48 ms hop by 16 ms and are predicted from 48 to 480 ms ago. How far away to begin is a trade: from 32 ms on a small
room's early reflections go too, and DNSMOS rises by another 0.06 on demo voices, but a dry recording, which has little
else, loses more of its voice (SI-SDR of a clean voice 32 instead of 38 dB, and 41 from 64 ms on).

Sources: Nakatani, Yoshioka, Kinoshita, Miyoshi and Juang, "Speech dereverberation based on variance-normalized delayed linear
prediction", IEEE TASLP 2010; Lebart, Boucher and Denbigh, "A new method based on spectral subtraction for speech dereverberation",
Acta Acustica 2001. Limits: the room must not change within some seconds; two voices in one microphone halve the effect.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.prediction import Covariances, estimate_covariances, predicted
from dubbin.core.treat.prediction_taps import DELAY, TAPS, taps_of
from dubbin.core.treat.room_mask import band_edges, band_gains, bin_gains, features, in_bands, speech_level
from dubbin.core.treat.settings import setting
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains
from dubbin.core.treat.treatment import Context, Treatment

HOP_S, OVERLAP = 0.016, 3
HIGHEST_HZ = 8000.0  # of the predicted bins; above, echo dies away by itself
CHUNK_S = 6.0  # a filter each, from the chunk and its neighbours
GROUP = 32  # chunks that are worked on together
LATE_S = 0.055  # after the direct sound: what comes before belongs to it for the ear
UNKNOWN_RT60_S = 0.45
STATISTICAL_FLOOR_DB = -18.0  # of what the network hears
DEEPEST_DB = 20.0


@dataclass(frozen=True)
class DereverbSettings:
    """How far late echo goes down."""

    depth_db: float = setting(
        8.0,
        3.0,
        24.0,
        "dB",
        tr("Depth"),
        tr("How far late echo that can't be predicted goes down. Deeper is drier and more processed."),
    )


@dataclass(frozen=True)
class RoomFilters:
    """filters: (channels, chunks, bins, TAPS) complex; that of chunk c is right at frame (c + 0.5) * step. levels_db: of speech, a channel each."""

    filters: NDArray[np.complex64]
    step: int
    rt60_s: float
    levels_db: tuple[float, ...]


def dereverb_stft(rate: int) -> Stft:
    """The transform in which echo is predicted, at `rate` Hz."""
    hop = max(16, round(HOP_S * rate / 16) * 16)
    return Stft(hop * OVERLAP, hop)


class Dereverb(Treatment):
    """The echo of the room taken down."""

    name: ClassVar[str] = "dereverb"
    title: ClassVar[str] = tr("Echo")
    settings_type: ClassVar[type] = DereverbSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("rt60_s", tr("room echo, RT60"), "s", 2, lambda r: r.echo.rt60_s, absent=tr("none")),)
    lead_s: ClassVar[float] = 1.7  # what the network sees before, and what prediction needs before that
    tail_s: ClassVar[float] = 1.1
    wants_rooms: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DereverbSettings, task: Task) -> RoomFilters:
        stft = dereverb_stft(source.rate)
        bins = min(int(HIGHEST_HZ * stft.frame / source.rate), stft.bins)
        hops = round(CHUNK_S * source.rate / stft.hop)
        step = hops * stft.hop
        count = max(1, -(-source.frames // step))
        filters = np.zeros((source.channels, count, bins, TAPS), np.complex64)
        levels = []
        for channel in range(source.channels):
            part = task.part(0.8 * channel / source.channels, 0.8 * (channel + 1) / source.channels)
            filters[channel], powers = _filters(source, channel, stft, bins, step, part)
            levels.append(speech_level(powers))
        rt60 = measure_echo(source, task.part(0.8, 1.0)).rt60_s
        return RoomFilters(filters, step, rt60 or UNKNOWN_RT60_S, tuple(levels))

    def process(self, x: Samples, context: Context) -> Samples:
        stft, found = dereverb_stft(context.rate), context.findings
        out = np.empty_like(x)
        for channel in range(x.shape[0]):
            X, before, after, late = predicted_of(stft.analyse(x[channel]), found, channel, stft, context.rate, context.start_frame)
            edges = band_edges(context.rate, stft.frame)
            network = bin_gains(band_gains(features(bands_of(before, after, late, edges), found.levels_db[channel])), edges, stft.bins)
            statistical = suppression_gains(after, late + 1e-14, floor=db_to_gain(-context.settings.depth_db))
            # The mean of both in decibels: the one knows voices and rooms, the other this room's decay, bin by bin.
            X *= np.maximum(np.sqrt(network * statistical), np.float32(db_to_gain(-DEEPEST_DB)))
            out[channel] = stft.synthesise(X, x.shape[1])
        return out


def predicted_of(
    X: NDArray[np.complex64], found: RoomFilters, channel: int, stft: Stft, rate: int, start_frame: int
) -> tuple[NDArray[np.complex64], NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """X (frames, bins) without what is predicted, in place; its power before and after, and that of the late echo that is left."""
    centres = start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
    place = (centres / found.step - 0.5).astype(np.float32)
    bins = found.filters.shape[2]
    before = power(X)
    late = late_power(before, found.rt60_s, stft.hop / rate)
    X[:, :bins] -= predicted(X[:, :bins], found.filters[channel], place)
    after = power(X)
    late[:, :bins] *= np.minimum(1.0, after[:, :bins] / np.maximum(before[:, :bins], 1e-20))
    return X, before, after, late


def bands_of(
    before: NDArray[np.float32], after: NDArray[np.float32], late: NDArray[np.float32], edges: NDArray[np.int64]
) -> tuple[NDArray[np.float32], ...]:
    """What the network hears: powers in bands (frames, BANDS) before and after prediction, of the late echo, and after a statistical suppressor."""
    statistical = suppression_gains(after, late + 1e-14, floor=db_to_gain(STATISTICAL_FLOOR_DB))
    return tuple(in_bands(P, edges) for P in (before, after, late, after * statistical**2))


def _filters(
    source: Source, channel: int, stft: Stft, bins: int, step: int, task: Task
) -> tuple[NDArray[np.complex64], NDArray[np.float32]]:
    """A filter for every chunk, and the mean power of a bin of every frame."""
    count = max(1, -(-source.frames // step))
    lead = DELAY + TAPS + stft.frame // stft.hop  # frames of past, and those that reach over the chunk's edge
    taps = taps_of(np.arange(bins) * source.rate / stft.frame)
    parts: list[Covariances | None] = [None] * count
    powers = [np.zeros(0, np.float32)] * count

    def add(chunk: int) -> None:
        start = chunk * step - lead * stft.hop
        x = read_padded(source, start, min((chunk + 1) * step, source.frames))[channel]
        X = stft.analyse(x)[: lead + step // stft.hop]
        powers[chunk] = power(X[lead:]).mean(axis=1)
        parts[chunk] = estimate_covariances(np.ascontiguousarray(X[:, :bins]), lead, taps)

    out = np.empty((count, bins, TAPS), np.complex64)

    def solve(chunk: int) -> None:
        near = [part for part in parts[max(chunk - 1, 0) : chunk + 2] if part is not None]
        total = near[0]
        for part in near[1:]:
            total = total + part
        out[chunk] = total.filters()

    for first in range(0, count, GROUP):
        last = min(first + GROUP, count)
        missing = [c for c in range(max(first - 1, 0), min(last + 1, count)) if parts[c] is None]
        in_parallel(add, missing, task.part(first / count, last / count))
        in_parallel(solve, range(first, last), task.part(last / count, last / count))
        for chunk in range(max(first - 1, 0), last - 1):
            parts[chunk] = None  # a chunk's sums take a megabyte: those of hours are never held together
    return out, np.concatenate(powers)


def late_power(P: NDArray[np.float32], rt60_s: float, hop_s: float) -> NDArray[np.float32]:
    """Power of the late echo in every bin of P (frames, bins): the sound LATE_S ago, let decay by the room (Polack's model)."""
    from dubbin.core.treat.dereverb_kernels import decayed

    delay = max(1, round(LATE_S / hop_s))
    decay = 10.0 ** (-6.0 * hop_s / rt60_s)
    return np.asarray(decayed(np.ascontiguousarray(P), np.float32(decay), delay))
