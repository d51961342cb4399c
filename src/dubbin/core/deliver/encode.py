"""Writes masters in the formats that are delivered."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from dubbin.core.deliver.encode_parts import Part, frames_of, parts_of
from dubbin.core.deliver.formats import Format
from dubbin.core.deliver.mp3_frames import SAMPLES
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source
from dubbin.core.sound.writing import not_written, replacing, write_sound

FRAME = 4096  # samples that an encoder is handed at a time
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
        raise not_written(path, error) from error


def _encode_ffmpeg(
    source: Source, path: Path, format: Format, kbps: int, vbr: bool, chapters: Sequence[tuple[float, float, str]], task: Task
) -> None:
    import av

    with open(path, "wb") as f, av.open(f, "w", format=format.container, options=dict(format.container_options)) as out:
        stream: Any = out.add_stream(format.codec, rate=source.rate, options=format.options_at(kbps))
        stream.layout = _layout(source)
        _set_rate(stream.codec_context, kbps, vbr, source.channels)
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
        parts = parts_of(source) if format.in_parts else []
        if len(parts) > 1 and (packets := _in_parts(source, parts, format, kbps, vbr, task)) is not None:
            for packet in packets:
                packet.stream = stream
                out.mux(packet)
            return
        for packet in _packets(stream.codec_context, source, 0, source.frames, task):
            packet.stream = stream
            out.mux(packet)


def _layout(source: Source) -> str:
    return "mono" if source.channels == 1 else "stereo"


def _set_rate(encoder: Any, kbps: int, vbr: bool, channels: int) -> None:
    if vbr:
        quality = next(q for least, q in MP3_VBR if kbps * (1 if channels == 2 else 1.6) >= least)
        encoder.qscale = True
        encoder.global_quality = int(quality) * 118
    else:
        encoder.bit_rate = kbps * 1000


def _packets(encoder: Any, source: Source, start: int, stop: int, task: Task) -> Iterator[Any]:
    """What an encoder makes of samples start to stop."""
    import av

    for k, at in enumerate(range(start, stop, FRAME)):
        if k % 64 == 0:
            task.step((at - start) / max(stop - start, 1))
        x = source.read(at, min(at + FRAME, stop))
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(np.clip(x, -1, 1)), format="fltp", layout=_layout(source))
        frame.sample_rate, frame.pts, frame.time_base = source.rate, at - start, Fraction(1, source.rate)
        yield from encoder.encode(frame)
    yield from encoder.encode(None)


def _in_parts(source: Source, parts: Sequence[Part], format: Format, kbps: int, vbr: bool, task: Task) -> list[Any] | None:
    """Packets of a whole whose parts are encoded side by side; None where they can't be joined."""
    import av

    ends: dict[Part, tuple[Any, Any]] = {}  # the first packet of a part, and its last one

    def encode(part: Part, task: Task) -> list[bytes]:
        encoder: Any = av.CodecContext.create(format.codec, "w")
        encoder.sample_rate, encoder.format, encoder.layout = source.rate, "fltp", _layout(source)
        encoder.options = format.options_at(kbps)
        _set_rate(encoder, kbps, vbr, source.channels)
        packets = list(_packets(encoder, source, part.start, part.stop, task))
        ends[part] = packets[0], packets[-1]
        return [bytes(packet) for packet in packets]

    frames = frames_of(parts, encode, task)
    if frames is None:
        return None
    first, last = ends[parts[0]][0], ends[parts[-1]][1]  # they know how much of them is padding
    out = [first, *map(av.Packet, frames[1:-1]), last]
    begin = first.pts
    for k, packet in enumerate(out):
        packet.pts = packet.dts = begin + k * SAMPLES
        packet.duration, packet.time_base = SAMPLES, first.time_base
    return out
