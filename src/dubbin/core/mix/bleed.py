"""Bleed control: a microphone goes down while somebody else speaks and its own voice does not.

Whoever spoke last stays open until another begins, so that the room does not come and go in the pauses. Two who speak at once are both open.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.balance_settings import BleedControl
from dubbin.core.sound import neighbours
from dubbin.core.speech.activity import runs
from dubbin.core.speech.own_voice import FRAMES_PER_S

Marks = NDArray[np.bool_]
EARLY_S = 0.04  # open before what was found to be the first of a voice: a soft consonant may stand before it


def on_session(own: Marks, start_frame: int, rate: int, count: int) -> Marks:
    """Marks of a lane on the session's clock, `count` of them."""
    out = np.zeros(count, bool)
    offset = round(start_frame / rate * FRAMES_PER_S)
    a, b = max(offset, 0), min(offset + len(own), count)
    if b > a:
        out[a:b] = own[a - offset : b - offset]
    return out


def held(own: Marks, settings: BleedControl) -> Marks:
    """A voice's marks with the hold after them and the time to come up before them."""
    early = int(np.ceil((EARLY_S + settings.fade_ms * 1e-3) * FRAMES_PER_S))
    late = int(np.ceil((settings.hold_ms + settings.fade_ms / 2) * 1e-3 * FRAMES_PER_S))
    starts, ends = runs(own)
    edges = np.zeros(len(own) + 1, np.int64)
    np.add.at(edges, np.maximum(starts - early, 0), 1)
    np.add.at(edges, np.minimum(ends + late, len(own)), -1)
    return np.asarray(np.cumsum(edges[:-1]) > 0)


def bleed_db(own: Mapping[str, Marks], settings: Mapping[str, BleedControl]) -> dict[str, NDArray[np.float64]]:
    """Gain in dB of every microphone with settings, FRAMES_PER_S a second on the clock of the marks.

    own: for all microphones, where their own voices speak, equally long.
    """
    if len(own) < 2:
        return {}
    names = list(own)
    open_now = np.stack([held(own[name], settings.get(name, BleedControl())) for name in names])
    # Who was open last, where nobody is now.
    anybody = np.asarray(open_now.any(axis=0))
    last = np.maximum.accumulate(np.where(anybody, np.arange(len(anybody)), -1))
    open_now = np.asarray(np.where(last >= 0, open_now[:, np.maximum(last, 0)], True))
    out = {}
    for k, name in enumerate(names):
        if name in settings:
            width = max(1, round(settings[name].fade_ms * 1e-3 * FRAMES_PER_S))
            window = np.hanning(width + 2)[1:-1]
            smooth = neighbours.weighted_filter1d(open_now[k].astype(np.float64), window / window.sum(), mode="nearest")
            out[name] = -settings[name].range_db * (1.0 - smooth)
    return out
