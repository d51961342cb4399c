"""Filters of second-order sections over a stream of blocks; they run without Python's lock.

Designed here and not by scipy.signal, which takes most of a second to import: what measures is wanted at every start.
Source of the design: Oppenheim and Schafer, "Discrete-Time Signal Processing", 3rd edition, chapter 7 (Butterworth prototype, bilinear transform).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

NOTHING = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)  # a section that changes nothing


class StreamFilter:
    """Second-order sections that go on from block to block."""

    def __init__(self, sos: NDArray[np.float64], channels: int) -> None:
        """sos: (sections, 6), each with a0 = 1, as scipy.signal designs them."""
        if not np.allclose(sos[:, 3], 1.0):
            raise ValueError("sections must have a0 = 1")
        self._pairs = np.array([*sos, *[NOTHING] * (len(sos) % 2)], np.float64).reshape(-1, 2, 6)
        self._states = np.zeros((len(self._pairs), 2, channels, 2))

    def push(self, x: NDArray[Any]) -> NDArray[np.float64]:
        """The next block (channels, frames), filtered."""
        from dubbin.core.sound.filtering_kernels import cascade

        out = np.empty(x.shape)
        for pair, state in zip(self._pairs, self._states, strict=True):
            cascade(x, pair, state, out)
            x = out
        return out


def running_mean(x: NDArray[Any], keep: float, start: NDArray[Any] | None = None) -> NDArray[np.float64]:
    """Of x (n,) or (n, columns): each value keeps so much (0 to 1) of the one before. start: (columns,), what came before the first; 0 without it."""
    from dubbin.core.sound.filtering_kernels import one_pole

    columns = np.ascontiguousarray(x, np.float64).reshape(len(x), -1)
    state = np.zeros(columns.shape[1]) if start is None else np.array(start, np.float64)
    out = np.empty_like(columns)
    one_pole(columns, keep, state, out)
    return out.reshape(x.shape)


def low_pass(order: int, edge_hz: float, rate: int) -> NDArray[np.float64]:
    """Butterworth low-pass of an even order, as second-order sections (order / 2, 6)."""
    edge = 2.0 * rate * np.tan(np.pi * edge_hz / rate)
    poles = _bilinear(edge * _prototype(order), rate)
    return _sections(poles, np.full(order, -1.0 + 0j), 0.0)


def band_pass(order: int, low_hz: float, high_hz: float, rate: int) -> NDArray[np.float64]:
    """Butterworth band-pass that falls with `order` on both sides, as second-order sections (order, 6). Its edges are at -3 dB."""
    low, high = (2.0 * rate * np.tan(np.pi * edge / rate) for edge in (low_hz, high_hz))
    half, middle = (high - low) / 2.0 * _prototype(order), np.sqrt(low * high)
    root = np.sqrt(half**2 - middle**2 + 0j)
    poles = _bilinear(np.concatenate([half + root, half - root]), rate)
    centre = 2.0 * np.arctan(middle / (2.0 * rate))
    return _sections(poles, np.array([1.0 + 0j, -1.0 + 0j] * order), float(centre))


def _prototype(order: int) -> NDArray[np.complex128]:
    """Poles of the analogue low-pass with its edge at 1 rad/s."""
    if order % 2:
        raise ValueError("only even orders, whose poles are all in pairs")
    poles: NDArray[np.complex128] = np.exp(1j * np.pi * (2.0 * np.arange(order) + order + 1) / (2 * order))
    return poles


def _bilinear(poles: NDArray[np.complex128], rate: int) -> NDArray[np.complex128]:
    moved = (2.0 * rate + poles) / (2.0 * rate - poles)
    return np.asarray(moved, np.complex128)


def _sections(poles: NDArray[np.complex128], zeros: NDArray[np.complex128], unity: float) -> NDArray[np.float64]:
    """Second-order sections of pairs of poles, the best damped first, each with a gain of 1 at the angle `unity`."""
    upper = sorted(poles[poles.imag > 0], key=abs)
    z = np.exp(-1j * unity)
    rows = []
    for k, pole in enumerate(upper):
        a, b = zeros[2 * k : 2 * k + 2].real
        numerator = np.array([1.0, -(a + b), a * b])
        denominator = np.array([1.0, -2.0 * pole.real, abs(pole) ** 2])
        gain = abs(np.polyval(denominator[::-1], z) / np.polyval(numerator[::-1], z))
        rows.append([*(gain * numerator), *denominator])
    return np.array(rows)
