"""The tail guard: where exactly a cut may fall so that nothing of a word is lost and nothing is heard of the cut.

An edge goes to the quietest instant that is left to it, on a zero crossing; breaths are left whole on the side of the word that they belong to; and
where sound goes on at both edges, the second one is moved by a few milliseconds so that the waves meet in step (as in pitch-synchronous overlap-add,
Moulines and Charpentier, Speech Communication 9, 1990).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Source, read_padded

PART_S = 0.005
CROSSING_S = 0.002
BEFORE_S = 0.12  # of room where no other word is near
SLACK_S = 0.025  # around the wanted place in which the quietest instant is looked for
SHARE_BEFORE = 0.6  # of the pause that is left: after the word that stays before, where it rings out
LONGEST_LEFT_S, SHORTEST_LEFT_S = 0.3, 0.04  # of pause between the words that meet
TIGHT_S = 0.03  # words nearer than this are joined
DIP_DB = 9.0  # a cut between joined words is safe where the level falls by so much
STEP_REACH_S = 0.008  # by which an edge is moved so that waves meet in step
MATCH_S = 0.012
TAIL_S = 0.25  # by which a word may sound on after the end that was found for it, or before its start
TAIL_STEP_S, QUIET_S = 0.005, 0.02
TAIL_DB = 9.0  # over what is quietest in a gap: from there on a word still sounds


@dataclass(frozen=True)
class WordCut:
    """Frames to cut. is_tight: on both sides the words are joined to their neighbours, so the cut may be heard."""

    start_frame: int
    end_frame: int
    is_tight: bool = False


def cut_around(mix: Source, first_start: int, last_end: int, before_end: int | None, after_start: int | None) -> WordCut:
    """The cut that takes words from frame first_start to last_end out of what is heard.

    before_end, after_start: of the words next to them, of all voices; None where there is none near. What pause is left between those is the
    longer one of the two that were there, up to LONGEST_LEFT_S.
    """
    rate = mix.rate
    around = round((TAIL_S + BEFORE_S) * rate)
    if before_end is not None:
        before_end, first_start = quiet_core(mix, before_end, first_start)
    else:
        _, first_start = quiet_core(mix, max(first_start - around, 0), first_start)
    if after_start is not None:
        last_end, after_start = quiet_core(mix, last_end, after_start)
    else:
        last_end, _ = quiet_core(mix, last_end, last_end + around)
    room_before = max(first_start - before_end, 0) if before_end is not None else round(BEFORE_S * rate)
    room_after = max(after_start - last_end, 0) if after_start is not None else round(BEFORE_S * rate)
    tight_before, tight_after = room_before < TIGHT_S * rate, room_after < TIGHT_S * rate
    slack, least = round(SLACK_S * rate), round(SHORTEST_LEFT_S * rate)
    wanted = min(max(room_before, room_after, least), round(LONGEST_LEFT_S * rate))
    keep_after = min(max(wanted - room_before, round((1 - SHARE_BEFORE) * wanted)), room_after)
    keep_before = min(wanted - keep_after, room_before)
    start = first_start - room_before + keep_before
    start = quietest(
        mix,
        max(start - slack, first_start - room_before - (slack // 2 if tight_before else 0)),
        min(start + slack, first_start + (slack // 2 if tight_before else 0)),
    )
    end = last_end + room_after - keep_after
    end = quietest(
        mix,
        max(end - slack, last_end - (slack // 2 if tight_after else 0)),
        min(end + slack, last_end + room_after + (slack // 2 if tight_after else 0)),
    )
    tight = tight_before and tight_after and not (is_dip(mix, start) or is_dip(mix, end))
    if tight_before or tight_after:
        end = in_step(mix, start, end)
    return WordCut(start, max(end, start + 1), tight)


def quiet_core(mix: Source, start: int, end: int) -> tuple[int, int]:
    """What is really quiet between the end of a word and the start of the next: a final s sounds on after the end that was found for its word.

    start, end: frames of the gap; the core lies within it, at most TAIL_S from either side. A gap without quiet is given back as it is. Levels are those
    of the differenced sound, in which hisses stand as high as vowels.
    """
    step, quiet = round(TAIL_STEP_S * mix.rate), round(QUIET_S / TAIL_STEP_S)
    count = (end - start) // step
    if count < quiet:
        return start, end
    x = np.diff(read_padded(mix, start, start + count * step).sum(axis=0).astype(np.float64), prepend=0.0)
    x[0] = 0.0
    levels = 10.0 * np.log10(np.mean(x.reshape(count, step) ** 2, axis=1) + 1e-14)
    floor = float(np.convolve(levels, np.ones(quiet) / quiet, mode="valid").min())
    still = levels < floor + TAIL_DB
    sums = np.concatenate([[0], np.cumsum(still)])
    runs = np.flatnonzero(sums[quiet:] - sums[:-quiet] == quiet)  # steps at which quiet begins that lasts
    if not len(runs):
        return start, end
    most = round(TAIL_S * mix.rate)
    first, last = start + int(runs[0]) * step, start + (int(runs[-1]) + quiet) * step
    return min(first, start + most), max(last if last + step <= end else end, end - most)


def quietest(mix: Source, low: int, high: int) -> int:
    """The frame between low and high at which least is heard, on a zero crossing; of equally quiet ones the first."""
    low, high = max(low, 0), max(high, 0)
    size = max(2, round(PART_S * mix.rate))
    if high - low < 2:
        return low
    x = read_padded(mix, low - size // 2, high + size // 2 + 1).sum(axis=0).astype(np.float64)
    sums = np.concatenate([[0.0], np.cumsum(x**2)])
    energy = sums[size:] - sums[:-size]
    levels = 10.0 * np.log10(energy[: high - low + 1] / size + 1e-12)
    near = np.flatnonzero(levels <= levels.min() + 1.0)
    return _crossing(x, int(near[0]) + size // 2, round(CROSSING_S * mix.rate)) - size // 2 + low


def _crossing(x: NDArray[np.float64], at: int, reach: int) -> int:
    a, b = max(at - reach, 1), min(at + reach, len(x) - 1)
    if b <= a:
        return at
    here = np.flatnonzero(np.signbit(x[a - 1 : b - 1]) != np.signbit(x[a:b])) + a
    return int(here[np.argmin(np.abs(here - at))]) if len(here) else at


def is_dip(mix: Source, at: int, around_s: float = 0.05, depth_db: float = DIP_DB) -> bool:
    """Whether the level falls by depth_db at a frame, against the loudest within around_s on both sides."""
    size, around = round(0.008 * mix.rate), round(around_s * mix.rate)
    x = read_padded(mix, at - around, at + around).sum(axis=0).astype(np.float64)
    count = len(x) // size
    levels = 10.0 * np.log10(np.mean(x[: count * size].reshape(count, size) ** 2, axis=1) + 1e-12)
    middle = count // 2
    lowest = levels[middle - 1 : middle + 2].min()
    return bool(levels[:middle].max() - lowest > depth_db and levels[middle:].max() - lowest > depth_db)


def in_step(mix: Source, start: int, end: int) -> int:
    """The cut's end moved by up to STEP_REACH_S so that what follows goes on as what came before would have."""
    size, reach = round(MATCH_S * mix.rate), round(STEP_REACH_S * mix.rate)
    a = read_padded(mix, start - size // 2, start + size // 2).sum(axis=0).astype(np.float64)
    b = read_padded(mix, end - size // 2 - reach, end + size // 2 + reach).sum(axis=0).astype(np.float64)
    if np.sum(a**2) < 1e-9 or np.sum(b**2) < 1e-9:
        return end
    product = np.correlate(b, a, mode="valid")
    sums = np.concatenate([[0.0], np.cumsum(b**2)])
    power = np.sqrt((sums[size:] - sums[:-size])[: len(product)] * np.sum(a**2)) + 1e-12
    likeness = product[: len(power)] / power
    best = int(np.argmax(likeness))
    return end - reach + best if likeness[best] > 0.4 else end
