"""The voice guard: how much of the voice a treatment took along, from what it took.

Looked at where the recording holds the voice beyond doubt: bins that stand far above their own quiet level and have just risen
(what goes on or dies away may be echo, whose removal is wanted). The share of such a bin that was removed is the part of
what is removed that goes along with the recording (a regression over a few frames); noise, hum and clicks don't, on average. Loud and
soft parts of the voice weigh by their loudness, a power of 0.3 of their energy (Stevens).

The limit: at -15 dB (root mean square of the shares 0.18) the mean share is a tenth, on natural and synthetic voices alike, and
lowers the voice by 1 dB: about the least change of a spectrum that listeners notice (Moore, "An Introduction to the
Psychology of Hearing", chapter 4).

In a room that doesn't hold for what takes the room away: early reflections lie in the same frames as the voice and go along with it. Of the ideal, the direct sound alone, it
reads -6.7 dB in a room of .25 s, -5.2 dB at .4 s, -3.7 dB at .66 s (a metre away; four real voices, within .5 dB), though nothing of the voice is missing. So where a treatment
shows that there is a room (`measure/echo`), its limit is ROOM_MARGIN_DB under what the ideal would read.

A key that is typed on begins like a consonant: of what is taken out whole by a treatment that may take noises, only what goes with a vowel counts (`taken_whole`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.echo import ringing_db
from dubbin.core.sound import neighbours
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.taken_whole import may_be_voice

FRAME_S = 0.032
STRETCHES, STRETCH_S = 6, 4.0  # looked at, spread over the loud parts
ABOVE_QUIET_DB = 15.0
QUIET_QUANTILE = 0.1
BEFORE_FRAMES = 5  # a bin with RISEN times its highest power in that many frames before is a beginning, without echo yet
RISEN = 2.0
KEPT = 0.25  # of a treatment that mends places, like clicks: bins that lose more power were the fault itself
CELL = (7, 3)  # frames and bins of one regression
LOUDNESS_POWER = 0.3
AUDIBLE_DB = -15.0
# What the ideal reads in a room: so much, and for each dB that is taken more of what dies away; from where on that tells a room, and surely does.
IDEAL_DB, IDEAL_SLOPE, ROOM_MARGIN_DB = -8.9, 1.65, 2.0
DRY_DB, RINGING_DB, HIGHEST_LIMIT_DB = 0.5, 1.0, -4.0
LOWEST_DB = -60.0
FEWEST_BINS = 200


@dataclass(frozen=True)
class Guard:
    """speech_db: the voice in what is removed at full strength, under the voice itself; None where no voice stood out. limit_db: from where on that is heard."""

    speech_db: float | None
    limit_db: float = AUDIBLE_DB

    def at(self, strength: float) -> float | None:
        """The same at a strength from 0 to 1; None where there is nothing."""
        if self.speech_db is None or strength <= 0:
            return None
        return max(self.speech_db + 20.0 * float(np.log10(strength)), LOWEST_DB)

    def is_audible(self, strength: float) -> bool:
        """Whether what is removed at a strength (0 to 1) takes the voice along so that it is heard."""
        level = self.at(strength)
        return level is not None and level > self.limit_db + 1e-9

    @property
    def highest_strength(self) -> float:
        """The strength (0 to 1) just below which the loss can't be heard."""
        if self.speech_db is None:
            return 1.0
        return float(min(1.0, 10.0 ** ((self.limit_db - self.speech_db) / 20.0)))


def measure_guard(
    before: Source,
    after: Source,
    *,
    mends_places: bool = False,
    takes_rooms: bool = False,
    takes_noises: bool = False,
    task: Task | None = None,
) -> Guard:
    """Compare what goes into a treatment with what comes out of it at full strength.

    mends_places: the treatment replaces short places, so that what it takes out whole is no voice. takes_rooms: it may take a room along with what it is there for.
    takes_noises: it may take out whole what begins like a voice and is none.
    """
    task = task or Task()
    limit_db = limit_in_room(ringing_db(before, after, task.part(0.8, 1.0))) if takes_rooms else AUDIBLE_DB
    task = task.part(0.0, 0.8)
    hop = max(16, round(FRAME_S * before.rate / 2 / 16) * 16)
    stft = Stft(2 * hop, hop)
    lost, total, count = 0.0, 0.0, 0
    starts = _loud_stretches(before, task.part(0.0, 0.3))
    for k, start in enumerate(starts):
        task.step(0.3 + 0.7 * k / len(starts))
        stop = min(start + round(STRETCH_S * before.rate), before.frames)
        x, y = read_padded(before, start, stop), read_padded(after, start, stop)
        for channel in range(before.channels):
            X, R = stft.analyse(x[channel]), stft.analyse(x[channel] - y[channel])
            counts = may_be_voice(power(X), power(X - R), x[channel], before.rate, hop) if takes_noises else None
            part = _loss(X, R, mends_places, counts)
            lost, total, count = lost + part[0], total + part[1], count + part[2]
    if count < FEWEST_BINS:
        return Guard(None)
    return Guard(max(10.0 * float(np.log10(lost / total + 1e-12)), LOWEST_DB), limit_db)


def limit_in_room(ringing: float) -> float:
    """From where on a loss is heard, in dB, of a treatment that takes so many dB more of what dies away than of what begins."""
    in_room = min(max(IDEAL_DB + IDEAL_SLOPE * ringing - ROOM_MARGIN_DB, AUDIBLE_DB), HIGHEST_LIMIT_DB)
    surely = min(max((ringing - DRY_DB) / (RINGING_DB - DRY_DB), 0.0), 1.0)
    return AUDIBLE_DB + surely * (in_room - AUDIBLE_DB)


def _loss(
    X: NDArray[np.complex64], R: NDArray[np.complex64], mends_places: bool, counts: NDArray[np.bool_] | None
) -> tuple[float, float, int]:
    """Weighted sum of squared shares that was removed, of the weights, and how many bins were looked at. counts: (frames, bins), of which the loss is one of the voice."""
    P = power(X)
    quiet = np.quantile(neighbours.uniform_filter(P, (3, 3)), QUIET_QUANTILE, axis=0)
    before = np.zeros_like(P)
    before[1:] = neighbours.maximum_filter1d(P, BEFORE_FRAMES, axis=0, origin=BEFORE_FRAMES // 2)[:-1]
    heard = quiet * 10.0 ** (ABOVE_QUIET_DB / 10.0) + 1e-12
    sure = (heard < P) & (RISEN * before <= P)
    if mends_places:
        sure &= power(X - R) > KEPT * P
    own = neighbours.uniform_filter(P, CELL) + 1e-20
    shared = neighbours.uniform_filter((R * np.conj(X)).real, CELL) / own
    by_chance = neighbours.uniform_filter(power(R), CELL) / own / (CELL[0] * CELL[1] / 2)
    share = np.maximum(np.sign(shared) * shared**2 - by_chance, 0.0)
    weight = P**LOUDNESS_POWER
    lost = sure if counts is None else sure & counts
    return float(np.sum((share * weight)[lost])), float(np.sum(weight[sure])), int(sure.sum())


def _loud_stretches(source: Source, task: Task) -> list[int]:
    """First frames of the stretches to look at: of equal parts of the recording the loudest each."""
    length = round(STRETCH_S * source.rate)
    if source.frames <= length:
        return [0]
    starts = np.arange(0, source.frames - length + 1, length)
    looked = starts[:: max(1, len(starts) // (4 * STRETCHES))]
    levels = []
    for k, start in enumerate(looked):
        task.step(k / len(looked))
        levels.append(float(np.mean(np.square(source.read(int(start), int(start) + length)))))
    parts = np.array_split(np.arange(len(looked)), min(STRETCHES, len(looked)))
    return [int(looked[max(part, key=lambda i: levels[i])]) for part in parts if len(part)]
