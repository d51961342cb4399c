"""The compiled parts of `packing`: whole numbers and their second differences, there and back, in one pass each."""

from __future__ import annotations

from dubbin.core.kernel import F32, I32, kernel


@kernel()
def differences(x: F32, scale: float, most: int, d: I32, kept: F32) -> None:
    """x (channels, n) rounded to steps of 1 / scale, up to `most` of them: their second differences in d, and what they stand for in kept; both shaped as x."""
    step = 1.0 / scale
    for c in range(x.shape[0]):
        before = before_last = 0
        for n in range(x.shape[1]):
            value = min(round(x[c, n] * scale), most)
            kept[c, n] = value * step
            d[c, n] = value - 2 * before + before_last
            if n == 1:
                d[c, n] = value - before  # the second is told by the first alone
            before_last = before
            before = value


@kernel()
def samples(d: I32, step: float, first: int, out: F32) -> None:
    """What `differences` took apart: values first to first + out.shape[1] of each channel of d (channels, n), times step."""
    for c in range(d.shape[0]):
        value = slope = 0
        for n in range(first + out.shape[1]):
            slope = 0 if n == 0 else slope + d[c, n]
            value += d[c, n] if n == 0 else slope
            if n >= first:
                out[c, n - first] = value * step
