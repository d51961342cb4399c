"""The time ruler's ticks: round times at a readable distance."""

from __future__ import annotations

STEPS_S = (
    0.001,
    0.002,
    0.005,
    0.01,
    0.02,
    0.05,
    0.1,
    0.2,
    0.5,
    1,
    2,
    5,
    10,
    15,
    30,
    60,
    120,
    300,
    600,
    1800,
    3600,
)
SMALLEST_GAP_PX = 84


def tick_step_s(seconds_per_pixel: float) -> float:
    """Seconds between labelled ticks."""
    for step in STEPS_S:
        if step / seconds_per_pixel >= SMALLEST_GAP_PX:
            return float(step)
    return float(STEPS_S[-1])


def digits_for(step_s: float) -> int:
    """Decimals that a label needs."""
    return 0 if step_s >= 1 else 1 if step_s >= 0.1 else 2 if step_s >= 0.01 else 3
