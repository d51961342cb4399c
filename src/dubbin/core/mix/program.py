"""The program as a source: every span read from all lanes, joined by short crossfades, summed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Episode, Lane
from dubbin.core.episode.time_map import Span, TimeMap
from dubbin.core.mix.hear import Hear
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded


def audible_lanes(lanes: Sequence[Lane]) -> list[Lane]:
    """Lanes that sound: the soloed ones, if any are, else those not muted."""
    soloed = [lane for lane in lanes if lane.solo]
    return [lane for lane in soloed or lanes if not lane.mute or lane.solo]


class SessionMix:
    """All lanes summed on the session clock, cuts left in place; stereo."""

    channels = 2

    def __init__(
        self, episode: Episode, sources: Mapping[str, Source], gains_db: Mapping[str, float] | None = None
    ) -> None:
        """sources: for each lane id, its sound from the recording's first frame on, mono or stereo. gains_db: on top of
        the lanes' levels."""
        extra = gains_db or {}
        self.rate, self.frames = episode.rate, episode.frames
        self._parts = [
            (lane.start_frame, np.float32(db_to_gain(lane.level_db + extra.get(lane.id, 0.0))), sources[lane.id])
            for lane in audible_lanes(episode.lanes)
            if lane.id in sources
        ]

    def read(self, start: int, stop: int) -> Samples:
        out = np.zeros((2, stop - start), np.float32)
        for offset, gain, source in self._parts:
            if stop <= offset or start >= offset + source.frames:
                continue
            x = read_padded(source, start - offset, stop - offset)
            out += gain * (x if x.shape[0] == 2 else to_stereo(x))
        return out


def to_stereo(x: Samples) -> Samples:
    """Mono to both sides at the same level; of more than two channels, their mean to both sides."""
    if x.shape[0] == 2:
        return x
    return np.repeat(x.mean(axis=0, keepdims=True), 2, axis=0)


class Program:
    """What the listener hears: a source on program time.

    At a seam the outgoing span sounds on for half the crossfade and the incoming one begins half of it early, both
    from the session's own sound; the length of the program is that of its spans. The fades keep the power of
    unlike sounds (equal power), which is what two pauses of room noise are.
    """

    def __init__(self, mix: Source, time_map: TimeMap, seam_ms: float) -> None:
        self.mix, self.map = mix, time_map
        self.rate, self.channels, self.frames = mix.rate, mix.channels, time_map.program_frames
        self._half = round(seam_ms * 1e-3 * mix.rate / 2)

    def _halves(self, index: int) -> int:
        """Half the crossfade, in frames, at the seam before span `index`; 0 where there is none."""
        spans = self.map.spans
        if index <= 0 or index >= len(spans) or spans[index - 1].end == spans[index].start:
            return 0
        before, after = spans[index - 1], spans[index]
        room = min(before.frames, after.frames) // 2
        # There must be sound to fade with on the other side of both edges.
        return max(0, min(self._half, room, self.mix.frames - before.end, after.start))

    def read(self, start: int, stop: int) -> Samples:
        out = np.zeros((self.channels, stop - start), np.float32)
        reach = self._half
        for index in self.map.spans_between(start - reach, stop + reach):
            span = self.map.spans[index]
            head, tail = self._halves(index), self._halves(index + 1)
            self._add_span(out, start, stop, span, head, tail)
        return out

    def _add_span(self, out: Samples, start: int, stop: int, span: Span, head: int, tail: int) -> None:
        a, b = max(start, span.program - head), min(stop, span.program + span.frames + tail)
        if b <= a:
            return
        shift = span.start - span.program
        x = read_padded(self.mix, a + shift, b + shift)
        if head and a < span.program + head:
            n = np.arange(a, min(b, span.program + head))
            x[:, : len(n)] *= fade_in(n - (span.program - head), 2 * head)
        end = span.program + span.frames
        if tail and b > end - tail:
            n = np.arange(max(a, end - tail), b)
            x[:, x.shape[1] - len(n) :] *= fade_in(2 * tail - 1 - (n - (end - tail)), 2 * tail)
        out[:, a - start : b - start] += x


def fade_in(n: NDArray[np.int64], length: int) -> NDArray[np.float32]:
    """Equal-power fade: sin over a quarter wave, at positions n of 0 to length - 1; with its mirror image the
    squares sum to 1."""
    return np.sin(np.pi / 2 * (n + 0.5) / length).astype(np.float32)


def lane_sources(sounds: Mapping[str, object], hear: Hear) -> dict[str, Source]:
    """The side of each LaneSound that `hear` asks for."""
    return {lane_id: sound.heard(hear) for lane_id, sound in sounds.items()}  # type: ignore[attr-defined]
