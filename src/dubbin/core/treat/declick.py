"""Declick: every click is cut out and what was under it is drawn from the sound on both sides.

The missing samples are those that make the sound around them best predictable: a least-squares solution under an
autoregressive model. Source: Godsill and Rayner, "Digital Audio Restoration", Springer 1998, chapter 5.2; Janssen,
Veldhuis and Vries, IEEE TASSP 1986. Limits: clicks longer than 4 ms are left; a click on a sharp consonant may stay.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.clicks import Clicks, bridged, find_clicks, predictor
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

ORDER = 96
AROUND_S = 0.032
PASSES = 2  # the model is fitted again to the repaired sound


@dataclass(frozen=True)
class DeclickSettings:
    """How much has to stand out."""

    sensitivity: float = setting(1.0, 0.5, 2.0, "", "Sensitivity", "Higher finds fainter clicks, and sooner takes a consonant for one.")


class Declick(Treatment):
    """Clicks taken out and drawn anew."""

    name: ClassVar[str] = "declick"
    title: ClassVar[str] = "Clicks"
    settings_type: ClassVar[type] = DeclickSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("clicks", "clicks", "clicks", 0, lambda r: r.clicks.count),)
    lead_s: ClassVar[float] = 0.1
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True
    mends_places: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DeclickSettings, task: Task) -> Clicks:
        return find_clicks(source, settings.sensitivity, task)

    def is_idle(self, findings: Clicks) -> bool:
        return not any(findings.spans)

    def process(self, x: Samples, context: Context) -> Samples:
        clicks: Clicks = context.findings
        out = x.copy()
        for channel, spans in enumerate(clicks.spans):
            moved = [(a - context.start_frame, b - context.start_frame) for a, b in spans]
            here = [(a, b) for a, b in moved if a >= 0 and b <= x.shape[1]]
            out[channel] = bridged(x[channel], here)  # one click must not be drawn into the next
            for a, b in here:
                interpolated(out[channel], a, b, context.rate)
        return out


def interpolated(x: NDArray[np.float32], start: int, end: int, rate: int) -> NDArray[np.float32]:
    """x (frames,) with samples start to end drawn from their surroundings; the array itself is changed."""
    around = round(AROUND_S * rate)
    low, high = max(0, start - around), min(len(x), end + around)
    piece = x[low:high].astype(np.float64)
    gap = np.arange(start - low, end - low)
    if len(piece) < 3 * ORDER + len(gap):
        return x
    known = np.ones(len(piece), bool)
    known[gap] = False
    piece[gap] = np.interp(gap, np.flatnonzero(known), piece[known])
    window = np.hanning(len(piece) + 2)[1:-1] * 0.9 + 0.1
    for _ in range(PASSES):
        a = predictor(piece * window, ORDER)
        piece[gap] = _least_squares(piece, gap, known, a)
    x[start:end] = piece[gap]
    return x


def _least_squares(x: NDArray[np.float64], gap: NDArray[np.int64], known: NDArray[np.bool_], a: NDArray[np.float64]) -> NDArray[np.float64]:
    """The samples in `gap` that minimise the energy of the prediction error: a Toeplitz system, since the gap has no holes."""
    from scipy.linalg import solve_toeplitz

    order = len(a) - 1
    correlation = np.correlate(a, a, "full")[order:]
    column = np.zeros(len(gap))
    count = min(order + 1, len(gap))
    column[:count] = correlation[:count]
    column[0] *= 1 + 1e-9
    y = np.where(known, x, 0.0)
    lags = np.concatenate([correlation[::-1], correlation[1:]])
    start, stop = gap[0], gap[-1] + 1
    low, high = start - order, stop + order
    piece = np.pad(y, (max(-low, 0), max(high - len(y), 0)))[max(low, 0) : max(low, 0) + high - low]
    right = -np.convolve(piece, lags, "valid")
    return np.asarray(solve_toeplitz(column, right))
