"""Dereverb: the late echo of the room goes down, the voice comes close.

Two steps. Weighted prediction error: what can be predicted of a sub-band from its own past, at least 32 ms ago, is echo and is
subtracted; direct sound and early reflections can't be predicted from so far. Then what late echo remains is estimated from the
room's decay and taken down like a noise. Prediction filters are found for overlapping stretches and blended from one to the
next, so that the result is the same wherever one begins to listen.

Sources: Nakatani, Yoshioka, Kinoshita, Miyoshi and Juang, "Speech dereverberation based on variance-normalized delayed linear
prediction", IEEE TASLP 2010; Lebart, Boucher and Denbigh, "A new method based on spectral subtraction for speech dereverberation",
Acta Acustica 2001. Limits: the room must not change within some seconds; two voices in one microphone halve the effect.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from dubbin.core.jobs import Task
from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.settings import setting
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import suppression_gains
from dubbin.core.treat.treatment import Context, Treatment

HOP_S, OVERLAP = 0.008, 4
DELAY = 4  # hops between a frame and the last one that it is predicted from
TAPS = 22
HIGHEST_HZ = 6000.0  # of the predicted bins; above, echo dies away by itself
STRETCH_S, STEP_S = 12.0, 8.0  # a filter is found from STRETCH_S around, every STEP_S
ITERATIONS = 2
LATE_S = 0.045
UNKNOWN_RT60_S = 0.45


@dataclass(frozen=True)
class DereverbSettings:
    depth_db: float = setting(
        12.0,
        3.0,
        24.0,
        "dB",
        "Depth",
        "How far late echo that can't be predicted goes down. Deeper is drier and more processed.",
    )


@dataclass(frozen=True)
class RoomFilters:
    """filters: (channels, stretches, bins, TAPS) complex; stretch s is right at frame (s + 0.5) * step."""

    filters: NDArray[np.complex64]
    step: int
    rt60_s: float


def dereverb_stft(rate: int) -> Stft:
    hop = max(16, round(HOP_S * rate / 16) * 16)
    return Stft(hop * OVERLAP, hop)


class Dereverb(Treatment):
    name: ClassVar[str] = "dereverb"
    title: ClassVar[str] = "Echo"
    settings_type: ClassVar[type] = DereverbSettings
    lead_s: ClassVar[float] = 1.0
    tail_s: ClassVar[float] = 0.1

    def analyse(self, source: Source, settings: DereverbSettings, task: Task) -> RoomFilters:
        stft = dereverb_stft(source.rate)
        bins = min(int(HIGHEST_HZ * stft.frame / source.rate), stft.bins)
        step, reach = round(STEP_S * source.rate), round(STRETCH_S * source.rate / 2)
        count = max(1, -(-source.frames // step))
        filters = np.zeros((source.channels, count, bins, TAPS), np.complex64)
        for k in range(count):
            task.step(0.9 * k / count)
            centre = k * step + step // 2
            low, high = max(0, centre - reach), min(source.frames, centre + reach)
            x = source.read(low, high)
            for channel in range(source.channels):
                filters[channel, k] = prediction_filters(stft.analyse(x[channel])[:, :bins])
        rt60 = measure_echo(source, task.part(0.9, 1.0)).rt60_s
        return RoomFilters(filters, step, rt60 or UNKNOWN_RT60_S)

    def process(self, x: Samples, context: Context) -> Samples:
        stft, found = dereverb_stft(context.rate), context.findings
        out = np.empty_like(x)
        for channel in range(x.shape[0]):
            X = stft.analyse(x[channel])
            centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
            Y = X.copy()
            bins = found.filters.shape[2]
            Y[:, :bins] -= _predicted(X[:, :bins], found.filters[channel], centres / found.step - 0.5)
            late = late_power(power(X), found.rt60_s, stft.hop / context.rate)
            late[:, :bins] *= np.minimum(1.0, power(Y[:, :bins]) / np.maximum(power(X[:, :bins]), 1e-20))
            Y *= suppression_gains(power(Y), late + 1e-14, floor=db_to_gain(-context.settings.depth_db))
            out[channel] = stft.synthesise(Y, x.shape[1])
        return out


def prediction_filters(X: NDArray[np.complex64]) -> NDArray[np.complex64]:
    """Filters (bins, TAPS) that predict each bin of X (frames, bins) from its past."""
    bins = X.shape[1]
    past = _past(X)
    filters = np.zeros((bins, TAPS), np.complex64)
    Y = X
    total = float(np.mean(power(X))) + 1e-20
    for _ in range(ITERATIONS):
        P = ndimage.uniform_filter(power(Y), (3, 3), mode="nearest")
        weight = 1.0 / np.maximum(P, 1e-4 * total + 1e-3 * P.mean(axis=0))
        weighted = past * weight.T[:, :, None]
        R = np.conj(weighted.transpose(0, 2, 1)) @ past
        r = np.conj(weighted.transpose(0, 2, 1)) @ X.T[:, :, None]
        load = 1e-4 * np.trace(R, axis1=1, axis2=2).real / TAPS + 1e-20
        R += load[:, None, None] * np.eye(TAPS, dtype=np.complex64)
        filters = np.linalg.solve(R, r)[..., 0].astype(np.complex64)
        Y = X - (past @ filters[..., None])[..., 0].T
    return filters


def late_power(P: NDArray[np.float32], rt60_s: float, hop_s: float) -> NDArray[np.float32]:
    """Power of the late echo in every bin: the sound LATE_S ago, let decay by the room (Polack's model)."""
    delay = max(1, round(LATE_S / hop_s))
    decay = 10.0 ** (-6.0 * hop_s / rt60_s)
    smooth = signal.lfilter([1.0 - decay], [1.0, -decay], P, axis=0)
    late = np.zeros_like(P)
    late[delay:] = smooth[:-delay] * decay**delay
    return late


def _past(X: NDArray[np.complex64]) -> NDArray[np.complex64]:
    """(bins, frames, TAPS): for every frame those from DELAY hops ago on backwards."""
    padded = np.concatenate([np.zeros((DELAY + TAPS - 1, X.shape[1]), np.complex64), X])
    view = np.lib.stride_tricks.sliding_window_view(padded, TAPS, axis=0)[: len(X)]
    return np.ascontiguousarray(view[:, :, ::-1].transpose(1, 0, 2))


def _predicted(
    X: NDArray[np.complex64], filters: NDArray[np.complex64], place: NDArray[np.float64]
) -> NDArray[np.complex64]:
    """What the filters, blended by each frame's place among the stretches, predict of X."""
    place = np.clip(place, 0, len(filters) - 1)
    past = _past(X)
    out = np.zeros_like(X)
    for k in range(int(place.min()), int(np.ceil(place.max())) + 1):
        share = np.clip(1.0 - np.abs(place - k), 0.0, 1.0).astype(np.float32)
        used = np.flatnonzero(share)
        if len(used):
            low, high = used[0], used[-1] + 1
            part = (past[:, low:high] @ filters[k][..., None])[..., 0].T
            out[low:high] += share[low:high, None] * part
    return out
