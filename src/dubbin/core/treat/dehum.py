"""Dehum: mains hum and other steady tones are rebuilt as they were measured and subtracted; nothing else is filtered.

A listener gets the same sound without the tone under it. Because the tone is subtracted and not notched out, the voice
keeps its own partials near 50, 100, 150 Hz or wherever a converter whines, and a recording without steady tones passes bit by bit.
Where a gate has shut and the recording is digital silence, there is no tone, and none is subtracted.
Limits: a tone that jumps in level within less than a second (a dimmer being turned) leaves a remainder for that second; one whose pitch wanders by more than some Hz
a second, as a motor's, is noise to it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.measure.steady_sound import SteadySound, find_steady_sound
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.treatment import Context, Treatment

SILENCE_S = 0.01  # of zeros and nothing else: sound that is only soft has none so long


@dataclass(frozen=True)
class DehumSettings:
    """Everything is measured; there is nothing to set but the strength."""


class Dehum(Treatment):
    """Mains hum with its harmonics, and other steady tones, subtracted."""

    name: ClassVar[str] = "dehum"
    title: ClassVar[str] = tr("Hum")
    settings_type: ClassVar[type] = DehumSettings
    figures: ClassVar[tuple[Figure, ...]] = (
        Figure("hum_dbfs", tr("hum and tones"), "dBFS", 1, lambda r: r.steady_dbfs, absent=tr("none")),
    )
    lead_s: ClassVar[float] = SILENCE_S
    tail_s: ClassVar[float] = SILENCE_S
    changes_little: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DehumSettings, task: Task) -> SteadySound:
        """Hum and steady tones, with their course in level and phase."""
        return find_steady_sound(source, task)

    def is_idle(self, findings: SteadySound | None) -> bool:
        """Whether there are none."""
        return findings is None or not findings.is_there

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) without hum and tones; stretches of digital silence stay silent."""
        findings: SteadySound | None = context.findings
        if findings is None or not findings.is_there:
            return x.copy()
        steady = findings.synthesise(context.start_frame, x.shape, context.rate)
        for channel, tone in zip(x, steady, strict=True):
            for start, end in _silences(channel, round(SILENCE_S * context.rate)):
                tone[start:end] = 0.0
        return x - steady


def _silences(x: Samples, shortest: int) -> list[tuple[int, int]]:
    """Start and end of each run of at least so many zeros in x (frames,)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], x == 0, [False]])))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2) if b - a >= shortest]
