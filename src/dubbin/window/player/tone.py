"""A short tone on a sound device, to hear whether it is the right one."""

from __future__ import annotations

import numpy as np

from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples

TONE_HZ, TONE_S, TONE_DBFS, FADE_S = 440.0, 1.0, -20.0, 0.02


def short_tone(rate: int) -> Samples:
    """A sine of one second with soft ends, the same on both sides; (2, frames), peak at -20 dBFS."""
    n = np.arange(round(TONE_S * rate))
    fade = FADE_S * rate
    shape = np.clip(np.minimum(n, len(n) - 1 - n) / fade, 0.0, 1.0)
    x = db_to_gain(TONE_DBFS) * shape * np.sin(2 * np.pi * TONE_HZ * n / rate)
    return np.tile(x.astype(np.float32), (2, 1))
