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
from dubbin.core.measure.clicks import Clicks, bridged, find_clicks
from dubbin.core.measure.interpolation import FREE, drawn
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

ORDER = 96
AROUND_S = 0.032
PASSES = 2  # the model is fitted again to the repaired sound


@dataclass(frozen=True)
class DeclickSettings:
    """How much has to stand out."""

    sensitivity: float = setting(
        1.0, 0.5, 2.0, "", tr("Sensitivity"), tr("Higher finds fainter clicks, and sooner takes a consonant for one.")
    )


class Declick(Treatment):
    """Clicks taken out and drawn anew."""

    name: ClassVar[str] = "declick"
    title: ClassVar[str] = tr("Clicks")
    settings_type: ClassVar[type] = DeclickSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("clicks", tr("clicks"), tr("clicks"), 0, lambda r: r.clicks.count),)
    lead_s: ClassVar[float] = 0.1
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True
    mends_places: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DeclickSettings, task: Task) -> Clicks:
        return find_clicks(source, settings.sensitivity, task)

    def measured(self, report: RecordingReport, settings: DeclickSettings) -> Clicks | None:
        """Measuring looks with the usual sensitivity."""
        return report.clicks if settings.sensitivity == 1.0 else None

    def is_idle(self, findings: Clicks) -> bool:
        return not any(findings.spans)

    def process(self, x: Samples, context: Context) -> Samples:
        clicks: Clicks = context.findings
        out = x.copy()
        for channel, spans in enumerate(clicks.spans):
            moved = [(a - context.start_frame, b - context.start_frame) for a, b in spans]
            here = [(a, b) for a, b in moved if a >= 0 and b <= x.shape[1]]
            # One click must not be drawn into the next; from the bridge the first fit of each starts.
            out[channel] = bridged(x[channel], here)
            for a, b in here:
                interpolated(out[channel], a, b, context.rate)
        return out


def interpolated(x: NDArray[np.float32], start: int, end: int, rate: int) -> None:
    """Draw samples start to end of x (frames,) from their surroundings."""
    around = round(AROUND_S * rate)
    low, high = max(0, start - around), min(len(x), end + around)
    piece, gap = x[low:high].astype(np.float64), np.arange(start - low, end - low)
    if len(piece) >= 3 * ORDER + len(gap):
        x[start:end] = drawn(piece, gap, np.ones(len(gap)), np.full(len(gap), FREE), order=ORDER, passes=PASSES)
