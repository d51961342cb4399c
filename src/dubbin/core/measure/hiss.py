"""Hiss: the noise that is neither hum, whine nor rumble, which is what a denoiser answers once these have had treatments of their own.

Where one of these is loud, the floor of a recording is theirs: a voice in a quiet room with a hum of -50 dBFS would be denoised for nothing. So the quiet frames that tell
the floor are looked at again, less hum and tones as they run there, and above what counts as rumble; of these the quietest tell, since soft speech may have lain under the hum.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.noise import FRAME_S, QUIET_SHARE, QUIET_SPREAD_DB
from dubbin.core.measure.steady_sound import SteadySound
from dubbin.core.sound import fourier
from dubbin.core.sound.level import finite_or_none, power_to_db
from dubbin.core.sound.source import Source

LOWEST_HZ = 90.0  # a window of 100 ms lets what lies below 65 Hz through to 85
FEWEST, MOST = 5, 600  # windows, spread over the recording


def find_hiss(source: Source, quiet: NDArray[np.bool_], steady: SteadySound) -> float | None:
    """Mean power in dBFS of the loudest channel; None where there are too few windows.

    quiet: of every frame of FRAME_S, whether it tells the floor. steady: hum and tones, which don't count."""
    frame = max(1, round(source.rate * FRAME_S))
    starts = np.flatnonzero(quiet[:-1] & quiet[1:]) * frame
    if len(starts) < FEWEST:
        return None
    share = min(QUIET_SHARE / 2 * len(quiet) / len(starts), 1.0)
    starts = starts[np.linspace(0, len(starts) - 1, min(MOST, len(starts))).round().astype(int)]
    size = 2 * frame
    window = np.hanning(size).astype(np.float32)
    scale = 2.0 / (size * float(np.sum(window**2, dtype=np.float64)))
    lowest = int(np.ceil(LOWEST_HZ * size / source.rate))
    powers = []
    for start in starts:
        x = source.read(int(start), int(start) + size)
        if steady.is_there:
            x = x - steady.synthesise(int(start), x.shape, source.rate)
        X = fourier.rfft((x - x.mean(axis=1, keepdims=True)) * window)[:, lowest:]
        powers.append(float(np.max(np.sum(X.real**2 + X.imag**2, axis=1, dtype=np.float64))) * scale)
    level = 10.0 * np.log10(np.array(powers) + 1e-30)
    return finite_or_none(power_to_db(float(np.mean(np.array(powers)[level <= np.quantile(level, share) + QUIET_SPREAD_DB]))))
