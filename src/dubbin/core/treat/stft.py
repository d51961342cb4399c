"""Short-time spectra on a fixed grid: frame k of a recording always begins at the same sample.

Frames are worked on some at a time, few enough to stay in the processor's cache between cutting, transform and power.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import fourier

TOGETHER = 1 << 16  # samples of all frames that are worked on at a time


@dataclass(frozen=True)
class Stft:
    """Root-Hann analysis and synthesis; overlap-add of `frame` over `hop` gives the input back.

    frame, hop: frames (samples); frame is a multiple of hop, at least twice.
    """

    frame: int
    hop: int

    @cached_property
    def window(self) -> NDArray[np.float32]:
        """Of analysis and synthesis, (frame,): with the overlap its squares add up to one."""
        n = np.arange(self.frame)
        hann = 0.5 - 0.5 * np.cos(2 * np.pi * n / self.frame)
        return np.sqrt(hann * (2.0 * self.hop / self.frame)).astype(np.float32)

    @property
    def bins(self) -> int:
        """Of one frame."""
        return self.frame // 2 + 1

    def count(self, length: int) -> int:
        """Frames that cover `length` samples, the first beginning frame - hop samples before them."""
        return -(-(length + self.frame - self.hop) // self.hop)

    def analyse(self, x: NDArray[np.float32]) -> NDArray[np.complex64]:
        """Spectra (count, bins) of one channel (length,)."""
        out = np.empty((self.count(len(x)), self.bins), np.complex64)
        for _ in self._spectra(x, 1, out):
            pass
        return out

    def powers(self, x: NDArray[np.float32], every: int = 1) -> NDArray[np.float32]:
        """|X|^2 of the spectra of one channel, (count, bins); with `every`, only of each such frame."""
        from dubbin.core.treat import stft_kernels

        out = np.empty((-(-self.count(len(x)) // every), self.bins), np.float32)
        for at, X in self._spectra(x, every):
            stft_kernels.power(X, out[at : at + len(X)])
        return out

    def _spectra(
        self, x: NDArray[np.float32], every: int, out: NDArray[np.complex64] | None = None
    ) -> Iterator[tuple[int, NDArray[np.complex64]]]:
        """(number of the first, spectra) of some frames at a time; written to `out` where it is given."""
        from dubbin.core.treat import stft_kernels

        x = np.ascontiguousarray(x, np.float32)
        count, step = -(-self.count(len(x)) // every), self.hop * every
        together = max(TOGETHER // self.frame, 4)
        pieces = np.empty((min(together, count), self.frame), np.float32)
        for at in range(0, count, together):
            some = pieces[: min(together, count - at)]
            stft_kernels.cut(x, self.window, at * step - (self.frame - self.hop), step, some)
            yield at, fourier.rfft(some, out=None if out is None else out[at : at + len(some)])

    def synthesise(self, X: NDArray[np.complex64], length: int) -> NDArray[np.float32]:
        """The samples (length,) that `analyse` took X from, or what was made of them."""
        from dubbin.core.treat import stft_kernels

        out = np.zeros(length, np.float32)
        together = max(TOGETHER // self.frame, 4)
        for at in range(0, len(X), together):
            pieces = fourier.irfft(X[at : at + together], self.frame)
            stft_kernels.add(pieces, self.window, at * self.hop - (self.frame - self.hop), self.hop, out)
        return out


def power(X: NDArray[np.complex64]) -> NDArray[np.float32]:
    """|X|^2 of spectra (count, bins), without the detour over the root."""
    from dubbin.core.treat import stft_kernels

    out = np.empty(X.shape, np.float32)
    stft_kernels.power(X, out)
    return out
