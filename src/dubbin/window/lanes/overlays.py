"""What stands on the lanes besides the sound: every step's page asks for its own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Lane

# Of a lane: colour, gain in dB and its step in s, for each curve of gain reduction.
Reductions = Callable[[Lane], list[tuple[str, NDArray[np.float64], float]]]


@dataclass(frozen=True)
class Overlays:
    """levels: level lines and fades, which can be dragged. reductions: gives gain reduction to be drawn."""

    pauses: bool = False
    findings: bool = False
    words: bool = False
    levels: bool = False
    reductions: Reductions | None = None
