"""Pauses: stretches in which nobody on any lane is heard, and how much of each may go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.speech.activity import FRAMES_PER_S, Activity, runs, without_clicks
from dubbin.core.texts import mark, tr
from dubbin.core.treat.settings import setting

SHORTEST_CUT_S = 0.06
QUIET_SHARE, OVER_QUIET_DB = 0.95, 2.0  # of a stretch in which nobody speaks; above it there is something else


@dataclass(frozen=True)
class PauseSettings:
    """What counts as a pause and what is left of it. quieter_than_db None: judged by the room's own noise."""

    quieter_than_db: float | None = setting(
        None, -90.0, -10.0, "dBFS", tr("Level"), tr("What stays below it is a pause; automatic follows the noise floor."), group=tr("Find")
    )
    longer_than_s: float = setting(0.5, 0.1, 10.0, "s", tr("Least length"), tr("Shorter pauses stay as they are."), group=tr("Find"))
    keep_s: float = setting(
        0.0,
        0.0,
        5.0,
        "s",
        tr("Shorten to"),
        tr("What is left of a pause in all, with the room's own noise in it; never less than what protects the words."),
    )
    leave_before_s: float = setting(
        0.04, 0.0, 2.0, "s", tr("Before"), tr("Kept before the next word, where its breath and onset lie."), group=tr("Protect words")
    )
    leave_after_s: float = setting(
        0.06, 0.0, 2.0, "s", tr("After"), tr("Kept after the last word, where it rings out."), group=tr("Protect words")
    )
    shortest_kept_s: float = setting(
        0.04,
        0.0,
        1.0,
        "s",
        tr("Ignore knocks shorter than"),
        tr("A sound shorter than this between two pauses goes with them: it is a click or a knock."),
    )


# Three starting points: how much air a conversation keeps.
CALM = PauseSettings(longer_than_s=1.2, leave_before_s=0.12, leave_after_s=0.2, keep_s=0.85)
EVEN = PauseSettings(longer_than_s=0.7, leave_before_s=0.08, leave_after_s=0.12, keep_s=0.5)
BRISK = PauseSettings(longer_than_s=0.4, leave_before_s=0.06, leave_after_s=0.09, keep_s=0.28)
STARTING_POINTS = {mark("Calm"): CALM, mark("Even"): EVEN, mark("Brisk"): BRISK}


@dataclass(frozen=True)
class Pause:
    """A pause from start_s to end_s; cut_start_s to cut_end_s is what the settings take out of it."""

    start_s: float
    end_s: float
    cut_start_s: float
    cut_end_s: float


def find_pauses(activities: Sequence[tuple[float, Activity]], settings: PauseSettings, duration_s: float) -> list[Pause]:
    """Pauses of a session of `duration_s` seconds.

    activities: (start of the recording on the session clock in seconds, its activity), one a voice. The edges
    of a pause lie where the last sound has become inaudible and where the next one has not begun to be heard
    (tail guard), also when `quieter_than_db` is set by hand to a level at which soft consonants are lost.
    """
    count = int(np.ceil(duration_s * FRAMES_PER_S))
    heard = np.zeros(count, np.bool_)
    loud = np.zeros(count, np.bool_)
    for start_s, activity in activities:
        offset = round(start_s * FRAMES_PER_S)
        _mark(heard, offset, activity.audible)
        if settings.quieter_than_db is not None:
            _mark(loud, offset, without_clicks(activity.level_db >= settings.quieter_than_db))
    if settings.quieter_than_db is not None:
        heard = _grown(loud, heard)
    pauses = []
    starts, ends = runs(~_without_blips(heard, settings.shortest_kept_s))
    for a, b in zip(starts / FRAMES_PER_S, np.minimum(ends / FRAMES_PER_S, duration_s), strict=True):
        if b - a < settings.longer_than_s:
            continue
        # At the ends of the session there is nobody to leave room for on the outer side.
        after = settings.leave_after_s if a > 0 else 0.0
        before = settings.leave_before_s if b < duration_s else 0.0
        spare = max(settings.keep_s - after - before, 0.0) if a > 0 and b < duration_s else 0.0
        cut_start, cut_end = a + after + spare / 2, b - before - spare / 2
        if cut_end - cut_start >= SHORTEST_CUT_S:
            pauses.append(Pause(float(a), float(b), float(cut_start), float(cut_end)))
    return pauses


def level_over(activities: Sequence[tuple[float, Activity]], start_s: float, end_s: float) -> float | None:
    """The level in dBFS that a stretch of the session stays below on all microphones, but for its loudest twentieth; what is quieter is a pause, when nobody speaks
    in that stretch. None where nothing was recorded.

    activities: as `find_pauses` takes them.
    """
    found = []
    for offset_s, activity in activities:
        low, high = (round((t - offset_s) * FRAMES_PER_S) for t in (start_s, end_s))
        part = activity.level_db[max(low, 0) : max(high, 0)]
        if len(part):
            found.append(float(np.quantile(part, QUIET_SHARE)))
    return max(found) + OVER_QUIET_DB if found else None


def _without_blips(heard: NDArray[np.bool_], shortest_s: float) -> NDArray[np.bool_]:
    """The same marks without runs that are shorter than shortest_s."""
    out = heard.copy()
    starts, ends = runs(heard)
    for a, b in zip(starts, ends, strict=True):
        if (b - a) / FRAMES_PER_S < shortest_s and a > 0 and b < len(heard):
            out[a:b] = False
    return out


def _mark(marks: NDArray[np.bool_], offset: int, values: NDArray[np.bool_]) -> None:
    a, b = max(offset, 0), min(offset + len(values), len(marks))
    if b > a:
        marks[a:b] |= values[a - offset : b - offset]


def _grown(loud: NDArray[np.bool_], heard: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Runs of `loud`, each with all audible sound that touches it."""
    out = loud.copy()
    starts, ends = runs(heard | loud)
    for a, b in zip(starts, ends, strict=True):
        if loud[a:b].any():
            inside = np.flatnonzero(loud[a:b])
            # Audible sound goes on from the loud part; far-away remains of it are quieter than asked for.
            reach = round(0.4 * FRAMES_PER_S)
            out[max(a, a + inside[0] - reach) : min(b, a + inside[-1] + 1 + reach)] = True
    return out
