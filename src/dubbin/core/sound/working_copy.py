"""Recordings as sources: WAV files of the session's rate are read where they stand, all others are decoded once into the cache folder.

What was found on the way, and the picture of the waveform, is kept in the cache folder under a name for what the file holds.
"""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, BinaryIO

import msgspec
import numpy as np
import soxr

from dubbin.core.decodable import decodable
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task, ahead
from dubbin.core.sound.apart import decode_apart, look
from dubbin.core.sound.interleaved import SAMPLE_BYTES, RawFile
from dubbin.core.sound.known_files import KnownFile, KnownFiles
from dubbin.core.sound.peaks import PeakBuilder, PeakPyramid
from dubbin.core.sound.reading import SoundInfo, check_readable
from dubbin.core.sound.source import Samples
from dubbin.core.sound.wav_in_place import WavInPlace, in_place
from dubbin.core.sound.writing import replacing
from dubbin.core.texts import tr

HASH_BLOCK = 1 << 22
MOMENT_S = 2.0
WRITTEN = 4  # of what `_standing` tells: all but when its entry was changed, which another link to it does too


@dataclass(frozen=True)
class CopyFacts:
    """What is noted beside a working copy. nan_count: samples that were NaN or infinite, read as silence.
    short_by: frames that the file's header promises and the file does not hold."""

    fingerprint: str
    rate: int
    channels: int
    frames: int
    file_rate: int
    nan_count: int = 0
    short_by: int = 0


class WorkingCopy:
    """A recording as a source."""

    def __init__(self, facts: CopyFacts, data: RawFile | WavInPlace, peaks: PeakPyramid) -> None:
        self.facts = facts
        self.peaks = peaks
        self._data = data

    @property
    def rate(self) -> int:
        """Frames a second."""
        return self.facts.rate

    @property
    def channels(self) -> int:
        """Channels of the recording."""
        return self.facts.channels

    @property
    def frames(self) -> int:
        """Samples of each channel."""
        return self.facts.frames

    def read(self, start: int, stop: int) -> Samples:
        """Frames start to stop (channels, stop - start), from the disk."""
        return self._data.read(self.facts.channels, start, stop)


class WorkingCopies:
    """The folder of working copies. `obtain` may be called from several threads."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._open: dict[str, WorkingCopy] = {}
        self._seen: dict[tuple[int, ...], SoundInfo] = {}
        self._fingerprints: dict[tuple[int, ...], str] = {}
        self._files = KnownFiles(folder / "files")
        self._lock = threading.Lock()

    def obtain(self, path: Path, rate: int | None = None, task: Task | None = None, *, drift_ppm: float = 0.0) -> WorkingCopy:
        """The working copy of a file, at `rate` Hz (None: the file's own), decoded or looked through now if it was not yet.

        drift_ppm: by how much the clock of the recorder ran fast; the copy is stretched by that.

        Raises UnusableSound when the file can't be read and CannotWrite when the cache folder is full.
        """
        task = task or Task()
        try:
            info = self._look(path)
            fingerprint = self._fingerprint(path, task.part(0.0, 0.1))
            name = f"{fingerprint[:32]}-{rate or info.rate}" + (f"{drift_ppm:+.3f}" if drift_ppm else "")
            with self._lock:
                if name in self._open:
                    return self._open[name]
            whole = in_place(info)
        except OSError as error:  # a card that was pulled out, a folder on a network that went away
            raise UnusableSound(tr("{name} can't be read any more: {strerror}.").format(name=path.name, strerror=error.strerror)) from error
        straight = whole if rate in (None, info.rate) and not drift_ppm else None
        copy = self._load(name, straight)
        if copy is None:
            self._make(info, name, fingerprint, rate or info.rate, drift_ppm, task.part(0.1, 1.0), whole)
            copy = self._load(name, straight)
        if copy is None:
            raise CannotWrite(tr("The working copy of {name} is gone again from {folder}.").format(name=path.name, folder=self.folder))
        with self._lock:
            return self._open.setdefault(name, copy)

    def _look(self, path: Path) -> SoundInfo:
        """What a file says of itself; not asked again while it stands there as it did."""
        check_readable(path)
        standing = _standing(path)[0]
        key = standing[:WRITTEN]
        if key not in self._seen:
            known = self._files.get(path, standing)
            if known is not None:
                self._fingerprints[standing] = known.fingerprint
            self._seen[key] = known.info if known is not None else look(path)
        return replace(self._seen[key], path=path)

    def _fingerprint(self, path: Path, task: Task) -> str:
        """The fingerprint of a file; not read again while it stands there as it did. What was written a moment ago may be written to again in the same tick of the clock."""
        key, changed_s = _standing(path)
        known = self._fingerprints.get(key)
        if known is not None:
            return known
        found = fingerprint_of(path, task)
        if _standing(path)[0] == key and abs(time.time() - changed_s) > MOMENT_S:
            self._fingerprints[key] = found
            if (info := self._seen.get(key[:WRITTEN])) is not None:
                self._files.put(path, key, KnownFile(info, found))
        return found

    def _load(self, name: str, straight: WavInPlace | None) -> WorkingCopy | None:
        """What was kept; None where something is missing, or damaged: then it is made again."""
        try:
            facts = _facts((self.folder / f"{name}.json").read_bytes())
            peaks = PeakPyramid.load(self.folder / f"{name}.peaks", facts.channels, facts.frames)
            if straight is not None and not facts.nan_count:
                return WorkingCopy(facts, straight, peaks) if straight.shape == (facts.channels, facts.frames) else None
            data = RawFile(self.folder / f"{name}.f32")
        except (OSError, ValueError):  # msgspec's errors are ValueErrors
            return None
        return WorkingCopy(facts, data, peaks) if data.size == SAMPLE_BYTES * facts.channels * facts.frames else None

    def _make(
        self, info: SoundInfo, name: str, fingerprint: str, rate: int, drift_ppm: float, task: Task, whole: WavInPlace | None
    ) -> None:
        """Look a recording through, and write its samples down unless they can be read where they stand and are all finite."""
        path = info.path
        data = self.folder / f"{name}.f32"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            passed = None
            if whole is not None and rate == info.rate and not drift_ppm:
                passed = _pass_over(ahead(whole.blocks()), info, rate, drift_ppm, None, task)
            if passed is None or passed.nan_count:
                blocks = whole.blocks() if whole is not None else decode_apart(path)
                with replacing(data) as temporary, open(temporary, "wb") as out:
                    passed = _pass_over(blocks, info, rate, drift_ppm, out, task)
            with replacing(self.folder / f"{name}.peaks") as temporary:
                passed.peaks.save(temporary)
            exact = info.codec.startswith("sndfile:")
            short_by = max((info.frames or 0) - passed.file_frames, 0) if exact else 0
            facts = CopyFacts(fingerprint, rate, passed.channels, passed.frames, info.rate, passed.nan_count, short_by)
            with replacing(self.folder / f"{name}.json") as temporary:
                temporary.write_bytes(msgspec.json.encode(facts))
        except OSError as error:
            raise CannotWrite(
                tr("The working copy of {name} could not be written to {folder}: {strerror}.").format(
                    name=path.name, folder=self.folder, strerror=error.strerror
                )
            ) from error


@dataclass(frozen=True)
class _Passed:
    """What one pass over a file's samples found. frames: at the wanted rate; file_frames: at the file's own."""

    channels: int
    frames: int
    file_frames: int
    nan_count: int
    peaks: PeakPyramid


def _pass_over(stream: Iterable[Samples], info: SoundInfo, rate: int, drift_ppm: float, out: BinaryIO | None, task: Task) -> _Passed:
    """Bring what comes out of a file to `rate`, and write its samples to `out` if that is given. What is not finite is silence."""
    builder: PeakBuilder | None = None
    channels = frames = file_frames = nan_count = 0
    resampler: soxr.ResampleStream | None = None
    expected = info.frames or 0

    def put(x: Samples) -> None:
        nonlocal frames
        assert builder is not None
        builder.push(x)
        frames += x.shape[1]
        if out is not None:
            out.write(np.ascontiguousarray(x.T).data)

    for block in stream:
        if builder is None:
            channels = block.shape[0]
            builder = PeakBuilder(channels)
            true_rate = info.rate * (1.0 + drift_ppm * 1e-6)
            if rate != true_rate:
                resampler = soxr.ResampleStream(true_rate, rate, channels, dtype="float32", quality="VHQ")
        task.step(file_frames / expected if expected else 0.5)
        file_frames += block.shape[1]
        good = np.isfinite(block)
        if not good.all():
            nan_count += int(good.size - np.count_nonzero(good))
            block = np.where(good, block, np.float32(0))
        if resampler is not None:
            block = np.ascontiguousarray(resampler.resample_chunk(block.T).T)
        put(block)
    if resampler is not None:
        put(np.ascontiguousarray(resampler.resample_chunk(np.zeros((0, channels), np.float32), last=True).T))
    assert builder is not None
    return _Passed(channels, frames, file_frames, nan_count, builder.finish())


def _facts(data: bytes) -> CopyFacts:
    """The facts beside a working copy; earlier ones had another name for one of them."""
    plain = msgspec.json.decode(data, type=decodable(dict[str, Any]))
    plain.setdefault("nan_count", plain.pop("not_numbers", 0))
    return msgspec.convert(plain, decodable(CopyFacts))


def _standing(path: Path) -> tuple[tuple[int, ...], float]:
    """How a file stands on the disk: where, how large, when it was written and changed; and the later of these, in seconds."""
    status = path.stat()
    return (
        (status.st_dev, status.st_ino, status.st_size, status.st_mtime_ns, status.st_ctime_ns),
        max(status.st_mtime, status.st_ctime),
    )


def fingerprint_of(path: Path, task: Task | None = None) -> str:
    """A name for what the file holds: BLAKE2b of its bytes, in hex. Two equal files share it."""
    digest = hashlib.blake2b(digest_size=24)
    size = max(os.path.getsize(path), 1)
    done = 0
    with open(path, "rb") as f:
        while chunk := f.read(HASH_BLOCK):
            digest.update(chunk)
            done += len(chunk)
            if task is not None:
                task.step(done / size)
    return digest.hexdigest()
