"""Short-time spectra on a fixed grid: frame k of a recording always begins at the same sample."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import fft


@dataclass(frozen=True)
class Stft:
    """Root-Hann analysis and synthesis; overlap-add of `frame` over `hop` gives the input back.

    frame, hop: frames (samples); frame is a multiple of hop, at least twice.
    """

    frame: int
    hop: int

    @cached_property
    def window(self) -> NDArray[np.float32]:
        n = np.arange(self.frame)
        hann = 0.5 - 0.5 * np.cos(2 * np.pi * n / self.frame)
        return np.sqrt(hann * (2.0 * self.hop / self.frame)).astype(np.float32)

    @property
    def bins(self) -> int:
        return self.frame // 2 + 1

    def count(self, length: int) -> int:
        """Frames that cover `length` samples, the first beginning frame - hop samples before them."""
        return -(-(length + self.frame - self.hop) // self.hop)

    def analyse(self, x: NDArray[np.float32], every: int = 1) -> NDArray[np.complex64]:
        """Spectra (count, bins) of one channel (length,); with `every`, only of each such frame."""
        count = self.count(len(x))
        lead = self.frame - self.hop
        padded = np.zeros((count - 1) * self.hop + self.frame, np.float32)
        padded[lead : lead + len(x)] = x
        windows = np.lib.stride_tricks.sliding_window_view(padded, self.frame)[:: self.hop * every]
        return fft.rfft(windows * self.window, axis=1)

    def synthesise(self, X: NDArray[np.complex64], length: int) -> NDArray[np.float32]:
        """The samples (length,) that `analyse` took X from, or what was made of them."""
        pieces = fft.irfft(X, self.frame, axis=1).astype(np.float32, copy=False) * self.window
        ratio = self.frame // self.hop
        count = len(pieces)
        out = np.zeros((count + ratio - 1, self.hop), np.float32)
        shaped = pieces.reshape(count, ratio, self.hop)
        for k in range(ratio):
            out[k : k + count] += shaped[:, k]
        lead = self.frame - self.hop
        return out.reshape(-1)[lead : lead + length]


def power(X: NDArray[np.complex64]) -> NDArray[np.float32]:
    """|X|^2 without the detour over the root."""
    return X.real**2 + X.imag**2
