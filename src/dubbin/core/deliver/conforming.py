"""The finished sound for a video: back under its picture where nothing was cut; else the program as a file, with the edit by which a picture editor cuts the video to it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from dubbin.core.deliver.captions import caption_file
from dubbin.core.deliver.edit_lists import as_edl, as_otio, usual_rate, videos_of
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.proof import Proof
from dubbin.core.deliver.publication import publication_of
from dubbin.core.deliver.targets import Target
from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.deliver.video import check_uncut, put_into_video
from dubbin.core.episode.model import Episode, Recording
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import check_folder, check_output, scratch_folder, write_text
from dubbin.core.texts import tr

RATE = 48000  # of the sound of videos


@dataclass(frozen=True)
class Conformed:
    """files: that were made, the first of them the one with the sound. is_video: whether the sound is under the picture again. proof: of the sound."""

    files: tuple[Path, ...]
    is_video: bool
    proof: Proof


def is_uncut(episode: Episode, recording: Recording) -> bool:
    """Whether the picture of a recording still fits the program."""
    try:
        check_uncut(episode, recording)
    except CannotWrite:
        return False
    return True


def conform(
    program: Source,
    episode: Episode,
    video: Recording,
    folder: Path,
    name: str,
    target: Target,
    task: Task | None = None,
    *,
    fps: float | None = None,
) -> Conformed:
    """Make what the picture needs, in `folder`: the video with its new sound; or NAME.TARGET.wav with an EDL and a timeline of the cuts. Captions beside it, where there are words.

    The sound is brought to the target first. fps: of the picture; None: as the video says. Raises CannotWrite, and UnusableSound where there is no picture or no sound.
    """
    task = task or Task()
    check_folder(folder)
    target = replace(target, head_s=None, tail_s=None)  # nothing is put before the picture
    videos = {id: picture for id, picture in videos_of(episode).items() if id == video.id}
    if not videos:
        raise UnusableSound(tr("{video} has no picture.").format(video=video.path))
    fps = usual_rate(videos) if fps is None else fps
    try:
        frame_rate(fps)
    except ValueError as error:
        raise CannotWrite(f"{error}.") from error
    recordings = [Path(r.path) for r in episode.recordings]
    whole = is_uncut(episode, video)
    path = Path(video.path)
    out = folder / f"{name}.{target.name}{path.suffix.lower()}"
    if whole:
        check_output(out, tuple(recordings))
    with scratch_folder(folder) as temporary:
        where = temporary if whole else folder
        made = make_masters(program, where, name, [target], [find_format("wav")], None, task.part(0.0, 0.7 if whole else 0.95), recordings)
        if not made.made:
            raise CannotWrite(made.failed[0].reason)
        sound = made.made[0]
        files = [sound.file]
        if whole:
            copy = WorkingCopies(temporary).obtain(sound.file, RATE)
            put_into_video(copy, path, check_uncut(episode, video), out, task.part(0.7, 1.0))
            files = [out]
    if not whole:
        for ending, text in ((".edl", as_edl(episode, fps, videos, sound.file)), (".otio", as_otio(episode, fps, videos, sound.file))):
            files.append(_written(folder / f"{name}.picture{ending}", text, recordings))
    words = publication_of(episode).words
    for ending in ("srt", "vtt") if words else ():
        files.append(_written(folder / f"{name}.{ending}", caption_file(words, ending), recordings))
    task.step(1.0)
    return Conformed(tuple(files), whole, sound.proof)


def _written(path: Path, text: str, recordings: list[Path]) -> Path:
    check_output(path, tuple(recordings))
    write_text(path, text)
    return path
