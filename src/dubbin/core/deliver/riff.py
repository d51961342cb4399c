"""Chunks of WAV and RF64 files: broadcast description, markers, and what is needed to add them to a file just made.

Sources: EBU Tech 3285 (BWF, version 2), EBU Tech 3306 (RF64); cue and adtl of the Multimedia Programming Interface, 1991.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.errors import CannotWrite
from dubbin.core.sound.writing import not_written
from dubbin.core.texts import tr

UNKNOWN = 0xFFFFFFFF


@dataclass(frozen=True)
class Cue:
    """A marker at a frame of the file."""

    frame: int
    text: str


def bext_chunk(
    description: str, originator: str, date: str, time: str, *, lufs: float | None, range_lu: float | None, peak_dbtp: float | None,
    momentary_lufs: float | None, short_term_lufs: float | None, history: str, time_reference: int = 0,
) -> bytes:  # fmt: skip
    """Broadcast extension, version 2, with loudness figures. date: yyyy-mm-dd, time: hh:mm:ss. time_reference: frame of the common clock at which the file begins."""

    def text(value: str, size: int) -> bytes:
        return value.encode("ascii", "replace")[:size].ljust(size, b"\0")

    def figure(value: float | None) -> int:
        return 0x7FFF if value is None else max(-32768, min(32767, round(value * 100)))

    body = text(description, 256) + text(originator, 32) + text("", 32) + text(date, 10) + text(time, 8)
    body += struct.pack("<QH64s", time_reference, 2, b"")
    body += struct.pack("<5h", *(figure(v) for v in (lufs, range_lu, peak_dbtp, momentary_lufs, short_term_lufs)))
    body += bytes(180) + history.encode("ascii", "replace") + b"\r\n"
    return _chunk(b"bext", body)


def cue_chunks(cues: Sequence[Cue]) -> bytes:
    """Markers, and their texts as labels."""
    if not cues:
        return b""
    points = b"".join(struct.pack("<II4sIII", k, c.frame, b"data", 0, 0, c.frame) for k, c in enumerate(cues, 1))
    labels = b"".join(
        _chunk(b"labl", struct.pack("<I", k) + c.text.encode("utf-8", "replace")[:4000] + b"\0") for k, c in enumerate(cues, 1)
    )
    return _chunk(b"cue ", struct.pack("<I", len(cues)) + points) + _chunk(b"LIST", b"adtl" + labels)


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def add_chunks(path: Path, chunks: bytes) -> None:
    """Append chunks to a WAV or RF64 file and set its length right. Raises CannotWrite."""
    try:
        with open(path, "r+b") as f:
            head = f.read(12)
            if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
                raise CannotWrite(tr("{path} is no WAV file: nothing can be added to it.").format(path=path))
            f.seek(0, 2)
            end = f.tell()
            if end % 2:
                f.write(b"\0")
            f.write(chunks)
            size = f.tell() - 8
            if head[:4] == b"RIFF":
                f.seek(4)
                f.write(struct.pack("<I", size))
            else:  # the length stands in the ds64 chunk, which comes first
                f.seek(12)
                if f.read(4) != b"ds64":
                    raise CannotWrite(tr("{path} is a large WAV file without its table of lengths.").format(path=path))
                f.seek(20)
                f.write(struct.pack("<Q", size))
    except OSError as error:
        raise not_written(path, error) from error


def read_cues(path: Path) -> list[Cue]:
    """The markers of a WAV file, in order; none where it has none."""
    frames: dict[int, int] = {}
    texts: dict[int, str] = {}
    with open(path, "rb") as f:
        if f.read(4) not in (b"RIFF", b"RF64"):
            return []
        f.seek(12)
        data_size = 0
        while len(head := f.read(8)) == 8:
            name, size = head[:4], struct.unpack("<I", head[4:])[0]
            if name == b"ds64":
                body = f.read(size)
                data_size = struct.unpack("<Q", body[8:16])[0]
                continue
            if name == b"data" and size == UNKNOWN:
                size = data_size
            if name == b"cue ":
                body = f.read(size)
                for k in range(struct.unpack("<I", body[:4])[0]):
                    id, _, _, _, _, frame = struct.unpack("<II4sIII", body[4 + 24 * k : 28 + 24 * k])
                    frames[id] = frame
            elif name == b"LIST":
                body = f.read(size)
                at = 4
                while body[:4] == b"adtl" and at + 12 <= len(body):
                    length = struct.unpack("<I", body[at + 4 : at + 8])[0]
                    if body[at : at + 4] == b"labl":
                        id = struct.unpack("<I", body[at + 8 : at + 12])[0]
                        texts[id] = body[at + 12 : at + 8 + length].rstrip(b"\0").decode("utf-8", "replace")
                    at += 8 + length + length % 2
            else:
                f.seek(size, 1)
            if size % 2:
                f.seek(1, 1)
    return sorted((Cue(frame, texts.get(id, "")) for id, frame in frames.items()), key=lambda c: c.frame)
