"""What pauses tell of the words beside them: by how much a recogniser's times are late as a rule, and until when the last word sounds.

Where speech falls silent its end can be measured; inside a sentence it can't. A recogniser is late or early by as much everywhere, but not every recogniser by as
much (the quick model's starts come 60 ms late and its ends 100, the thorough one's ends up to 140 ms early), and not in every voice. So it is
measured in the recording itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import neighbours
from dubbin.core.speech.decoding import HeardWord

STEP_S = 0.005  # of levels
LOUD_S, LOUD_STEP_S, LOUD_SHARE = (
    3.1,
    0.1,
    90,
)  # over which the loudness around is taken, how finely, and which part of the levels counts as loud
AUDIBLE_DB = -25.0  # against the loudness around: what is softer is silence or the room
FAINTEST_DB, LOUDEST_SHARE = -20.0, 99  # that loudness, against the loudest of the whole: around is nothing but silence where it is less
PAUSE_S = 0.12  # the shortest that tells something
NEAR_S = 0.4  # a word further from a pause is not the one beside it
FEWEST = 5  # pauses, of fewer the middle is chance
USUAL_LAG_S, USUAL_END_LAG_S = 0.06, 0.06  # where there are fewer
SOUNDS_ON_S, DIP_S, APART_S = (
    0.2,
    0.03,
    0.03,
)  # by which a word goes on at most; how long it may fall silent meanwhile; from the next word, or it has no pause behind it


def audible_steps(levels: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Steps in which the levels of bands, (n, bands) in dB, are loud enough against what is loud around to be speech."""
    power = np.zeros(len(levels))
    for band in levels.T:  # one by one: hours of all of them would take much memory
        power += 10.0 ** (band.astype(np.float64) / 10.0)
    level = neighbours.uniform_filter1d(10.0 * np.log10(power / levels.shape[1]), 3)
    every = round(LOUD_STEP_S / STEP_S)
    loud = np.repeat(neighbours.percentile_filter(level[::every], LOUD_SHARE, round(LOUD_S / LOUD_STEP_S)), every)[: len(level)]
    return np.asarray(level > np.maximum(loud, np.percentile(level, LOUDEST_SHARE) + FAINTEST_DB) + AUDIBLE_DB)


def usual_lags(words: Sequence[HeardWord], audible: NDArray[np.bool_]) -> tuple[float, float]:
    """Seconds by which starts and ends of sorted words come late, or, below 0, early: the middle of all beside pauses."""
    middles = np.array([(w.start_s + w.end_s) / 2 for w in words])
    late: tuple[list[float], list[float]] = ([], [])
    for begin, end in _pauses(audible):
        k = int(np.searchsorted(middles, (begin + end) / 2))
        if k < len(words):
            late[0].append(words[k].start_s - end)
        if k > 0:
            late[1].append(words[k - 1].end_s - begin)
    near = [[e for e in errors if abs(e) < NEAR_S] for errors in late]
    start, end = (
        float(np.median(errors)) if len(errors) >= FEWEST else usual
        for errors, usual in zip(near, (USUAL_LAG_S, USUAL_END_LAG_S), strict=True)
    )
    return start, end


def _pauses(audible: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Begin and end of each pause, in seconds."""
    change = np.diff(np.concatenate([[1], audible.astype(np.int8), [1]]))
    spans = zip(np.flatnonzero(change == -1) * STEP_S, np.flatnonzero(change == 1) * STEP_S, strict=True)
    return [(float(a), float(b)) for a, b in spans if b - a >= PAUSE_S]


def sounding_on(words: Sequence[HeardWord], audible: NDArray[np.bool_]) -> list[HeardWord]:
    """Sorted words, those before a pause with ends where their sound has ended. Where it goes on for longer than a word rings out, it is something else: they stay as they are."""
    out = []
    dip, length_s = round(DIP_S / STEP_S), len(audible) * STEP_S
    for k, word in enumerate(words):
        until = words[k + 1].start_s if k + 1 < len(words) else length_s
        end = word.end_s
        if until - end > APART_S:
            last = at = round(end / STEP_S)
            stop = min(int(min(until, end + SOUNDS_ON_S) / STEP_S), len(audible))
            while at < stop and at - last <= dip:
                at += 1
                if audible[at - 1]:
                    last = at
            rings_out, reaches_next = last < stop, last * STEP_S >= until - STEP_S
            if rings_out or reaches_next:
                end = min(max(end, last * STEP_S), until)
        out.append(replace(word, end_s=end))
    return out
