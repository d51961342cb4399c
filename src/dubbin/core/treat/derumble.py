"""Derumble: wind, handling and traffic below the voice go, the voice keeps its body.

A high-pass of linear phase under the lowest voice, forwards and aligned. Limits: a plosive's thump reaches up into the voice;
what of it lies above the edge stays.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

STOP_DB = 52.0
# The response falls from the pass edge to the stop edge, which lies this share below it.
STOP_SHARE = 0.87


@dataclass(frozen=True)
class DerumbleSettings:
    edge_hz: float = setting(
        78.0,
        30.0,
        150.0,
        "Hz",
        "Keep above",
        "The lowest frequency that stays as it is; a low man's voice begins at about 80 Hz.",
    )


@lru_cache(maxsize=16)
def high_pass(rate: int, edge_hz: float) -> NDArray[np.float64]:
    """Linear-phase FIR, odd length: 1 above `edge_hz`, STOP_DB down below STOP_SHARE of it."""
    stop_hz = edge_hz * STOP_SHARE
    count, beta = signal.kaiserord(STOP_DB, (edge_hz - stop_hz) / (rate / 2))
    count |= 1
    return np.asarray(
        signal.firwin(count, (edge_hz + stop_hz) / 2, window=("kaiser", beta), pass_zero=False, fs=rate)
    )


class Derumble(Treatment):
    name: ClassVar[str] = "derumble"
    title: ClassVar[str] = "Rumble"
    settings_type: ClassVar[type] = DerumbleSettings
    lead_s: ClassVar[float] = 0.5
    tail_s: ClassVar[float] = 0.5

    def analyse(self, source: Source, settings: DerumbleSettings, task: Task) -> None:
        return None

    def process(self, x: Samples, context: Context) -> Samples:
        taps = high_pass(context.rate, context.settings.edge_hz)
        y = signal.oaconvolve(x, taps[None].astype(np.float32), mode="full", axes=1)
        delay = len(taps) // 2
        return np.ascontiguousarray(y[:, delay : delay + x.shape[1]], np.float32)
