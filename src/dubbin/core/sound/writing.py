"""Puts files where they belong, whole or not at all."""

from __future__ import annotations

import glob
import hashlib
import os
import platform
import re
import shutil
import threading
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile

from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import BLOCK_FRAMES, Samples, Source, blocks
from dubbin.core.texts import tr
from dubbin.core.there import is_folder_there, is_there

SCRATCH = ".dubbin-"  # beginning of the names of folders that are there for a while
LARGEST_WAV = 4_000_000_000  # bytes; above, RF64


LONGEST_BEGINNING = 100  # bytes of a file's name that its temporary one begins with: together they must not be too long for a disk
OWNER = re.compile(r"\.([0-9a-f]{6})-(\d+)-\w+$")  # machine and process, at the end of temporary names


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary name beside `path`, moved into place when the block ends well, removed when it does not. What a process that was killed left of the same file is cleared away."""
    beginning = f".{shortened(path.name, LONGEST_BEGINNING)}"
    temporary = path.with_name(f"{beginning}.{owner_mark()}.part{path.suffix}")
    for old in path.parent.glob(f"{glob.escape(beginning)}.*.part{glob.escape(path.suffix)}"):
        if is_left_over(old.name.removesuffix(f".part{path.suffix}")):
            old.unlink(missing_ok=True)
    try:
        yield temporary
        with open(temporary, "rb") as f:
            os.fsync(f.fileno())
        os.replace(temporary, path)
    finally:
        with suppress(OSError):
            temporary.unlink(missing_ok=True)


def not_written(path: Path, error: Exception) -> CannotWrite:
    """What is said of a file that the system, or a library, could not write."""
    return CannotWrite(tr("{path} could not be written: {strerror}.").format(path=path, strerror=getattr(error, "strerror", None) or error))


def write_text(path: Path, text: str) -> None:
    """Write a text file, whole or not at all; what is no text in it, as names of files may be, as question marks. Raises CannotWrite."""
    try:
        with replacing(path) as temporary:
            temporary.write_text(text, encoding="utf-8", errors="replace")
    except OSError as error:
        raise not_written(path, error) from error


@contextmanager
def scratch_folder(folder: Path) -> Iterator[Path]:
    """A folder in `folder` for the time of the block: what is made there can be moved into place at once. Those of processes that were killed are cleared away."""
    for old in folder.glob(f"{SCRATCH}*"):
        if is_left_over(old.name):
            shutil.rmtree(old, ignore_errors=True)
    made = folder / f"{SCRATCH}{uuid.uuid4().hex[:6]}.{owner_mark()}"
    made.mkdir()
    try:
        yield made
    finally:
        shutil.rmtree(made, ignore_errors=True)


def shortened(name: str, most_bytes: int) -> str:
    """The beginning of a name, by whole letters: a disk counts bytes, of which a letter takes up to four."""
    return os.fsencode(name)[:most_bytes].decode(errors="ignore")


def owner_mark() -> str:
    """The end of names that are temporary: machine, process, thread."""
    return f"{_machine()}-{os.getpid()}-{threading.get_native_id()}"


@lru_cache(maxsize=1)
def _machine() -> str:
    """A name for this machine: in a shared folder nobody clears away what another one is writing."""
    return hashlib.blake2b(f"{platform.node()}:{uuid.getnode()}".encode(), digest_size=3).hexdigest()


def is_left_over(name: str) -> bool:
    """Whether a temporary name is of a process of this machine that is no more."""
    found = OWNER.search(name)
    if found is None or found[1] != _machine():
        return False
    try:
        os.kill(int(found[2]), 0)
    except ProcessLookupError:
        return True
    except (OSError, OverflowError):
        return False
    return False


def check_output(path: Path, inputs: tuple[Path, ...] = ()) -> None:
    """Raise CannotWrite when `path` can't be written, or when it is one of the inputs."""
    if is_folder_there(path):
        raise CannotWrite(tr("{path} is a folder; name a file to write to.").format(path=path))
    for other in inputs:
        if is_there(path) and is_there(other) and os.path.samefile(path, other):
            raise CannotWrite(
                tr("{path} is the recording itself; recordings are never written over. Choose another name.").format(path=path)
            )
    check_folder(path.parent)


def check_folder(folder: Path) -> None:
    """Raise CannotWrite when nothing can be written into `folder`."""
    if not is_there(folder):
        raise CannotWrite(tr("The folder {folder} does not exist.").format(folder=folder))
    if not is_folder_there(folder):
        raise CannotWrite(tr("{folder} is not a folder.").format(folder=folder))
    if not os.access(folder, os.W_OK | os.X_OK):
        raise CannotWrite(tr("The folder {folder} can't be written to.").format(folder=folder))


SUBTYPES = {16: "PCM_16", 24: "PCM_24", 32: "FLOAT"}


def tpdf_dither(shape: tuple[int, int], bits: int, rng: np.random.Generator) -> Samples:
    """Triangular dither of two steps peak to peak for `bits` bits (Lipshitz, Wannamaker, Vanderkooy 1992)."""
    step = 2.0 ** (1 - bits)
    noise = rng.random((2, *shape), np.float32)
    out: Samples = (noise[0] - noise[1]) * np.float32(step)
    return out


def write_sound(source: Source, path: Path, bits: int = 24, task: Task | None = None) -> None:
    """Write a source as WAV or FLAC (by the ending of `path`); 16 bits are dithered, 32 are float (WAV only).

    The file appears whole or not at all. Raises CannotWrite.
    """
    task = task or Task()
    flac = path.suffix.lower() == ".flac"
    size = source.frames * source.channels * max(bits // 8, 2)
    kind = "FLAC" if flac else ("RF64" if size > LARGEST_WAV else "WAV")
    subtype = SUBTYPES[24 if flac and bits == 32 else bits]
    rng = np.random.default_rng(0)
    try:
        with (
            replacing(path) as temporary,
            soundfile.SoundFile(temporary, "w", source.rate, source.channels, subtype, format=kind) as f,
        ):
            for start, x in blocks(source, BLOCK_FRAMES):
                task.step(start / max(source.frames, 1))
                if bits == 16:
                    x = x + tpdf_dither((x.shape[0], x.shape[1]), 16, rng)
                f.write(x.T)
    except (OSError, soundfile.LibsndfileError) as error:
        raise not_written(path, error) from error
