"""The compiled part of `envelope`: gain that comes back slowly."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, kernel


@kernel()
def released(wanted: F64, keep: float) -> F64:
    """Gains (steps,) in dB that go down with `wanted` (steps,) at once, and come back by a share of 1 - keep a step."""
    out = np.empty_like(wanted)
    state = 0.0
    for n in range(len(wanted)):
        state = min(wanted[n], keep * state + (1.0 - keep) * wanted[n])
        out[n] = state
    return out
