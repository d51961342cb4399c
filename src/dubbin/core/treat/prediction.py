"""Weighted prediction error: what of every sub-band can be predicted from its own past.

Sums are kept a chunk at a time, so that the filter of any stretch is made from the sums of its chunks, and chunks are worked on
side by side. Source: Nakatani, Yoshioka, Kinoshita, Miyoshi and Juang, "Speech dereverberation based on variance-normalized
delayed linear prediction", IEEE TASLP 2010.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LOADING = 1e-4  # of the mean eigenvalue, on the diagonal


@dataclass(frozen=True)
class Quietest:
    """Shares of the mean power of all bins, and of the bin: no frame weighs more than these allow."""

    of_all: float
    of_bin: float


@dataclass(frozen=True)
class Covariances:
    """correlation: (bins, TAPS, TAPS) of the past with itself; target: (bins, TAPS) of the past with the present; 0 beyond the taps
    (bins,) of a bin."""

    correlation: NDArray[np.complex64]
    target: NDArray[np.complex64]
    taps: NDArray[np.int64]

    def __add__(self, other: Covariances) -> Covariances:
        return Covariances(self.correlation + other.correlation, self.target + other.target, self.taps)

    def filters(self) -> NDArray[np.complex64]:
        """Filters (bins, TAPS), the latest frame first; 0 where a bin has fewer."""
        out = np.zeros(self.target.shape, np.complex64)
        for count in np.unique(self.taps):
            bins = np.flatnonzero(self.taps == count)
            R = self.correlation[bins, :count, :count]
            load = LOADING * np.trace(R, axis1=1, axis2=2).real / count + 1e-20
            R += load[:, None, None] * np.eye(count, dtype=np.float32)
            out[bins, :count] = np.linalg.solve(R, self.target[bins, :count, None])[..., 0]
        return out


def estimate_covariances(
    X: NDArray[np.complex64], P: NDArray[np.float32], begin: int, taps: NDArray[np.int64], quietest: Quietest
) -> Covariances:
    """Sums over frames `begin` to the end of X (frames, bins); those before it are only past.

    Frames weigh by the inverse of P (frames, bins), the power of the voice in them. taps: (bins,).
    """
    from dubbin.core.treat.prediction_kernels import covariances

    weight = 1.0 / np.maximum(P, quietest.of_all * P.mean() + quietest.of_bin * P.mean(axis=0) + 1e-20)
    real, imaginary = _parts(X)
    correlation, target = covariances(real, imaginary, np.ascontiguousarray(weight.T, np.float32), begin, taps)
    return Covariances(correlation, target, taps)


def predicted(X: NDArray[np.complex64], filters: NDArray[np.complex64], place: NDArray[np.float32]) -> NDArray[np.complex64]:
    """What filters (stretches, bins, TAPS), blended by each frame's place among the stretches, predict of X (frames, bins).

    The first DELAY + TAPS frames have too little past: nothing is predicted there.
    """
    from dubbin.core.treat.prediction_kernels import predict

    place = np.clip(place, 0, len(filters) - 1).astype(np.float32)
    real, imaginary = predict(*_parts(X), np.ascontiguousarray(filters), place)
    out = np.empty(X.shape, np.complex64)
    out.real, out.imag = real.T, imaginary.T
    return out


def _parts(X: NDArray[np.complex64]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Real and imaginary part of (frames, bins), each as (bins, frames)."""
    return np.ascontiguousarray(X.real.T), np.ascontiguousarray(X.imag.T)
