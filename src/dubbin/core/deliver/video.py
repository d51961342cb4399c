"""Puts the treated sound back into a video file; its picture is copied, packet by packet, and not touched."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from dubbin.core.episode.model import Episode, Recording
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound.reading import opened, probe
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.sound.writing import check_output, replacing
from dubbin.core.texts import tr

CONTAINERS = {
    ".mp4": ("mp4", "aac"),
    ".m4v": ("mp4", "aac"),
    ".mov": ("mov", "aac"),
    ".mkv": ("matroska", "aac"),
    ".webm": ("webm", "libopus"),
}
KBPS = 192
BLOCK = 4096


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
    import av

    task = task or Task()
    check_output(out, (video,))
    if not probe(video).has_video:
        raise UnusableSound(tr("{video} has no picture.").format(video=video))
    suffix = out.suffix.lower()
    if suffix not in CONTAINERS:
        raise CannotWrite(tr("{out} must end in {containers}.").format(out=out, containers=", ".join(CONTAINERS)))
    container, codec = CONTAINERS[suffix]
    try:
        with replacing(out) as temporary, opened(video) as source, open(temporary, "wb") as f, av.open(f, "w", format=container) as made:
            picture = next(s for s in source.streams.video if not s.disposition & av.stream.Disposition.attached_pic)
            copied = made.add_stream_from_template(picture)
            audio: Any = made.add_stream(codec, rate=48000)
            audio.layout = "mono" if sound.channels == 1 else "stereo"
            audio.bit_rate = KBPS * 1000
            _copy(source, picture, made, copied, audio, sound, start_frame, task)
    except (OSError, av.error.FFmpegError, ValueError) as error:
        raise CannotWrite(
            tr("{out} could not be written: {value}.").format(out=out, value=getattr(error, "strerror", None) or error)
        ) from error


def _copy(source: Any, picture: Any, made: Any, copied: Any, audio: Any, sound: Source, start_frame: int, task: Task) -> None:
    """Picture packets as they come, and sound up to where each of them is."""
    length_s = float(source.duration or 0) / 1e6
    written, end_s = 0, 0.0
    if sound.rate != 48000:
        raise CannotWrite(tr("The program runs at {rate} Hz; videos take 48000 Hz.").format(rate=sound.rate))
    for packet in source.demux(picture):
        if packet.dts is None:
            continue
        at_s = float(packet.dts * packet.time_base)
        shown = packet.pts if packet.pts is not None else packet.dts
        end_s = max(end_s, float((shown + (packet.duration or 0)) * packet.time_base))
        written = _sound_until(made, audio, sound, start_frame, written, round(at_s * sound.rate))
        packet.stream = copied
        made.mux(packet)
        task.step(at_s / length_s if length_s else 0.0)
    _sound_until(made, audio, sound, start_frame, written, round(max(end_s, length_s) * sound.rate), last=True)
    made.mux(audio.encode(None))


def _sound_until(made: Any, audio: Any, sound: Source, start_frame: int, written: int, stop: int, last: bool = False) -> int:
    import av

    while written < stop if last else written + BLOCK <= stop:
        size = min(BLOCK, stop - written) if last else BLOCK
        x = np.clip(read_padded(sound, start_frame + written, start_frame + written + size), -1.0, 1.0)
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x, np.float32), format="fltp", layout=audio.layout.name)
        frame.sample_rate, frame.pts, frame.time_base = sound.rate, written, Fraction(1, sound.rate)
        made.mux(audio.encode(frame))
        written += size
    return written
