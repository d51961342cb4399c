"""Gains that follow a sound, a step every millisecond: levels in, smooth gains out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import neighbours

STEP_S = 0.001


def step_frames(rate: int) -> int:
    """Frames between two levels, at `rate` Hz."""
    return max(1, round(STEP_S * rate))


def step_levels(x: NDArray[np.float32], start_frame: int, rate: int, width_s: float) -> tuple[NDArray[np.float64], int]:
    """Mean square in dB over width_s around every step, of the loudest channel, and the frame of x at which the first step's middle lies.

    x: (channels, frames). Steps lie on a grid of the recording, whose frame start_frame is the first of x.
    """
    from dubbin.core.treat.envelope_kernels import step_powers

    step = step_frames(rate)
    offset = -start_frame % step
    power = np.empty(max((x.shape[1] - offset) // step, 1))
    step_powers(x, offset, step, power)
    width = max(1, round(width_s / STEP_S))
    if width > 1:
        power = np.maximum(neighbours.uniform_filter1d(power, width, mode="nearest"), 0.0)
    return 10.0 * np.log10(power + 1e-12), offset + step // 2


def held_down(wanted_db: NDArray[np.float64], attack_s: float, hold_s: float, release_s: float) -> NDArray[np.float64]:
    """Gains (at most 0 dB) that are down when they are wanted down, having begun attack_s before, and come back slowly.

    wanted_db: a step every STEP_S.
    """
    from dubbin.core.treat.envelope_kernels import released

    ahead, hold = max(1, round(attack_s / STEP_S)), round(hold_s / STEP_S)
    hold += (ahead + hold) % 2
    # Down from `ahead` steps before to `hold` steps after every step that wants it; then smoothed over as long as it came early.
    centred = neighbours.minimum_filter1d(wanted_db, ahead + hold + 1, mode="nearest")
    low = centred[np.clip(np.arange(len(centred)) + (ahead - hold) // 2, 0, len(centred) - 1)]
    out = released(low, float(np.exp(-STEP_S / max(release_s, 1e-4))))
    return np.asarray(neighbours.uniform_filter1d(out, ahead | 1, mode="nearest"))


def to_frames(gain_db: NDArray[np.float64], first: int, rate: int, count: int) -> NDArray[np.float32]:
    """Linear gains for `count` frames, straight in dB between the steps; first: frame of the first step."""
    from dubbin.core.treat.envelope_kernels import drawn

    out = np.empty(count, np.float32)
    drawn(gain_db, first, step_frames(rate), out)
    return out
