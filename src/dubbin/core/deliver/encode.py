"""Writes masters in the formats that are delivered."""

from __future__ import annotations

from collections.abc import Sequence
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
# MP3: how long the encoder searches; 5 costs a third of the best and differs from it in nothing that is heard in speech. Bit rates of VBR by quality.
MP3_SEARCH = "5"
MP3_VBR = ((245, "0"), (225, "1"), (190, "2"), (175, "3"), (165, "4"), (130, "5"), (115, "6"), (100, "7"), (85, "8"), (0, "9"))


def encode(
    source: Source, path: Path, format: Format, *, bits: int, kbps: int, vbr: bool = False,
    chapters: Sequence[tuple[float, float, str]] = (), task: Task | None = None,
) -> None:  # fmt: skip
    """Write `source` to `path`; appears whole or not at all. bits: WAV and FLAC; kbps: the others; vbr: MP3 with that mean. chapters: (start_s, end_s, title)
    of M4A, which can't be added later.

    Opus always runs at 48 kHz: the source must. Raises CannotWrite.
    """
    task = task or Task()
    if not format.is_lossy:
        write_sound(source, path, bits, task)
        return
    codec, container = CODECS[format]
    try:
        with replacing(path) as temporary:
            _encode_ffmpeg(source, temporary, codec, container, kbps, vbr, chapters if format is Format.M4A else (), task)
    except OSError as error:
        raise CannotWrite(f"{path} could not be written: {error.strerror or error}.") from error


def _encode_ffmpeg(
    source: Source, path: Path, codec: str, container: str, kbps: int, vbr: bool, chapters: Sequence[tuple[float, float, str]], task: Task
) -> None:
    import av

    layout = "mono" if source.channels == 1 else "stereo"
    options = {"movflags": "+faststart"} if container == "mp4" else {}
    with open(path, "wb") as f, av.open(f, "w", format=container, options=options) as out:
        search = {"compression_level": MP3_SEARCH} if codec == "libmp3lame" else {}
        stream: Any = out.add_stream(codec, rate=source.rate, options=search)
        stream.layout = layout
        if vbr and codec == "libmp3lame":
            quality = next(q for least, q in MP3_VBR if kbps * (1 if source.channels == 2 else 1.6) >= least)
            stream.codec_context.qscale = True
            stream.codec_context.global_quality = int(quality) * 118
        else:
            stream.bit_rate = kbps * 1000
        if chapters:
            out.set_chapters(
                [
                    {"id": k, "start": round(a * 1000), "end": round(b * 1000), "time_base": Fraction(1, 1000), "metadata": {"title": title}}
                    for k, (a, b, title) in enumerate(chapters)
                ]
            )
        frame_size, done = 4096, 0
        for start, x in blocks(source, frame_size):
            if start % (frame_size * 64) == 0:
                task.step(start / max(source.frames, 1))
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(np.clip(x, -1, 1)), format="fltp", layout=layout)
            frame.sample_rate, frame.pts, frame.time_base = source.rate, done, Fraction(1, source.rate)
            done += x.shape[1]
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
