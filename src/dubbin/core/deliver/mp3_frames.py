"""Parts of one sound that were encoded apart, as one MP3 stream.

The parts overlap. Frames of two encoders that were fed the same samples in step cover the same time, so one may take the other's place from any frame on. Two things
reach across frames. The halves of the transform's windows must fit: no block may be long on one side of the border and short on the other. And the data of a frame may
begin in the frames before it, in what they had to spare (the bit reservoir): the frames before the border are given the data that the frame behind it expects there,
in the room that their own next frame would have had. So a border lies where the part that ends has at least as much to spare as the part that begins has used.

Source: ISO/IEC 11172-3, 2.4.1.7 (side information), 2.4.2.7 (main_data_begin, block_type) and 2.4.3.4 (the reservoir).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

SAMPLES = 1152  # of a frame
HEAD = 4  # bytes
LONG, BEGINS_SHORT, SHORT, ENDS_SHORT = range(4)  # block types
SIDE_MONO, SIDE_STEREO = 17, 32  # bytes of side information
MONO = 3  # the mode of one channel
PART_BITS = 59  # of side information: a granule's channel
WINDOW_BIT = 33  # of these, before which lengths, gain and the like stand


@dataclass(frozen=True)
class Frame:
    """What a border asks of a frame. main: where its bytes of main data begin. back: bytes of its own data that lie before it. opens, closes: block types, a channel
    each, of its first and of its last granule."""

    main: int
    back: int
    opens: tuple[int, ...]
    closes: tuple[int, ...]


def read_frame(data: bytes) -> Frame:
    """Raises ValueError for what is no frame of MPEG-1 Layer III."""
    if len(data) < HEAD or data[0] != 0xFF or data[1] & 0xFE != 0xFA:
        raise ValueError("no frame of MPEG-1 Layer III")
    is_mono = data[3] >> 6 == MONO
    begin = HEAD + (0 if data[1] & 1 else 2)  # a check sum may follow the head
    size = SIDE_MONO if is_mono else SIDE_STEREO
    side = int.from_bytes(data[begin : begin + size], "big")

    def bits(first: int, count: int) -> int:
        return side >> (8 * size - first - count) & ((1 << count) - 1)

    channels = 1 if is_mono else 2
    parts = 9 + (5 if is_mono else 3) + 4 * channels  # behind main_data_begin, private bits and what is shared between granules

    def types(granule: int) -> tuple[int, ...]:
        firsts = [parts + PART_BITS * (granule * channels + c) + WINDOW_BIT for c in range(channels)]
        return tuple(bits(first + 1, 2) if bits(first, 1) else LONG for first in firsts)

    return Frame(begin + size, bits(0, 9), types(0), types(1))


def fits(ended: Sequence[bytes], at: int, begun: Sequence[bytes], begun_at: int) -> bool:
    """Whether begun[begun_at] can take the place of ended[at]."""
    before, own, new = read_frame(ended[at - 1]), read_frame(ended[at]), read_frame(begun[begun_at])
    whole = all((a in (LONG, ENDS_SHORT)) == (b in (LONG, BEGINS_SHORT)) for a, b in zip(before.closes, new.opens, strict=True))
    return whole and new.back <= own.back


def joined(ended: Sequence[bytes], at: int, begun: Sequence[bytes], begun_at: int) -> list[bytes]:
    """The frames ended[:at], whose last ones hold what begun[begun_at] expects of the frames before it. `fits` must hold; behind them go begun[begun_at:]."""
    out = list(ended[:at])
    room, data = read_frame(ended[at]).back, _data_before(begun, begun_at)
    data = bytes(room - len(data)) + data  # what is left of the room is passed over
    k = at
    while data:
        k -= 1
        main = read_frame(out[k]).main
        count = min(len(out[k]) - main, len(data))
        out[k] = out[k][: len(out[k]) - count] + data[len(data) - count :]
        data = data[: len(data) - count]
    return out


def _data_before(frames: Sequence[bytes], at: int) -> bytes:
    """The data of frames[at] that lies in the frames before it."""
    back, out, k = read_frame(frames[at]).back, b"", at
    while len(out) < back:
        k -= 1
        out = frames[k][read_frame(frames[k]).main :] + out
    return out[len(out) - back :]
