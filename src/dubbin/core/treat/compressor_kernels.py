"""The compiled part of `compressor`: gain that follows what is wanted, with attack and release."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F32, kernel


@kernel()
def smooth(wanted: F32, attack: float, release: float, slow_attack: float, slow_release: float, follows: bool, out: F32) -> None:
    """Write into out (frames,) the gain in dB that follows `wanted` (frames,), at most 0.

    attack, release: shares kept from frame to frame while it goes down and up. follows: a second, slow follower (slow_attack, slow_release) holds the gain where
    it was held for long."""
    state, slow = np.float64(0.0), np.float64(0.0)
    for n in range(len(wanted)):
        w = np.float64(wanted[n])
        coefficient = attack if w < state else release
        state = coefficient * state + (1.0 - coefficient) * w
        if follows:
            # What has been held back for long is let go slowly.
            coefficient = slow_attack if w < slow else slow_release
            slow = coefficient * slow + (1.0 - coefficient) * w
            if slow < state:
                state = slow
        out[n] = state
