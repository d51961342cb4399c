"""The compiled part of `wav_in_place`: interleaved whole numbers of a file as samples, in one pass."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.kernel import F32, kernel


@kernel()
def samples_24(data: NDArray[np.uint8], channels: int) -> F32:
    """Little-endian 24-bit frames as (channels, n), full scale 1."""
    frames = len(data) // (3 * channels)
    out = np.empty((channels, frames), np.float32)
    for c in range(channels):
        for n in range(frames):
            k = 3 * (n * channels + c)
            whole = np.int32(np.uint32(data[k]) << 8 | np.uint32(data[k + 1]) << 16 | np.uint32(data[k + 2]) << 24)
            out[c, n] = np.float32(whole) * np.float32(2.0**-31)
    return out


@kernel()
def samples_16(data: NDArray[np.int16], channels: int) -> F32:
    """16-bit frames as (channels, n), full scale 1."""
    frames = len(data) // channels
    out = np.empty((channels, frames), np.float32)
    for c in range(channels):
        for n in range(frames):
            out[c, n] = np.float32(data[n * channels + c]) * np.float32(2.0**-15)
    return out
