"""How two spans are joined: how long the crossfade is and which shape it has, from the sound on both sides.

Two unlike sounds (room noise and room noise) keep their level when the squares of the fades sum to 1, two like ones (the same hum, the same
vowel) when the fades themselves do. In between, the fades follow from the correlation of the two. Source: Fink, Holters and Zölzer,
"Signal-matched power-complementary cross-fading and dry-wet mixing", DAFx-16, 2016.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import SeamShape
from dubbin.core.sound.source import Source, read_padded

SHORT_MS, LONG_MS = 10.0, 36.0  # in flowing speech; in steady noise
LOOK_S = 0.045  # to both sides of an edge
PART_S = 0.005
STEADY_DB = 7.0  # between the loudest and the quietest part around an edge in steady noise
LIKE_FROM = 0.5  # correlation from which a seam is said to be joined with equal gain


@dataclass(frozen=True)
class SeamPlan:
    """half: frames of the crossfade to each side of the seam. correlation: 0 to 1, of what is faded out with what is faded in."""

    half: int
    correlation: float = 0.0

    @property
    def shape(self) -> SeamShape:
        """Equal power or equal gain."""
        return SeamShape.GAIN if self.correlation >= LIKE_FROM else SeamShape.POWER

    def fades(self, n: NDArray[np.int64]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Gains (out, in) at positions n of 0 to 2 * half - 1."""
        angle = np.pi / 2 * (n + 0.5) / max(2 * self.half, 1)
        out, into = np.cos(angle), np.sin(angle)
        level = np.sqrt(1.0 + 2.0 * self.correlation * out * into)
        return (out / level).astype(np.float32), (into / level).astype(np.float32)


def plan_seam(mix: Source, before: int, after: int, room: int, ms: float | None, shape: SeamShape) -> SeamPlan:
    """The crossfade from what is heard up to frame `before` to what is heard from frame `after` on.

    room: the most frames to each side. ms None: the length that suits the sound.
    """
    if ms is None:
        look = round(LOOK_S * mix.rate)
        steady = all(_is_steady(mix, edge - look, edge + look) for edge in (before, after))
        ms = LONG_MS if steady else SHORT_MS
    half = max(0, min(round(ms * 1e-3 * mix.rate / 2), room))
    if shape is not SeamShape.AUTO or half < 2:
        return SeamPlan(half, 1.0 if shape is SeamShape.GAIN else 0.0)
    a, b = read_padded(mix, before - half, before + half), read_padded(mix, after - half, after + half)
    product = float(np.sum(a.astype(np.float64) * b))
    power = float(np.sqrt(np.sum(a.astype(np.float64) ** 2) * np.sum(b.astype(np.float64) ** 2)))
    return SeamPlan(half, min(max(product / power, 0.0), 1.0) if power > 1e-12 else 0.0)


def _is_steady(mix: Source, start: int, stop: int) -> bool:
    size = max(1, round(PART_S * mix.rate))
    x = read_padded(mix, start, stop).astype(np.float64)
    count = x.shape[1] // size
    power = np.mean(x[:, : count * size].reshape(x.shape[0], count, size) ** 2, axis=(0, 2)) + 1e-12
    levels = 10.0 * np.log10(power)
    return bool(levels.max() - levels.min() < STEADY_DB)
