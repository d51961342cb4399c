"""Samples in a compact form: 24 bits under a power of two, second differences, bits shuffled together, LZ4. Fast both ways.

The step is 2^-23 of full scale, finer for quiet sound, coarser by as much as it needs above full scale. What was recorded with 16 or 24 bits
comes back to the bit; any other sound within half a step, 144 dB under full scale.
"""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

from dubbin.core.sound.source import Samples
from dubbin.core.texts import tr

CHUNK_FRAMES = 1 << 14  # unpacked at once
FULL_BITS = 23
QUIET_BITS = 4  # sound that stays by more than so many bits under full scale gets a finer step
MAGIC = b"dbp1"
HEADER, CRC = struct.Struct("<4sbxHI"), struct.Struct("<I")  # magic, exponent, channels, frames; CRC-32 of these and of what follows


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
    body = b"".join([np.array([len(c) for c in chunks], "<u4").tobytes(), *chunks])
    head = HEADER.pack(MAGIC, exponent, x.shape[0], x.shape[1])
    return head + CRC.pack(zlib.crc32(body, zlib.crc32(head))) + body, kept


class Packed:
    """Packed samples in memory, to be read from. Raises Damaged."""

    def __init__(self, data: bytes) -> None:
        head, body = data[: HEADER.size], memoryview(data)[HEADER.size + CRC.size :]
        if len(data) < HEADER.size + CRC.size or CRC.unpack_from(data, HEADER.size)[0] != zlib.crc32(body, zlib.crc32(head)):
            raise Damaged(tr("changed, or cut off"))
        magic, self._exponent, self.channels, self.frames = HEADER.unpack(head)
        if magic != MAGIC:
            raise Damaged(tr("another form"))
        sizes = np.frombuffer(body, "<u4", -(-self.frames // CHUNK_FRAMES))  # in front of the chunks themselves
        self._ends = sizes.nbytes + np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)])
        self._body = body

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
        from numcodecs import blosc

        blosc.use_threads = False
        chunk = self._body[int(self._ends[k]) : int(self._ends[k + 1])]
        return np.frombuffer(blosc.decompress(chunk), np.int32).reshape(self.channels, -1)


def _squeezed(x: Samples, exponent: int, kept: Samples) -> bytes:
    from numcodecs import blosc

    from dubbin.core.sound.packing_kernels import differences

    d = np.empty(x.shape, np.int32)
    differences(x, 2.0 ** (FULL_BITS - exponent), (1 << FULL_BITS) - 1, d, kept)
    blosc.use_threads = False  # without Python's lock, and without threads of its own
    return bytes(blosc.compress(d, b"lz4", 1, blosc.BITSHUFFLE, 0))
