"""The prediction filters of a recording's room, found in two rounds.

Frames count the less for a filter the more power the voice has in them, since there it isn't echo that explains them. In the first round that power is the recording's own, echo
included; in the second it is what the first round and the room's network leave of it. Sources: Nakatani et al., "Speech dereverberation based on variance-normalized delayed linear
prediction", IEEE TASLP 2010 (the power found again from what was predicted); Kinoshita, Delcroix, Kwon, Mori and Nakatani, "Neural network-based spectrum estimation for online WPE
dereverberation", Interspeech 2017 (from a network). Limits: both rounds take the room to stand still for some seconds; a third one loses what the second gains. Figures, and what else was
tried, are in `training/room_mask`.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound import neighbours
from dubbin.core.sound.recent import RecentSound
from dubbin.core.sound.source import Source
from dubbin.core.treat.prediction import Covariances, Quietest, estimate_covariances
from dubbin.core.treat.prediction_taps import DELAY, TAPS, taps_of
from dubbin.core.treat.room_mask import REACH, speech_level
from dubbin.core.treat.room_prediction import RoomFilters, dereverb_stft, predict_away, room_gains
from dubbin.core.treat.stft import Stft, power

HIGHEST_HZ = 8000.0  # of the predicted bins; above, echo dies away by itself
CHUNK_S = 6.0  # a filter each, from the chunk and its neighbours
PIECE, GROUP = 4, 16  # chunks that are looked at in one, and that are worked on together
UNKNOWN_RT60_S = 0.45
AS_RECORDED, AS_LEFT = Quietest(1e-4, 1e-3), Quietest(1e-3, 1e-5)
LATE_DOWN_DB = 8.0  # how far the late echo goes down of which the second round tells the voice
AROUND = REACH + DELAY + TAPS  # frames before and after a chunk that its second round looks at; less than half a chunk

# Spectra of some chunks in a row (frames, all bins), the power of the voice in the bins that are predicted: `lead` frames before the first, then their own; and the mean power
# of their own frames, where it counts.
Looked = tuple[NDArray[np.complex64], NDArray[np.float32], NDArray[np.float32]]
NOTHING = np.zeros(0, np.float32)


def find_room(source: Source, task: Task) -> RoomFilters:
    """Look through a source."""
    stft = dereverb_stft(source.rate)
    step = round(CHUNK_S * source.rate / stft.hop) * stft.hop
    rt60 = measure_echo(source, task.part(0.0, 0.1)).rt60_s or UNKNOWN_RT60_S
    filters, levels = [], []
    for channel in range(source.channels):
        part = task.part(0.1 + 0.9 * channel / source.channels, 0.1 + 0.9 * (channel + 1) / source.channels)
        found, level_db = _filters(source, channel, stft, step, rt60, part)
        filters.append(found)
        levels.append(level_db)
    return RoomFilters(np.stack(filters), step, rt60, tuple(levels))


def _filters(source: Source, channel: int, stft: Stft, step: int, rt60_s: float, task: Task) -> tuple[NDArray[np.complex64], float]:
    """A filter for every chunk, (chunks, bins, TAPS), and the level of speech in dB."""
    bins = min(int(HIGHEST_HZ * stft.frame / source.rate), stft.bins)
    count = max(1, -(-source.frames // step))
    lead = DELAY + TAPS + stft.frame // stft.hop  # frames of past, and those that reach over the chunk's edge
    hops = step // stft.hop
    taps = taps_of(np.arange(bins) * source.rate / stft.frame)
    sound = RecentSound(source, channel, PIECE * step, most=2 * GROUP // PIECE + 4)
    powers: list[NDArray[np.float32]] = []
    out = np.zeros((count, bins, TAPS), np.complex64)
    known = RoomFilters(out[None], step, rt60_s, ())  # the array itself: a filter is replaced once all that need it are through

    def as_recorded(first: int, last: int) -> Looked:
        X = stft.analyse(sound.read(first * step - lead * stft.hop, min(last * step, source.frames)))[: lead + (last - first) * hops]
        return X, neighbours.uniform_filter(power(X[:, :bins]), (3, 3), mode="nearest"), power(X[lead:]).mean(axis=1)

    def as_left(first: int, last: int) -> Looked:
        start = first * step - (lead + AROUND) * stft.hop
        X = stft.analyse(sound.read(start, min(last * step, source.frames) + AROUND * stft.hop))
        left = X.copy()
        found = predict_away(left, known, 0, stft, source.rate, start)
        P = found.after[:, :bins] * room_gains(found, level_db, LATE_DOWN_DB, stft, source.rate, bins) ** 2
        own = slice(AROUND, AROUND + lead + (last - first) * hops)
        return X[own], neighbours.uniform_filter1d(P[own], 3, axis=0, mode="nearest"), NOTHING

    one, two = _Round(as_recorded, AS_RECORDED, out, taps, lead, hops), _Round(as_left, AS_LEFT, out, taps, lead, hops)
    groups = [range(first, min(first + GROUP, count)) for first in range(0, count, GROUP)]
    for k, group in enumerate(groups):
        part = task.part(k / len(groups), (k + 1) / len(groups))
        powers += one.work(group, part.part(0.0, 0.4))
        level_db = speech_level(np.concatenate(powers))  # of all that was heard so far
        if k:  # a group behind: what it looks at reaches into the next one
            two.work(groups[k - 1], part.part(0.4, 1.0))
    two.work(groups[-1], task.part(1.0, 1.0))
    return out, level_db


class _Round:
    """Finds filters, a group of chunks after the other, each from the sums of its own and of both neighbours.

    out: (chunks, bins, TAPS) that is filled. taps: (bins,). lead: frames of past. hops: of a chunk."""

    def __init__(
        self,
        look: Callable[[int, int], Looked],
        quietest: Quietest,
        out: NDArray[np.complex64],
        taps: NDArray[np.int64],
        lead: int,
        hops: int,
    ) -> None:
        self._look, self._quietest, self._out, self._taps, self._lead, self._hops = look, quietest, out, taps, lead, hops
        self._parts: list[Covariances | None] = [None] * len(out)
        self._done = 0  # chunks whose sums were made

    def work(self, group: range, task: Task) -> list[NDArray[np.float32]]:
        """The mean powers (frames,) of what was looked at, in order."""
        until = min(group.stop + 1, len(self._out))
        pieces = [range(c, min(c + PIECE, until)) for c in range(self._done, until, PIECE)]
        powers: dict[int, NDArray[np.float32]] = {}

        def add(piece: range) -> None:
            X, P, powers[piece.start] = self._look(piece.start, piece.stop)
            X = np.ascontiguousarray(X[:, : P.shape[1]])
            for k, chunk in enumerate(piece):
                own = slice(k * self._hops, self._lead + (k + 1) * self._hops)
                self._parts[chunk] = estimate_covariances(X[own], P[own], self._lead, self._taps, self._quietest)

        in_parallel(add, pieces, task.part(0.0, 0.8))
        in_parallel(self._solve, group, task.part(0.8, 1.0))
        for chunk in range(max(group.start - 1, 0), group.stop - 1):
            self._parts[chunk] = None  # a chunk's sums take two megabytes: those of hours are never held together
        self._done = until
        return [powers[piece.start] for piece in pieces]

    def _solve(self, chunk: int) -> None:
        near = [part for part in self._parts[max(chunk - 1, 0) : chunk + 2] if part is not None]
        total = near[0]
        for part in near[1:]:
            total = total + part
        self._out[chunk] = total.filters()
