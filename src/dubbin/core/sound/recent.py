"""Sound that is read again soon after it was read, and is dear to compute."""

from __future__ import annotations

from collections import OrderedDict
from concurrent.futures import Future
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Source


class RecentSound:
    """A channel of a source, of which the blocks that were read last are kept. Threads may read at once: each block is computed by one of them.

    size: of a block, in frames. most: blocks that are kept."""

    def __init__(self, source: Source, channel: int, size: int, most: int) -> None:
        self._source, self._channel, self._size, self._most = source, channel, size, most
        self._blocks: OrderedDict[int, Future[NDArray[np.float32]]] = OrderedDict()
        self._lock = Lock()

    def read(self, start: int, stop: int) -> NDArray[np.float32]:
        """Frames start to stop, (stop - start,), with silence where that reaches over the ends of the source."""
        out = np.zeros(stop - start, np.float32)
        first, last = max(start, 0), min(stop, self._source.frames)
        while first < last:
            number = first // self._size
            end = min((number + 1) * self._size, last)
            block = self._block(number)
            out[first - start : end - start] = block[first - number * self._size : end - number * self._size]
            first = end
        return out

    def _block(self, number: int) -> NDArray[np.float32]:
        with self._lock:
            known = self._blocks.get(number)
            block: Future[NDArray[np.float32]] = Future() if known is None else known
            self._blocks[number] = block
            self._blocks.move_to_end(number)
            if len(self._blocks) > self._most:
                self._blocks.popitem(last=False)
        if known is None:
            try:
                start = number * self._size
                stop = min(start + self._size, self._source.frames)
                block.set_result(np.ascontiguousarray(self._source.read(start, stop)[self._channel]))
            except BaseException as error:
                with self._lock:
                    if self._blocks.get(number) is block:
                        del self._blocks[number]
                block.set_exception(error)
                raise
        return block.result()
