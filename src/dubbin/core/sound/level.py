"""Between amplitudes and decibels."""

from __future__ import annotations

import math


def db_to_gain(level_db: float) -> float:
    """Amplitude factor of a level in dB; -inf gives 0."""
    out: float = 10.0 ** (level_db / 20.0)
    return out


def gain_to_db(gain: float) -> float:
    """Level in dB of an amplitude factor; 0 gives -inf."""
    return 20.0 * math.log10(gain) if gain > 0 else -math.inf


def power_to_db(power: float) -> float:
    """Level in dB of a mean square; 0 gives -inf."""
    return 10.0 * math.log10(power) if power > 0 else -math.inf


def finite_or_none(value: float | None) -> float | None:
    """The value, or None where it is absent, infinite or not a number (for files and reports)."""
    return value if value is not None and math.isfinite(value) else None
