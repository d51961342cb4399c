"""Filters over neighbouring values, as `scipy.ndimage` has them, from the compiled part of it alone.

Importing all of `scipy.ndimage` takes a quarter of a second, which every program that measures would pay at its start; most of it is for array libraries other than NumPy.
"""

from __future__ import annotations

from functools import cache
from types import ModuleType
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dubbin.core.compiled_module import compiled_module

MODES = {"nearest": 0, "reflect": 2, "constant": 4}  # what lies beyond the ends: the last value, a mirror image, zeros


@cache
def _compiled(name: str) -> ModuleType:
    """A compiled module of scipy.ndimage, without what lies around it."""
    return compiled_module(f"scipy.ndimage.{name}")


def uniform_filter1d(x: ArrayLike, size: int, axis: int = -1, mode: str = "reflect") -> NDArray[Any]:
    """Mean of `size` neighbours along an axis, by a running sum."""
    x = np.asarray(x)
    out = np.zeros(x.shape, x.dtype)
    _compiled("_nd_image").uniform_filter1d(x, size, axis % x.ndim, out, MODES[mode], 0.0, 0)
    return out


def uniform_filter(x: ArrayLike, size: tuple[int, ...], mode: str = "reflect") -> NDArray[Any]:
    """Mean of neighbours along every axis, one size for each."""
    out = np.asarray(x)
    for axis, one in enumerate(size):
        if one > 1:
            out = uniform_filter1d(out, one, axis, mode)
    return out


def minimum_filter1d(x: ArrayLike, size: int, axis: int = -1, mode: str = "reflect", origin: int = 0) -> NDArray[Any]:
    """Least of `size` neighbours along an axis. origin: by how many places these lie earlier than around the value."""
    return _extreme(x, size, axis, mode, origin, least=True)


def maximum_filter1d(x: ArrayLike, size: int, axis: int = -1, mode: str = "reflect", origin: int = 0) -> NDArray[Any]:
    """Highest of `size` neighbours along an axis. origin: by how many places these lie earlier than around the value."""
    return _extreme(x, size, axis, mode, origin, least=False)


def _extreme(x: ArrayLike, size: int, axis: int, mode: str, origin: int, *, least: bool) -> NDArray[Any]:
    x = np.asarray(x)
    out = np.zeros(x.shape, x.dtype)
    _compiled("_nd_image").min_or_max_filter1d(x, size, axis % x.ndim, out, MODES[mode], 0.0, origin, int(least))
    return out


def weighted_filter1d(x: ArrayLike, weights: NDArray[np.float64], mode: str = "reflect") -> NDArray[Any]:
    """Sum of neighbours along the last axis, each times its weight. weights: symmetric; of an even number the later half lies around the value and after it."""
    x = np.asarray(x)
    out = np.zeros(x.shape, x.dtype)
    _compiled("_nd_image").correlate1d(
        x, np.ascontiguousarray(weights, np.float64), x.ndim - 1, out, MODES[mode], 0.0, -1 if len(weights) % 2 == 0 else 0
    )
    return out


def gaussian_filter1d(x: ArrayLike, sigma: float, mode: str = "reflect", truncate: float = 4.0) -> NDArray[Any]:
    """Gaussian mean along the last axis. sigma: in values; truncate: sigmas to both sides that count."""
    radius = int(truncate * float(sigma) + 0.5)
    weights = np.exp(-0.5 / (sigma * sigma) * np.arange(-radius, radius + 1) ** 2)
    return weighted_filter1d(x, weights / weights.sum(), mode)


def median_filter(x: ArrayLike, size: int, mode: str = "reflect") -> NDArray[Any]:
    """Median of `size` neighbours along the last axis, the upper one of two in the middle."""
    return _ranked(np.asarray(x), size // 2, size, mode)


def percentile_filter(x: ArrayLike, percentile: float, size: int, mode: str = "reflect") -> NDArray[Any]:
    """The percentile of `size` neighbours along the last axis: one of them, the lower one."""
    rank = size - 1 if percentile == 100.0 else int(float(size) * percentile / 100.0)
    return _ranked(np.asarray(x), rank, size, mode)


def _ranked(x: NDArray[Any], rank: int, size: int, mode: str) -> NDArray[Any]:
    if rank == 0:
        return minimum_filter1d(x, size, mode=mode)
    if rank == size - 1:
        return maximum_filter1d(x, size, mode=mode)
    if x.ndim > 1:
        return np.stack([_ranked(row, rank, size, mode) for row in x]) if len(x) else x.copy()
    wide = x if x.dtype in (np.float32, np.float64, np.int64) else x.astype(np.int64)
    out = np.zeros_like(wide)
    if len(x) >= (size - 1) // 2:
        _compiled("_rank_filter_1d").rank_filter(wide, rank, size, out, MODES[mode], wide.dtype.type(0), 0)
    else:  # the fast one wants as many values as half a window
        _compiled("_nd_image").rank_filter(wide, rank, np.ones(size, bool), out, MODES[mode], 0.0, [0])
    return out.astype(x.dtype, copy=False)


def dilated(x: NDArray[np.bool_], size: int) -> NDArray[np.bool_]:
    """(n,): true wherever one of `size` values around is."""
    return _eroded(x, size, -1 if size % 2 == 0 else 0, inverted=True)


def closed(x: NDArray[np.bool_], size: int) -> NDArray[np.bool_]:
    """(n,): true where it was, and in gaps of less than `size` values; both ends are false."""
    return _eroded(dilated(x, size), size, 0, inverted=False)


def opened(x: NDArray[np.bool_], size: int) -> NDArray[np.bool_]:
    """(n,): true where it was for at least `size` values in a row."""
    return dilated(_eroded(x, size, 0, inverted=False), size)


def _eroded(x: NDArray[np.bool_], size: int, origin: int, *, inverted: bool) -> NDArray[np.bool_]:
    x = np.ascontiguousarray(x, bool)
    out = np.zeros(x.shape, bool)
    _compiled("_nd_image").binary_erosion(x, np.ones(size, bool), None, out, 0, [origin], int(inverted), True, 0)
    return out
