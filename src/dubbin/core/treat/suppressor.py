"""How much of each bin is speech: a log-spectral amplitude estimator in two passes over a whole stretch.

The first pass goes forward in time with the decision-directed rule. The second takes the first one's estimate of the
speech, before and after each frame, as its a priori SNR: an estimate without the lag that blurs the starts of words,
and smooth enough to leave no musical noise.

Sources: Ephraim and Malah, "Speech enhancement using a minimum mean-square error log-spectral amplitude estimator",
IEEE TASSP 1985; Cohen and Berdugo, "Speech enhancement for non-stationary noise environments", Signal Processing 2001
(presence probability and gain floor); Plapous, Marro and Scalart, "Improved signal-to-noise ratio estimation for speech
enhancement", IEEE TASLP 2006 (two steps).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Suppression:
    """gains: (frames, bins), between the floor and 1. snr: power ratio of speech to noise around each bin, as estimated."""

    gains: NDArray[np.float32]
    snr: NDArray[np.float32]


def suppress(
    P: NDArray[np.float32],
    noise: NDArray[np.float32],
    at: NDArray[np.float32] | None = None,
    level: NDArray[np.float32] | None = None,
    *,
    floor: float,
) -> Suppression:
    """Look at power spectra P (frames, bins) over the noise's power.

    noise: of the same shape; or, with `at`, some spectra (steps, bins), of which frame t has the one at place at[t],
    blended from both neighbours. level: (frames,), a factor of the noise's power. A lower `floor` takes the noise further
    down where nobody speaks.
    """
    from dubbin.core.treat.suppressor_kernels import look

    if at is None:
        at = np.arange(len(P), dtype=np.float32)
    if level is None:
        level = np.ones(len(P), np.float32)
    gains, near = np.empty(P.shape, np.float32), np.empty(P.shape, np.float32)
    noise = np.ascontiguousarray(noise, np.float32)
    look(np.ascontiguousarray(P, np.float32), noise, at.astype(np.float32), level, np.float32(floor), gains, near)
    return Suppression(gains, near)


def suppression_gains(P: NDArray[np.float32], noise: NDArray[np.float32], *, floor: float) -> NDArray[np.float32]:
    """The gains of `suppress` alone, with the noise's power given for every frame."""
    return suppress(P, noise, floor=floor).gains
