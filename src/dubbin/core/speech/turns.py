"""Who speaks when, of voices that each have a microphone: a voice is heard in all of them, and loudest in its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound import neighbours
from dubbin.core.speech.activity import FRAMES_PER_S, Activity, runs
from dubbin.core.speech.transcript import Word, WordKind

SMOOTH_S = 0.15
# The level difference between two microphones has two heaps: one voice's and the other's. What lies within this share of their
# distance around the middle is both at once.
BOTH_SHARE = 0.18
LEAST_APART_DB = 6.0  # heaps nearer than this are one: the microphones hear the same
TOGETHER_S = 0.18  # shorter than this nobody notices that two speak at once
BRIDGE_S = 0.2


@dataclass(frozen=True)
class Crosstalk:
    """Two voices at once, from start_s to end_s of the session; lanes: their numbers."""

    start_s: float
    end_s: float
    lanes: tuple[int, int]


def own_speech(activities: Sequence[tuple[float, Activity]]) -> list[NDArray[np.bool_]]:
    """For each microphone (start on the session clock in seconds, activity) the frames in which its own voice is heard."""
    own = [activity.audible.copy() for _, activity in activities]
    smooth = [_smooth_level(activity) for _, activity in activities]
    for i in range(len(own)):
        for j in range(i + 1, len(own)):
            mine, theirs = _shared(activities[i], activities[j])
            difference = smooth[i][mine] - smooth[j][theirs]
            heard = activities[i][1].audible[mine] | activities[j][1].audible[theirs]
            heaps = bimodal_split(difference[heard], FRAMES_PER_S)
            if heaps is None:
                continue
            low, high = heaps
            margin = BOTH_SHARE * (high - low)
            own[i][mine] &= difference > (low + high) / 2 - margin
            own[j][theirs] &= difference < (low + high) / 2 + margin
    return own


def _smooth_level(activity: Activity) -> NDArray[np.float64]:
    power = neighbours.uniform_filter1d(10.0 ** (activity.level_db.astype(np.float64) / 10.0), round(SMOOTH_S * FRAMES_PER_S))
    return np.asarray(10.0 * np.log10(np.maximum(power, 1e-15)))


def _shared(a: tuple[float, Activity], b: tuple[float, Activity]) -> tuple[slice, slice]:
    """The frames of two recordings that lie at the same time."""
    offset = round((b[0] - a[0]) * FRAMES_PER_S)
    first, second = (max(offset, 0), max(-offset, 0))
    count = max(min(len(a[1].level_db) - first, len(b[1].level_db) - second), 0)
    return slice(first, first + count), slice(second, second + count)


def hears_the_other(
    activities: Sequence[tuple[float, Activity]], own: Sequence[NDArray[np.bool_]], places: Sequence[Crosstalk]
) -> list[int]:
    """Of the two voices of each place at which both speak, the number of the one whose microphone hears the other.

    That is the one that is softer there against what it usually says: a word thrown in, with the talk of the other over it.
    """
    usual = [_mean_db(a.level_db[: len(o)][o[: len(a.level_db)]]) for (_, a), o in zip(activities, own, strict=True)]

    def over_db(number: int, place: Crosstalk) -> float:
        start_s, activity = activities[number]
        low, high = (round((t - start_s) * FRAMES_PER_S) for t in (place.start_s, place.end_s))
        return _mean_db(activity.level_db[max(low, 0) : max(high, 1)]) - usual[number]

    return [min(place.lanes, key=lambda number: over_db(number, place)) for place in places]


def _mean_db(level_db: NDArray[np.float32]) -> float:
    """Mean power of levels, in dB; 0 of none, so that what can't be compared counts as usual."""
    return 10.0 * float(np.log10(np.mean(10.0 ** (level_db.astype(np.float64) / 10.0)) + 1e-15)) if len(level_db) else 0.0


@dataclass(frozen=True)
class Turn:
    """What one of the speakers of a recording says in one go, with the silence up to the next one; frames of the recording."""

    speaker: int
    start_frame: int
    end_frame: int


def speaker_turns(words: Sequence[Word], frames: int) -> list[Turn]:
    """A recording of several speakers, parted among them without a gap: each turn ends in the middle between its last word and the next one's first.

    frames: length of the recording. Sounds that are no words belong to whose words they stand among.
    """
    said = [w for w in words if w.kind is not WordKind.SOUND]
    turns: list[Turn] = []
    for before, word in zip([None, *said], said, strict=False):
        if before is not None and before.speaker == word.speaker:
            continue
        start = 0 if before is None else (max(before.end_frame, before.start_frame) + word.start_frame) // 2
        if turns:
            turns[-1] = replace(turns[-1], end_frame=max(start, turns[-1].start_frame))
        turns.append(Turn(word.speaker, max(start, turns[-1].end_frame if turns else 0), frames))
    return turns


def bimodal_split(values: NDArray[np.float64], fewest: int) -> tuple[float, float] | None:
    """Middles in dB of two heaps of level differences; None where there is but one, or fewer values than `fewest`."""
    if len(values) < fewest:
        return None
    ordered = np.sort(values)
    low, high = (float(q) for q in np.quantile(ordered, (0.1, 0.9)))
    for _ in range(20):
        parted = int(np.searchsorted(ordered, (low + high) / 2, side="right"))
        if parted in (0, len(ordered)):
            return None
        last, (low, high) = (low, high), (_middle(ordered[:parted]), _middle(ordered[parted:]))
        if (low, high) == last:
            break
    return (low, high) if high - low >= LEAST_APART_DB else None


def _middle(ordered: NDArray[np.float64]) -> float:
    """The median of sorted values."""
    half = len(ordered) // 2
    return float(ordered[half]) if len(ordered) % 2 else float((ordered[half - 1] + ordered[half]) / 2)


def crosstalk(own: Sequence[NDArray[np.bool_]], starts_s: Sequence[float]) -> list[Crosstalk]:
    """Places where two voices speak at once; own: from `own_speech`."""
    out = []
    for i in range(len(own)):
        for j in range(i + 1, len(own)):
            offset = round((starts_s[j] - starts_s[i]) * FRAMES_PER_S)
            a, b = (max(offset, 0), 0) if offset >= 0 else (0, -offset)
            count = min(len(own[i]) - a, len(own[j]) - b)
            if count <= 0:
                continue
            width = round(BRIDGE_S * FRAMES_PER_S)
            both = own[i][a : a + count] & own[j][b : b + count]
            both = neighbours.closed(np.pad(both, width), width)[width:-width]
            for start, end in zip(*runs(both), strict=True):
                if end - start >= TOGETHER_S * FRAMES_PER_S:
                    base = starts_s[i] + a / FRAMES_PER_S
                    out.append(Crosstalk(base + start / FRAMES_PER_S, base + end / FRAMES_PER_S, (i, j)))
    return sorted(out, key=lambda c: c.start_s)
