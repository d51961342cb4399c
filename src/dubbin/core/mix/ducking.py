"""Ducking: how far music goes down under speech, known ahead, so that it is down before the first word."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.balance_settings import Ducking
from dubbin.core.mix.gain_curve import POINTS_PER_S

LEAST_WORD_S = 0.12  # what is shorter is no word


def ducking_db(speech: NDArray[np.bool_], settings: Ducking) -> NDArray[np.float64]:
    """Gain in dB, one a mark. speech: POINTS_PER_S marks a second of the program.

    In full before the first word: the attack ends where speech begins. After the last it holds, then is released. Both ways like half a cosine, in dB.
    """
    n = len(speech)
    position = np.arange(n)
    edges = np.diff(np.concatenate([[0], speech.astype(np.int8), [0]]))
    starts, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    long = ends - starts >= LEAST_WORD_S * POINTS_PER_S
    starts, ends = starts[long], ends[long]
    if not len(starts) or settings.depth_db == 0:
        return np.zeros(n)
    following = np.searchsorted(starts, position, side="left")
    until = np.where(following < len(starts), starts[np.minimum(following, len(starts) - 1)] - position, n + 10**9).astype(float)
    before = np.searchsorted(starts, position, side="right") - 1
    since = np.where(before >= 0, position - ends[np.maximum(before, 0)] + 1, n + 10**9).astype(float)
    attack, hold, release = (ms * 1e-3 * POINTS_PER_S for ms in (settings.attack_ms, settings.hold_ms, settings.release_ms))
    down = np.maximum(1.0 - until / attack, 1.0 - np.maximum(since - hold, 0.0) / release)
    down = np.clip(down, 0.0, 1.0)
    return np.asarray(-settings.depth_db * (0.5 - 0.5 * np.cos(np.pi * down)))
