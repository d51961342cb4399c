"""The compiled part of `true_peak`: how high and how bent a wave is."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel


@kernel(fastmath=True)
def extremes(x: F32, highest: F32, bend: F32) -> None:
    """Of each line of x (lines, n), n at least 3: its highest sample and its highest second difference, both without sign, (lines,)."""
    for k in range(len(x)):
        y = x[k]
        peak = max(abs(y[0]), abs(y[1]))
        most = np.float32(0.0)
        for n in range(2, len(y)):
            peak = max(peak, abs(y[n]))
            most = max(most, abs(y[n] - np.float32(2.0) * y[n - 1] + y[n - 2]))
        highest[k], bend[k] = peak, most
