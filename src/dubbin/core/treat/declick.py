"""Declick: what lies under every click is estimated from the sound on both sides and from as much of what was recorded as is not click.

First the samples are drawn that make the sound around them best predictable: a least-squares solution under an autoregressive model. Then the click is taken for what it is, noise that
was added: its power at every instant is estimated, and of what was recorded as much is kept as is not click. A loud click is drawn over altogether, a faint one takes nothing of the voice with it. Sources: Janssen,
Veldhuis and Vries, IEEE TASSP 1986; Godsill and Rayner, "Digital Audio Restoration", Springer 1998, chapter 5.2, and IEEE TSAP 1998. Limits: clicks longer than 8 ms are left.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.clicks import Clicks, bridged, find_clicks
from dubbin.core.measure.findings import FEWEST_CLIPPED
from dubbin.core.measure.interpolation import FREE, drawn, uncovered
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

ORDER = 96
AROUND_S = 0.032
PASSES = 2  # the model is fitted again to the repaired sound
BESIDE_S = 0.0003  # on both sides of what stands out: clicks begin and die away under the voice
SMOOTH_S = 0.00025  # of a click's power
WEIGHT, ROUNDS = 1.4, 2


@dataclass(frozen=True)
class DeclickSettings:
    """How much has to stand out."""

    sensitivity: float = setting(
        1.0, 0.5, 2.0, "", tr("Sensitivity"), tr("Higher finds fainter clicks, and sooner takes a consonant for one.")
    )


class Declick(Treatment):
    """What lies under clicks, as far as it can be known."""

    name: ClassVar[str] = "declick"
    title: ClassVar[str] = tr("Clicks")
    settings_type: ClassVar[type] = DeclickSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("clicks", tr("clicks"), tr("clicks"), 0, lambda r: r.clicks.count),)
    lead_s: ClassVar[float] = 0.1
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = True
    mends_places: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DeclickSettings, task: Task) -> Clicks:
        """Where clicks are, channel by channel, in frames."""
        return find_clicks(source, settings.sensitivity, task)

    def measured(self, report: RecordingReport, settings: DeclickSettings) -> Clicks | None:
        """Measuring looks with the usual sensitivity."""
        # Where crests are cut off, those of the report are less than what is found.
        return report.clicks if settings.sensitivity == 1.0 and report.clipping.count < FEWEST_CLIPPED else None

    def is_idle(self, findings: Clicks) -> bool:
        """Whether no channel has any."""
        return not any(findings.spans)

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with every click drawn anew from what stands around it."""
        clicks: Clicks = context.findings
        out = x.copy()
        for channel, spans in enumerate(clicks.spans):
            moved = [(a - context.start_frame, b - context.start_frame) for a, b in spans]
            here = [(a, b) for a, b in moved if a >= 0 and b <= x.shape[1]]
            # One click must not be drawn into the next; from the bridge the first fit of each starts.
            out[channel] = bridged(x[channel], here)
            for a, b in here:
                mended(out[channel], x[channel], a, b, context.rate)
        return out


def mended(y: NDArray[np.float32], x: NDArray[np.float32], start: int, end: int, rate: int) -> None:
    """Write into y (frames,) what lies under the click from start to end of the recorded x (frames,). y: x with a bridge over every click."""
    around, beside = round(AROUND_S * rate), round(BESIDE_S * rate)
    start, end = max(start - beside, 0), min(end + beside, len(y))
    low, high = max(0, start - around), min(len(y), end + around)
    piece, gap = y[low:high].astype(np.float64), np.arange(start - low, end - low)
    if len(piece) < 3 * ORDER + len(gap):
        return
    piece[gap] = drawn(piece, gap, np.ones(len(gap)), np.full(len(gap), FREE), order=ORDER, passes=PASSES)
    recorded = x[start:end].astype(np.float64)
    y[start:end] = uncovered(piece, recorded, start - low, order=ORDER, width=round(SMOOTH_S * rate) | 1, weight=WEIGHT, rounds=ROUNDS)
