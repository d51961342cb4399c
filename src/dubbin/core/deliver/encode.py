"""Writes masters in the formats that are delivered."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from dubbin.core.deliver.formats import Format
from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, blocks
from dubbin.core.sound.writing import replacing, write_sound
from dubbin.core.texts import tr

# Mean bit rates of MP3 in kbit/s, and the encoder's quality that comes to them.
MP3_VBR = ((245, "0"), (225, "1"), (190, "2"), (175, "3"), (165, "4"), (130, "5"), (115, "6"), (100, "7"), (85, "8"), (0, "9"))


def encode(
    source: Source, path: Path, format: Format, *, bits: int, kbps: int, vbr: bool = False,
    chapters: Sequence[tuple[float, float, str]] = (), task: Task | None = None,
) -> None:  # fmt: skip
    """Write `source` to `path`; appears whole or not at all. bits: WAV and FLAC; kbps: the others; vbr: MP3 with that mean. chapters: (start_s, end_s, title)
    where the format has them written while it is encoded.

    Where the format has a fixed rate, the source must have it. Raises CannotWrite.
    """
    task = task or Task()
    if not format.is_lossy:
        write_sound(source, path, bits, task)
        return
    try:
        with replacing(path) as temporary:
            _encode_ffmpeg(source, temporary, format, kbps, vbr and format.vbr, chapters if format.encoder_chapters else (), task)
    except OSError as error:
        raise CannotWrite(tr("{path} could not be written: {value}.").format(path=path, value=error.strerror or error)) from error


def _encode_ffmpeg(
    source: Source, path: Path, format: Format, kbps: int, vbr: bool, chapters: Sequence[tuple[float, float, str]], task: Task
) -> None:
    import av

    layout = "mono" if source.channels == 1 else "stereo"
    with open(path, "wb") as f, av.open(f, "w", format=format.container, options=dict(format.container_options)) as out:
        stream: Any = out.add_stream(format.codec, rate=source.rate, options=format.options_at(kbps))
        stream.layout = layout
        if vbr:
            quality = next(q for least, q in MP3_VBR if kbps * (1 if source.channels == 2 else 1.6) >= least)
            stream.codec_context.qscale = True
            stream.codec_context.global_quality = int(quality) * 118
        else:
            stream.bit_rate = kbps * 1000
        if chapters:
            out.set_chapters(
                [
                    {
                        "id": k,
                        "start": round(a * 1000),
                        "end": round(b * 1000),
                        "time_base": Fraction(1, 1000),
                        "metadata": {"title": title},
                    }
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
