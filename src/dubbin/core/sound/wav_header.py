"""Reads the header of an uncompressed WAV file: where its samples lie and what they are, or that it is better left to a library.

Sources: Multimedia Programming Interface and Data Specifications 1.0 (RIFF, 1991); EBU Tech 3306 (RF64); Multiple Channel Audio Data and WAVE Files (2001).
"""

from __future__ import annotations

import os
import struct
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

PCM, FLOAT, EXTENSIBLE = 0x0001, 0x0003, 0xFFFE
ENCODINGS = {(PCM, 16): "PCM_16", (PCM, 24): "PCM_24", (PCM, 32): "PCM_32", (FLOAT, 32): "FLOAT"}
LARGE = 0xFFFFFFFF  # a size that did not fit, and stands in a chunk of its own
MOST_CHUNKS = 1000
MOST_INFO = 1 << 16


@dataclass(frozen=True)
class WavHeader:
    """offset: of the first sample, in bytes. encoding: PCM_16, PCM_24, PCM_32 or FLOAT. container: WAV, WAVEX or RF64."""

    container: str
    encoding: str
    rate: int
    channels: int
    frames: int
    offset: int
    title: str | None = None


@dataclass(frozen=True)
class _Format:
    tag: int
    is_extensible: bool
    channels: int
    rate: int
    bits: int


def read_wav_header(path: Path) -> WavHeader | None:
    """The header of a plain and whole file; None for everything else: another format, an unusual one, a file that is cut off."""
    try:
        with open(path, "rb") as f:
            return _header(f, os.fstat(f.fileno()).st_size)
    except (OSError, struct.error):
        return None


def _header(f: BinaryIO, file_bytes: int) -> WavHeader | None:
    head = f.read(12)
    if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        return None
    is_rf64 = head[:4] == b"RF64"
    form: _Format | None = None
    data: tuple[int, int] | None = None
    large, title = 0, None
    for _ in range(MOST_CHUNKS):
        head = f.read(8)
        if len(head) < 8:
            break
        name, size = struct.unpack("<4sI", head)
        begins = f.tell()
        if name == b"ds64" and is_rf64:
            large = struct.unpack("<8xQ", f.read(16))[0]
        elif name == b"fmt " and form is None:
            form = _format(f.read(min(size, 40)))
        elif name == b"data" and data is None:
            size = large if size == LARGE and is_rf64 else size
            data = begins, size
        elif name == b"LIST" and size <= MOST_INFO:
            title = title or _title(f.read(size))
        f.seek(begins + size + size % 2)
    if form is None or data is None:
        return None
    encoding = ENCODINGS.get((form.tag, form.bits))
    frames, rest = divmod(data[1], max(form.channels * form.bits // 8, 1))
    if encoding is None or frames < 1 or rest or data[0] + data[1] > file_bytes:
        return None
    container = "RF64" if is_rf64 else "WAVEX" if form.is_extensible else "WAV"
    return WavHeader(container, encoding, form.rate, form.channels, frames, data[0], title)


def _format(chunk: bytes) -> _Format | None:
    tag, channels, rate, _, block_bytes, bits = struct.unpack("<HHIIHH", chunk[:16])
    is_extensible = tag == EXTENSIBLE
    if is_extensible:
        valid_bits, tag = struct.unpack("<18xH4xH", chunk[:26])
        if valid_bits not in (0, bits):
            return None
    if not channels or block_bytes != channels * bits // 8:
        return None
    return _Format(tag, is_extensible, channels, rate, bits)


def _title(chunk: bytes) -> str | None:
    """What an INFO list says of it."""
    at = 4
    while chunk[:4] == b"INFO" and at + 8 <= len(chunk):
        name, size = struct.unpack("<4sI", chunk[at : at + 8])
        if name == b"INAM":
            return chunk[at + 8 : at + 8 + size].split(b"\0")[0].decode("utf-8", "replace") or None
        at += 8 + size + size % 2
    return None
