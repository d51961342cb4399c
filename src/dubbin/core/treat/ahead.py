"""Reads a chain from front to back with the next tiles computed meanwhile, so that all cores are used."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

import numpy as np

from dubbin.core.sound.source import Samples
from dubbin.core.treat.chain import Chain

WORKERS = 2


class Ahead:
    """A source over a chain; use it in a `with` block and read it in order. The samples are the chain's own."""

    def __init__(self, chain: Chain) -> None:
        self.chain = chain
        self.rate, self.channels, self.frames = chain.rate, chain.channels, chain.frames
        self._pool = ThreadPoolExecutor(WORKERS, thread_name_prefix="dubbin-ahead")
        self._started: dict[int, Future[Samples]] = {}

    def __enter__(self) -> Ahead:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def read(self, start: int, stop: int) -> Samples:
        if not self.chain.stages:
            return self.chain.read(start, stop)
        last = self.chain.stages[-1]
        out = np.empty((self.channels, stop - start), np.float32)
        for index in range(start // last.tile_frames, -(-stop // last.tile_frames)):
            for coming in range(index, min(index + WORKERS, last.tile_count)):
                if coming not in self._started:
                    self._started[coming] = self._pool.submit(last.tile, coming)
            self._started[index].result()
            # What was computed ahead is read before it is pushed out of memory by what comes after it.
            a, b = max(start, index * last.tile_frames), min(stop, (index + 1) * last.tile_frames)
            out[:, a - start : b - start] = self.chain.read(a, b)
        return out
