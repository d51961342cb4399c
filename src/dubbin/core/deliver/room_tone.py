"""Room tone at both ends of a program, where a target asks for it: the program's own quietest moment, and not digital silence."""

from __future__ import annotations

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Samples, Source, blocks, read_padded

HOP_S, FADE_S = 0.05, 0.05
LENGTHS = (24, 16, 12, 8, 5, 3)  # hops; the longest that is quiet all along
EVEN = 3.0  # times the power of the quietest hop: what is louder is no room tone
SILENT = 1e-5


def find_tone(source: Source, task: Task | None = None) -> Samples:
    """The longest of the quietest stretches of a source that are not digital silence, up to 1.2 s; silence where there is nothing else."""
    hop = max(1, round(HOP_S * source.rate))
    energies = []
    for start, x in blocks(source, hop * 256):
        if task is not None:
            task.step(start / max(source.frames, 1))
        whole = x.shape[1] // hop * hop
        energies.append(np.mean(x[:, :whole].reshape(x.shape[0], -1, hop) ** 2, axis=(0, 2)))
    power = np.concatenate(energies) if energies else np.zeros(0)
    power[power < SILENT**2] = np.inf
    for length in LENGTHS:
        if len(power) < length:
            continue
        # The loudest hop of a stretch counts: a tick in it would be heard again and again.
        worst = np.max(np.lib.stride_tricks.sliding_window_view(power, length), axis=1)
        best = int(np.argmin(worst))
        if np.isfinite(worst[best]) and (worst[best] <= EVEN * np.quantile(power, 0.01) or length == LENGTHS[-1]):
            return source.read(best * hop, (best + length) * hop)
    return np.zeros((source.channels, hop), np.float32)


class WithRoomTone:
    """A source with so much cut off or put before and after it. head, tail: frames, negative: cut off."""

    def __init__(self, source: Source, tone: Samples, head: int, tail: int) -> None:
        self._source, self._tone, self.head, self._tail = source, tone, head, tail
        self.rate, self.channels = source.rate, source.channels
        self.frames = max(source.frames + head + tail, 0)
        self._fade = max(1, round(FADE_S * source.rate))

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), counted from the first of the room tone before the source, or of what is left where its begin is cut off."""
        n = np.arange(start, stop) - self.head  # frames of the source
        out = read_padded(self._source, start - self.head, stop - self.head).copy()
        amount = np.zeros(len(n), np.float32)
        if self.head > 0:
            amount = np.maximum(amount, np.clip((self._fade - n) / self._fade, 0.0, 1.0))
        if self._tail > 0:
            amount = np.maximum(amount, np.clip((n - self._source.frames + 1 + self._fade) / self._fade, 0.0, 1.0))
        if amount.any():
            size = self._tone.shape[1]
            # Forwards and backwards in turn, so that it lasts without a click.
            # Begun in its middle: where it was taken from the end of the program itself, the two must not be the same wave.
            place = (n + size // 2) % (2 * size - 2) if size > 1 else np.zeros(len(n), int)
            tone = self._tone[:, np.where(place < size, place, 2 * size - 2 - place)]
            out = np.asarray(out * np.sqrt(1.0 - amount**2) + tone * amount, np.float32)
        return out
