"""Reads the samples of an uncompressed WAV file where they stand, by position: an hour of sound needs no second copy on the disk."""

from __future__ import annotations

import os
import weakref
from collections.abc import Iterator

import numpy as np

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.reading import SoundInfo
from dubbin.core.sound.source import BLOCK_FRAMES, Samples
from dubbin.core.sound.wav_header import read_wav_header
from dubbin.core.texts import tr

CONTAINERS = ("WAV", "WAVEX", "RF64")
SAMPLE_BYTES = {"sndfile:PCM_16": 2, "sndfile:PCM_24": 3, "sndfile:PCM_32": 4, "sndfile:FLOAT": 4}


class WavInPlace:
    """An open WAV file; several threads read it. Raises UnusableSound from `read` when the file has changed since it was opened."""

    def __init__(self, info: SoundInfo, offset: int) -> None:
        """offset: of the first sample, in bytes."""
        self._info, self._offset = info, offset
        self._width = SAMPLE_BYTES[info.codec]
        self._fd = os.open(info.path, os.O_RDONLY)
        weakref.finalize(self, os.close, self._fd)
        self._state = self._present_state()

    def _present_state(self) -> tuple[int, int]:
        status = os.fstat(self._fd)
        return status.st_size, status.st_mtime_ns

    @property
    def shape(self) -> tuple[int, int]:
        """Channels and frames, as its header says."""
        return self._info.channels, self._info.frames or 0

    @property
    def is_whole(self) -> bool:
        """Whether the file holds as many samples as its header says."""
        return self._state[0] >= self._offset + (self._info.frames or 0) * self._info.channels * self._width

    def read(self, channels: int, start: int, stop: int) -> Samples:
        """Frames start to stop as (channels, stop - start), scaled as libsndfile does."""
        name = self._info.path.name
        width = channels * self._width
        try:
            if self._present_state() != self._state:
                raise UnusableSound(tr("{name} has been changed since it was opened. Open the episode again.").format(name=name))
            data = os.pread(self._fd, (stop - start) * width, self._offset + start * width)
        except OSError as error:
            raise UnusableSound(tr("{name} can't be read any more: {strerror}.").format(name=name, strerror=error.strerror)) from error
        if len(data) != (stop - start) * width:
            raise UnusableSound(tr("{name} has become shorter since it was opened. Open the episode again.").format(name=name))
        return self._samples(data, channels)

    def blocks(self) -> Iterator[Samples]:
        """All of it, block by block."""
        frames = self._info.frames or 0
        for start in range(0, frames, BLOCK_FRAMES):
            yield self.read(self._info.channels, start, min(start + BLOCK_FRAMES, frames))

    def _samples(self, data: bytes, channels: int) -> Samples:
        from dubbin.core.sound.wav_kernels import samples_16, samples_24

        if self._info.codec == "sndfile:PCM_16":
            return samples_16(np.frombuffer(data, "<i2"), channels)
        if self._info.codec == "sndfile:PCM_24":
            return samples_24(np.frombuffer(data, np.uint8), channels)
        if self._info.codec == "sndfile:FLOAT":
            x = np.frombuffer(data, "<f4")
        else:
            x = np.frombuffer(data, "<i4").astype(np.float32) * np.float32(2.0**-31)
        return np.ascontiguousarray(x.reshape(-1, channels).T, np.float32)


def in_place(info: SoundInfo) -> WavInPlace | None:
    """The file, opened for reading in place; None where it must be decoded: another format, cut off, or an unusual header."""
    if info.container not in CONTAINERS or info.codec not in SAMPLE_BYTES or not info.frames:
        return None
    header = read_wav_header(info.path)
    if header is None or (header.channels, header.frames) != (info.channels, info.frames):
        return None
    file = WavInPlace(info, header.offset)
    return file if file.is_whole and _agrees(file, info) else None


def _agrees(file: WavInPlace, info: SoundInfo) -> bool:
    """Whether the library that reads every other format finds the same first and last samples."""
    import soundfile

    assert info.frames is not None
    count = min(info.frames, 1000)
    try:
        with soundfile.SoundFile(info.path) as f:
            if (f.samplerate, f.channels, f.frames) != (info.rate, info.channels, info.frames):
                return False
            for start in (0, info.frames - count):
                f.seek(start)
                expected = f.read(count, dtype="float32", always_2d=True).T
                if not np.array_equal(expected, file.read(info.channels, start, start + count), equal_nan=True):
                    return False
    except (soundfile.LibsndfileError, RuntimeError, OSError, ValueError):
        return False
    return True
