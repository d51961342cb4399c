"""Writes masters in the formats that are delivered."""

from __future__ import annotations

from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, blocks
from dubbin.core.sound.writing import replacing, write_sound


class Format(StrEnum):
    WAV = "wav"
    FLAC = "flac"
    MP3 = "mp3"
    M4A = "m4a"
    OPUS = "opus"

    @property
    def is_lossy(self) -> bool:
        return self in (Format.MP3, Format.M4A, Format.OPUS)


CODECS = {Format.MP3: ("libmp3lame", "mp3"), Format.M4A: ("aac", "mp4"), Format.OPUS: ("libopus", "ogg")}
OPUS_RATE = 48000


def encode(source: Source, path: Path, format: Format, *, bits: int, kbps: int, task: Task | None = None) -> None:
    """Write `source` to `path`; appears whole or not at all. bits: WAV and FLAC; kbps: the others.

    Opus always runs at 48 kHz: the source must. Raises CannotWrite.
    """
    task = task or Task()
    if not format.is_lossy:
        write_sound(source, path, bits, task)
        return
    codec, container = CODECS[format]
    try:
        with replacing(path) as temporary:
            _encode_ffmpeg(source, temporary, codec, container, kbps, task)
    except OSError as error:
        raise CannotWrite(f"{path} could not be written: {error.strerror or error}.") from error


def _encode_ffmpeg(source: Source, path: Path, codec: str, container: str, kbps: int, task: Task) -> None:
    import av

    layout = "mono" if source.channels == 1 else "stereo"
    with open(path, "wb") as f, av.open(f, "w", format=container) as out:
        stream: Any = out.add_stream(codec, rate=source.rate)
        stream.layout = layout
        stream.bit_rate = kbps * 1000
        frame_size, done = 4096, 0
        for start, x in blocks(source, frame_size):
            if start % (frame_size * 64) == 0:
                task.step(start / max(source.frames, 1))
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(np.clip(x, -1, 1)), format="fltp", layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = source.rate, done, Fraction(1, source.rate)
            done += x.shape[1]
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
