"""The compiled part of `limiter`: gain that goes down at once and comes back slowly."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel


@kernel()
def release(wanted: F32, coefficient: np.float32, out: F32) -> None:
    """Write into out (frames,) the gain that follows `wanted` (frames,), 0 to 1: down at once, up by the coefficient.

    coefficient: share of the distance to 1 that is kept from frame to frame."""
    state = np.float32(1.0)
    for n in range(len(wanted)):
        target = wanted[n]
        if target < state:
            state = target
        else:
            state = np.float32(1.0) - coefficient * (np.float32(1.0) - state)
            if state > target:
                state = target
        out[n] = state
