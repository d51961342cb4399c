"""Samples in a compact form: 24 bits under a power of two, second differences, bits shuffled together, LZ4. Fast both ways.

The step is 2^-23 of full scale, finer for quiet sound, coarser by as much as it needs above full scale. What was recorded with 16 or 24 bits
comes back to the bit; any other sound within half a step, 144 dB under full scale.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Samples

CHUNK_FRAMES = 1 << 15  # unpacked at once: what is read lies in one or two
FULL_BITS = 23
QUIET_BITS = 4  # sound that stays by more than so many bits under full scale gets a finer step
MAGIC = b"dbp1"
HEADER = struct.Struct("<4sbxHII")  # magic, exponent, channels, frames, CRC-32 of the table; the table: bytes and CRC-32 of each chunk
ENTRY = np.dtype([("size", "<u4"), ("crc", "<u4")])


Reader = Callable[[int, int], bytes]


class Damaged(ValueError):
    """Packed samples that are not what was packed."""


def pack(x: Samples) -> tuple[bytes, Samples]:
    """x (channels, frames), finite, as bytes, and as it will come back from them."""
    peak = float(np.max(np.abs(x), initial=0.0))
    if not np.isfinite(peak):
        raise ValueError("samples that are not finite can't be packed")
    bits = int(np.frexp(peak)[1]) if peak else 0
    exponent = bits if bits > 0 else max(min(0, bits + QUIET_BITS), -100)
    kept = np.empty(x.shape, np.float32)
    chunks = [_squeezed(x[:, k : k + CHUNK_FRAMES], exponent, kept[:, k : k + CHUNK_FRAMES]) for k in range(0, x.shape[1], CHUNK_FRAMES)]
    table = np.array([(len(c), zlib.crc32(c)) for c in chunks], ENTRY).tobytes()
    header = HEADER.pack(MAGIC, exponent, x.shape[0], x.shape[1], zlib.crc32(table))
    return b"".join([header, table, *chunks]), kept


class Packed:
    """Packed samples that are read from. data: gives so many bytes from an offset. Raises Damaged, from `read` too."""

    def __init__(self, data: Reader) -> None:
        self._data = data
        head = data(0, HEADER.size)
        if len(head) < HEADER.size:
            raise Damaged("cut off")
        magic, self._exponent, self.channels, self.frames, crc = HEADER.unpack(head)
        count = -(-self.frames // CHUNK_FRAMES)
        table = data(HEADER.size, count * ENTRY.itemsize) if magic == MAGIC else b""
        if zlib.crc32(table) != crc or len(table) != count * ENTRY.itemsize:
            raise Damaged("another form, or cut off")
        self._table = np.frombuffer(table, ENTRY)
        self._offsets = HEADER.size + len(table) + np.concatenate([[0], np.cumsum(self._table["size"], dtype=np.int64)])

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop, (channels, stop - start)."""
        from dubbin.core.sound.packing_kernels import samples

        out = np.empty((self.channels, stop - start), np.float32)
        for k in range(start // CHUNK_FRAMES, -(-stop // CHUNK_FRAMES)):
            offset = k * CHUNK_FRAMES
            a, b = max(start, offset), min(stop, offset + CHUNK_FRAMES)
            samples(self._chunk(k), 2.0 ** (self._exponent - FULL_BITS), a - offset, out[:, a - start : b - start])
        return out

    def _chunk(self, k: int) -> NDArray[np.int32]:
        size, crc = int(self._table["size"][k]), int(self._table["crc"][k])
        data = self._data(int(self._offsets[k]), size)
        if len(data) != size or zlib.crc32(data) != crc:
            raise Damaged("damaged or cut off")
        from numcodecs import blosc

        blosc.use_threads = False
        return np.frombuffer(blosc.decompress(data), np.int32).reshape(self.channels, -1)


def _squeezed(x: Samples, exponent: int, kept: Samples) -> bytes:
    from numcodecs import blosc

    from dubbin.core.sound.packing_kernels import differences

    d = np.empty(x.shape, np.int32)
    differences(x, 2.0 ** (FULL_BITS - exponent), (1 << FULL_BITS) - 1, d, kept)
    blosc.use_threads = False  # without Python's lock, and without threads of its own
    return bytes(blosc.compress(d, b"lz4", 1, blosc.BITSHUFFLE, 0))
