"""Opens sound files of any common kind: what is in them, and their samples block by block. What comes from elsewhere is opened by a process of its own (apart.py).

Uncompressed formats go through libsndfile, everything else through FFmpeg's libraries. Only local files
are opened: FFmpeg gets an open file object and a list of containers, so that no address and no playlist
inside a file can lead it elsewhere.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from dubbin.core.errors import UnusableSound
from dubbin.core.sound.source import BLOCK_FRAMES, Samples
from dubbin.core.texts import tr

# Containers that FFmpeg may take a file for; playlists and anything that refers to other files are not among them.
CONTAINERS = "mp3,aac,ogg,flac,wav,w64,aiff,caf,mov,mp4,m4a,3gp,matroska,webm,avi,mpegts,mpeg,asf,amr,ac3,eac3,wv,ape,tta"
SNDFILE_FORMATS = {"WAV", "WAVEX", "RF64", "W64", "AIFF", "FLAC", "CAF", "AU"}
MAX_CHANNELS = 64
LOWEST_RATE, HIGHEST_RATE = 4000, 768000


@dataclass(frozen=True)
class SoundInfo:
    """What a file says of itself. frames is None where only decoding tells. fps, timecode: of its picture, where it has one and says them."""

    path: Path
    container: str
    codec: str
    rate: int
    channels: int
    frames: int | None
    has_video: bool = False
    title: str | None = None
    fps: float | None = None
    timecode: str | None = None


def check_readable(path: Path) -> None:
    """Raise UnusableSound with a plain sentence when there is nothing to read at `path`."""
    if re.match(r"[a-zA-Z][a-zA-Z0-9+.-]+:/", str(path)):
        raise UnusableSound(tr("{path} is an address; only files on this machine can be opened.").format(path=path))
    try:
        status = path.stat()
    except PermissionError as error:
        raise UnusableSound(tr("{path} may not be read: its permissions forbid it.").format(path=path)) from error
    except (OSError, ValueError) as error:
        raise UnusableSound(tr("{path} was not found.").format(path=path)) from error
    if stat.S_ISDIR(status.st_mode):
        raise UnusableSound(tr("{path} is a folder, not a sound file.").format(path=path))
    if not stat.S_ISREG(status.st_mode):
        raise UnusableSound(tr("{path} is not an ordinary file.").format(path=path))
    if not os.access(path, os.R_OK):
        raise UnusableSound(tr("{path} may not be read: its permissions forbid it.").format(path=path))
    if status.st_size == 0:
        raise UnusableSound(tr("{path} is empty (0 bytes).").format(path=path))


def probe(path: Path) -> SoundInfo:
    """Look into a file without decoding it. Raises UnusableSound."""
    check_readable(path)
    return check_info(_probe_sndfile(path) or _probe_ffmpeg(path))


def check_info(info: SoundInfo) -> SoundInfo:
    """What a file says of itself, where that can be. Raises UnusableSound."""
    path = info.path
    if info.channels < 1 or info.channels > MAX_CHANNELS:
        raise UnusableSound(
            tr("{path} says it has {channels} channels; 1 to {max_channels} can be read.").format(
                path=path, channels=info.channels, max_channels=MAX_CHANNELS
            )
        )
    if not LOWEST_RATE <= info.rate <= HIGHEST_RATE:
        raise UnusableSound(tr("{path} says its sample rate is {rate} Hz, which can't be right.").format(path=path, rate=info.rate))
    if info.frames == 0:
        raise UnusableSound(tr("{path} holds no sound: it is a header without samples.").format(path=path))
    return info


def decode(path: Path, info: SoundInfo | None = None) -> Iterator[Samples]:
    """The samples of a file at its own rate, in blocks (channels, n), float32.

    A file that breaks off is read as far as it goes. Raises UnusableSound when not one block can be had.
    """
    info = info or probe(path)
    stream = _decode_sndfile(path) if info.codec.startswith("sndfile:") else _gathered(_decode_ffmpeg(path, info))
    came = False
    for block in stream:
        if block.shape[1]:
            came = True
            yield block
    if not came:
        raise UnusableSound(tr("{path} holds no sound that can be decoded.").format(path=path))


def _probe_sndfile(path: Path) -> SoundInfo | None:
    try:
        with soundfile.SoundFile(path) as f:
            if f.format not in SNDFILE_FORMATS:
                return None
            title = f.title or None
            return SoundInfo(path, f.format, f"sndfile:{f.subtype}", f.samplerate, f.channels, f.frames, title=title)
    except (soundfile.LibsndfileError, RuntimeError, OSError, ValueError):
        return None


def _decode_sndfile(path: Path) -> Iterator[Samples]:
    with soundfile.SoundFile(path) as f:
        while True:
            try:
                block = f.read(BLOCK_FRAMES, dtype="float32", always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError):
                return  # broken off: what came before counts
            if not len(block):
                return
            yield np.ascontiguousarray(block.T)


def _gathered(stream: Iterator[Samples]) -> Iterator[Samples]:
    """The small frames of a codec joined to blocks, which cost less to handle."""
    held: list[Samples] = []
    frames = 0
    for x in stream:
        held.append(x)
        frames += x.shape[1]
        if frames >= BLOCK_FRAMES:
            yield np.concatenate(held, axis=1)
            held, frames = [], 0
    if held:
        yield np.concatenate(held, axis=1)


@contextmanager
def opened(path: Path) -> Iterator[Any]:
    """A file opened by FFmpeg for as long as the block lasts. Raises UnusableSound."""
    import av
    import av.logging

    av.logging.set_level(None)
    with open(path, "rb") as f:
        try:
            container = av.open(f, options={"format_whitelist": CONTAINERS, "protocol_whitelist": "file"})
        except (av.error.FFmpegError, ValueError) as error:
            raise UnusableSound(tr("{path} is not a sound file that can be read.").format(path=path)) from error
        with container:
            yield container


def _probe_ffmpeg(path: Path) -> SoundInfo:
    import av

    with opened(path) as container:
        if not container.streams.audio:
            raise UnusableSound(tr("{path} has no sound track.").format(path=path))
        stream = container.streams.audio[0]
        try:
            rate, channels = int(stream.rate or 0), int(stream.channels or 0)
            codec = stream.codec_context.name
        except (av.error.FFmpegError, AttributeError) as error:
            raise UnusableSound(tr("{path} has a sound track that can't be decoded.").format(path=path)) from error
        frames = None
        if stream.duration and stream.time_base:
            frames = round(float(stream.duration * stream.time_base) * rate) or None
        pictures = [v for v in container.streams.video if not _is_cover(v)]
        fps = pictures[0].average_rate or pictures[0].base_rate if pictures else None
        codes = (s.metadata.get("timecode") for s in (*container.streams, container)) if pictures else ()
        return SoundInfo(
            path,
            container.format.name,
            codec,
            rate,
            channels,
            frames,
            has_video=bool(pictures),
            title=container.metadata.get("title"),
            fps=float(fps) if fps else None,
            timecode=next((code for code in codes if code), None),
        )


def _is_cover(stream: Any) -> bool:
    import av

    return bool(stream.disposition & av.stream.Disposition.attached_pic)


def _decode_ffmpeg(path: Path, info: SoundInfo) -> Iterator[Samples]:
    import av

    with opened(path) as container:
        stream = container.streams.audio[0]
        stream.thread_type = "AUTO"
        layout = stream.layout.name  # what it begins with: the stream's own changes with what is decoded
        resampler, form = None, None
        packets = container.demux(stream)
        while True:
            try:
                packet = next(packets)
            except StopIteration:
                return
            except av.error.FFmpegError:
                return  # broken off
            try:
                frames = packet.decode()
            except av.error.FFmpegError:
                continue  # one damaged packet: go on with the next
            for frame in frames:
                if (
                    now := (frame.format.name, frame.layout.name, frame.sample_rate)
                ) != form:  # files that were put together change half way
                    yield from _resampled(resampler, None)
                    resampler, form = av.AudioResampler(format="fltp", layout=layout, rate=info.rate), now
                yield from _resampled(resampler, frame)


def _resampled(resampler: Any, frame: Any) -> Iterator[Samples]:
    """What a resampler makes of a frame, or, where that is None, still holds; nothing of a frame whose form is damaged."""
    import av

    try:
        made = resampler.resample(frame) if resampler is not None else ()
    except av.error.FFmpegError:
        made = ()
    for out in made:
        yield np.ascontiguousarray(out.to_ndarray(), dtype=np.float32)
