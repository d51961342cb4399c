"""A process that puts sound into a video for another: `python -m dubbin.core.deliver.video_writer VIDEO OUT CONTAINER CODEC CHANNELS LANGUAGE [FOLDER …]`.

The picture is copied, packet by packet, and not touched. Sound is asked for as far as the picture has come. Its messages (sound/child.py): `s`: first and last frame of sound that
is wanted, which comes to its standard input as float32, channel after channel. `p`: how far it is, 0 to 1. `w`: why OUT can't be written.
"""

from __future__ import annotations

import struct
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.child import begin, tell
from dubbin.core.sound.reading import opened

RATE = 48000
KBPS = 192
BLOCK = 4096  # frames of sound at a time
WANTED, SHARE = struct.Struct("<qq"), struct.Struct("<d")

# Gives sound from one frame to another: (channels, n).
Sounds: TypeAlias = Callable[[int, int], NDArray[np.float32]]


def main(arguments: list[str]) -> None:
    """Write a video, within limits of memory."""
    import av

    video, out, container, codec, channels, code, *folders = arguments
    begin(code, folders)
    says = sys.stdout.buffer

    def sound(start: int, stop: int) -> NDArray[np.float32]:
        tell(says, b"s", WANTED.pack(start, stop))
        shape = int(channels), stop - start
        return np.frombuffer(sys.stdin.buffer.read(shape[0] * shape[1] * 4), np.float32).reshape(shape)

    try:
        put_sound(Path(video), Path(out), container, codec, int(channels), sound, lambda share: tell(says, b"p", SHARE.pack(share)))
    except UnusableSound as error:
        tell(says, b"u", str(error).encode())
    except (OSError, av.error.FFmpegError, ValueError) as error:
        tell(says, b"w", str(getattr(error, "strerror", None) or error).encode())
    tell(says, b"e")


def put_sound(video: Path, out: Path, container: str, codec: str, channels: int, sound: Sounds, step: Callable[[float], None]) -> None:
    """Write `out`: the picture of `video`, with sound as long as it."""
    import av

    with opened(video) as source, open(out, "wb") as f, av.open(f, "w", format=container) as made:
        picture = next(s for s in source.streams.video if not s.disposition & av.stream.Disposition.attached_pic)
        copied = made.add_stream_from_template(picture)
        audio: Any = made.add_stream(codec, rate=RATE)
        audio.layout = "mono" if channels == 1 else "stereo"
        audio.bit_rate = KBPS * 1000
        _copy(source, picture, made, copied, audio, sound, step)


def _copy(source: Any, picture: Any, made: Any, copied: Any, audio: Any, sound: Sounds, step: Callable[[float], None]) -> None:
    """Picture packets as they come, and sound up to where each of them is."""
    length_s = float(source.duration or 0) / 1e6
    written, end_s = 0, 0.0
    for packet in source.demux(picture):
        if packet.dts is None:
            continue
        at_s = float(packet.dts * packet.time_base)
        shown = packet.pts if packet.pts is not None else packet.dts
        end_s = max(end_s, float((shown + (packet.duration or 0)) * packet.time_base))
        written = _sound_until(made, audio, sound, written, round(at_s * RATE))
        packet.stream = copied
        made.mux(packet)
        step(at_s / length_s if length_s else 0.0)
    _sound_until(made, audio, sound, written, round(max(end_s, length_s) * RATE), last=True)
    made.mux(audio.encode(None))


def _sound_until(made: Any, audio: Any, sound: Sounds, written: int, stop: int, last: bool = False) -> int:
    import av

    while written < stop if last else written + BLOCK <= stop:
        size = min(BLOCK, stop - written) if last else BLOCK
        frame = av.AudioFrame.from_ndarray(sound(written, written + size), format="fltp", layout=audio.layout.name)
        frame.sample_rate, frame.pts, frame.time_base = RATE, written, Fraction(1, RATE)
        made.mux(audio.encode(frame))
        written += size
    return written


if __name__ == "__main__":
    main(sys.argv[1:])
