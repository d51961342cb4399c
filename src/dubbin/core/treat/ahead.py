"""Reads a chain from front to back with the next tiles computed meanwhile, so that all cores are used."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType

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
        if self.chain.stages:
            last = self.chain.stages[-1]
            here = start // last.tile_frames
            for index in range(here, min(here + WORKERS, last.tile_count)):
                if index not in self._started:
                    self._started[index] = self._pool.submit(last.tile, index)
            needed = range(here, min(-(-stop // last.tile_frames), last.tile_count))
            for index in needed:
                if index in self._started:
                    self._started[index].result()
        return self.chain.read(start, stop)
