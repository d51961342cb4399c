"""Dehum: mains hum is rebuilt from its measured harmonics and subtracted; nothing else is filtered.

A listener gets the same sound without the tone under it. Because the hum is subtracted and not notched out, the voice
keeps its own partials near 50, 100, 150 Hz, and a recording without hum passes bit by bit.
Limits: hum that jumps in level within less than a second (a dimmer being turned) leaves a remainder for that second.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from dubbin.core.jobs import Task
from dubbin.core.measure.hum import HumTrack, find_hum, synthesise_hum
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.treatment import Context, Treatment


@dataclass(frozen=True)
class DehumSettings:
    """Everything is measured; there is nothing to set but the strength."""


class Dehum(Treatment):
    """Mains hum and its harmonics subtracted."""

    name: ClassVar[str] = "dehum"
    title: ClassVar[str] = tr("Hum")
    settings_type: ClassVar[type] = DehumSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("hum_dbfs", tr("mains hum"), "dBFS", 1, lambda r: r.hum.level_dbfs, absent=tr("none")),)
    lead_s: ClassVar[float] = 0.0
    tail_s: ClassVar[float] = 0.0
    changes_little: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DehumSettings, task: Task) -> HumTrack | None:
        return find_hum(source, task)

    def is_idle(self, findings: HumTrack | None) -> bool:
        return findings is None

    def process(self, x: Samples, context: Context) -> Samples:
        if context.findings is None:
            return x.copy()
        return x - synthesise_hum(context.findings, context.start_frame, x.shape[1], context.rate)
