"""Puts the treated sound back into a video file; its picture is copied, packet by packet, and not touched.

The file comes from anywhere, so that a process of its own takes it apart (video_writer.py); this one hands it the sound.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dubbin.core.deliver.video_writer import RATE, SHARE, WANTED
from dubbin.core.episode.model import Episode, Recording
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound.apart import look
from dubbin.core.sound.child_process import ChildProcess
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.sound.writing import check_output, not_written, replacing
from dubbin.core.texts import tr

CONTAINERS = {
    ".mp4": ("mp4", "aac"),
    ".m4v": ("mp4", "aac"),
    ".mov": ("mov", "aac"),
    ".mkv": ("matroska", "aac"),
    ".webm": ("webm", "libopus"),
}


def check_uncut(episode: Episode, recording: Recording) -> int:
    """The program frame at which a recording begins. Raises CannotWrite where something was cut or moved: then the picture would not fit any more."""
    lane = next((lane for lane in episode.lanes if lane.recording == recording.id), None)
    time_map = program_map(episode)
    whole = len(time_map.spans) == 1 and time_map.program_frames == episode.frames
    if lane is None or not whole or lane.bed is not None:
        raise CannotWrite(
            tr(
                "The sound can go back into the video only where nothing was cut, moved or put in; export the edit list and cut the picture by it."
            )
        )
    return lane.start_frame


def put_into_video(sound: Source, video: Path, start_frame: int, out: Path, task: Task | None = None) -> None:
    """Write `out`: the picture of `video` with `sound` from start_frame on, as long as the picture. Raises CannotWrite, UnusableSound."""
    task = task or Task()
    check_output(out, (video,))
    if not look(video).has_video:
        raise UnusableSound(tr("{video} has no picture.").format(video=video))
    suffix = out.suffix.lower()
    if suffix not in CONTAINERS:
        raise CannotWrite(tr("{out} must end in {containers}.").format(out=out, containers=", ".join(CONTAINERS)))
    if sound.rate != RATE:
        raise CannotWrite(tr("The program runs at {rate} Hz; videos take 48000 Hz.").format(rate=sound.rate))
    try:
        with replacing(out) as temporary, _writer(video, temporary, suffix, sound.channels) as writer:
            _answer(writer, sound, start_frame, task)
    except OSError as error:
        raise not_written(out, error) from error


def _writer(video: Path, out: Path, suffix: str, channels: int) -> ChildProcess:
    return ChildProcess(
        "dubbin.core.deliver.video_writer", video, str(video.absolute()), str(out.absolute()), *CONTAINERS[suffix], str(channels)
    )


def _answer(writer: ChildProcess, sound: Source, start_frame: int, task: Task) -> None:
    """Give the writer what it asks for until it is done. Raises OSError where it could not write."""
    while (message := writer.message()) is not None:
        kind, body = message
        if kind == b"s":
            start, stop = WANTED.unpack(body)
            x = np.clip(read_padded(sound, start_frame + start, start_frame + stop), -1.0, 1.0)
            writer.give(np.ascontiguousarray(x, np.float32).tobytes())
        elif kind == b"p":
            task.step(*SHARE.unpack(body))
        elif kind == b"w":
            raise OSError(0, body.decode())
        elif kind == b"e":
            return
    raise writer.broke()
