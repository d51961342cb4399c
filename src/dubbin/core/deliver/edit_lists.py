"""The edit itself, so that the same cuts can be made to the picture elsewhere: OpenTimelineIO, EDL (CMX 3600), CSV and label text."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.deliver.picture import Picture, picture_of
from dubbin.core.deliver.table_cells import safe_cell
from dubbin.core.deliver.timecode import frame_rate
from dubbin.core.deliver.video import CONTAINERS
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import CannotWrite
from dubbin.core.mix.bed import place_bed
from dubbin.core.sound.writing import check_output, write_text
from dubbin.core.texts import tr

FRAMES_PER_S = 25  # of the picture, where nobody says another
EDL_TITLE, EDL_NAME = 60, 8


@dataclass(frozen=True)
class Event:
    """A stretch of one recording that is heard. start, end: frames of the recording; at: frame of the program. is_under: it lies under the program and is
    not cut with it."""

    recording: str
    path: str
    voice: str
    start: int
    end: int
    at: int
    is_under: bool = False

    @property
    def frames(self) -> int:
        """Length of the event."""
        return self.end - self.start


def events(episode: Episode, time_map: TimeMap | None = None) -> dict[str, list[Event]]:
    """For every recording its stretches in the order in which they are heard: cut as the program is, or, under the program, at a place of its own."""
    time_map = time_map or program_map(episode)
    out: dict[str, list[Event]] = {}
    for recording in episode.recordings:
        lane = next((lane for lane in episode.lanes if lane.recording == recording.id), None)
        if lane is None:
            continue
        found = []
        if lane.bed is not None:
            start = min(time_map.to_program_or_next(lane.start_frame), time_map.program_frames)
            place = place_bed(lane.bed, recording.frames, episode.rate, start, time_map.program_frames)
            found = [Event(recording.id, recording.path, lane.voice, first, first + n, at, True) for at, first, n in place.rounds()]
        for span in time_map.spans if lane.bed is None else ():
            a, b = max(span.start, lane.start_frame), min(span.end, lane.start_frame + recording.frames)
            if b > a:
                at = span.program + a - span.start
                found.append(Event(recording.id, recording.path, lane.voice, a - lane.start_frame, b - lane.start_frame, at))
        if found:
            out[recording.id] = found
    return out


Videos = Mapping[str, Picture]  # the pictures of recordings that have any, by the recordings' ids
NONE: Videos = {}


def videos_of(episode: Episode) -> dict[str, Picture]:
    """The pictures of recordings, by the recordings' ids. What can't be read has none."""
    found = {r.id: picture_of(Path(r.path)) for r in episode.recordings if Path(r.path).suffix.lower() in CONTAINERS}
    return {id: picture for id, picture in found.items() if picture is not None}


def usual_rate(videos: Videos) -> float:
    """Frames a second of the first picture; 25 where there is none."""
    return next((picture.fps for picture in videos.values()), float(FRAMES_PER_S))


def as_otio(episode: Episode, fps: float = FRAMES_PER_S, videos: Videos = NONE, mix: Path | None = None) -> str:
    """A timeline with a track for every recording, and one of its picture for every one that has any, below; times at the session's rate, so that nothing is
    rounded, from the time code on that a video begins with. Chapters, markers and breaks are its markers. mix: a file of the whole program, which then is the only sound."""
    import opentimelineio as otio

    rate, time_map = episode.rate, program_map(episode)
    timeline = otio.schema.Timeline(name=episode.title)
    timeline.global_start_time = otio.opentime.RationalTime(0, rate)
    by_recording, kinds = events(episode, time_map), otio.schema.TrackKind
    wanted = [(r, kinds.Video) for r in episode.recordings if r.id in videos]
    wanted += [(r, kinds.Audio) for r in episode.recordings] if mix is None else []
    for recording, kind in wanted:
        found = by_recording.get(recording.id, [])
        if not found:
            continue
        track = otio.schema.Track(name=found[0].voice, kind=kind)
        at, begins = 0, round(videos[recording.id].start_s * rate) if recording.id in videos else 0
        for event in found:
            if event.at > at:
                track.append(otio.schema.Gap(source_range=_range(otio, 0, event.at - at, rate)))
            media = otio.schema.ExternalReference(Path(event.path).absolute().as_uri(), _range(otio, begins, recording.frames, rate))
            track.append(otio.schema.Clip(Path(event.path).stem, media, _range(otio, begins + event.start, event.frames, rate)))
            at = event.at + event.frames
        timeline.tracks.append(track)
    if mix is not None:
        whole = _range(otio, 0, time_map.program_frames, rate)
        track = otio.schema.Track(name="Program", kind=kinds.Audio)
        track.append(otio.schema.Clip(mix.stem, otio.schema.ExternalReference(mix.absolute().as_uri(), whole), whole))
        timeline.tracks.append(track)
    for frame, text, kind in program_marks(episode, time_map):
        timeline.tracks.markers.append(otio.schema.Marker(name=text, marked_range=_range(otio, frame, 0, rate), metadata={"kind": kind}))
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def _range(otio, start: int, frames: int, rate: int):  # type: ignore[no-untyped-def]
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate))


def as_edl(episode: Episode, fps: float = FRAMES_PER_S, videos: Videos = NONE, mix: Path | None = None) -> str:
    """CMX 3600: the cuts of the whole session, as one recording sees them, on picture frames; black where a break is. That recording is one with a picture, where
    there is any: its events cut sound and picture together (B), and its times are those of its own time code. mix: a file of the whole program, which then is the only
    sound, in an event of its own. Source: the format as SMPTE 258M describes it. Raises ValueError for frame rates that no picture has."""
    picture, rate = frame_rate(fps), episode.rate
    cut = [found for found in events(episode).values() if not found[0].is_under]
    longest = max(cut, key=lambda found: (found[0].recording in videos, sum(e.frames for e in found)), default=[])
    film = videos.get(longest[0].recording) if longest else None
    channel, begins = "AA/V" if film is None else "B" if mix is None else "V", 0 if film is None else picture.frame(film.start_s)
    lines = [f"TITLE: {_ascii(episode.title)[:EDL_TITLE]}", f"FCM: {'DROP FRAME' if picture.dropped else 'NON-DROP FRAME'}", ""]
    edge, number = 0, 0

    def add(reel: str, source: int, begin: int, end: int) -> None:
        nonlocal edge, number
        number, edge = number + 1, end
        times = " ".join(picture.timecode(t) for t in (source, source + end - begin, begin, end))
        lines.append(f"{number:03d}  {reel:<8} {channel:<5} C        {times}")

    for event in longest:
        begin, end = picture.frame(event.at / rate), picture.frame((event.at + event.frames) / rate)
        if end <= begin:
            continue
        if begin > edge:
            add("BL", 0, edge, begin)
        add(_reel(Path(event.path)), begins + picture.frame(event.start / rate), begin, end)
        lines.append(f"* FROM CLIP NAME: {_ascii(Path(event.path).name)}")
    if mix is not None and edge:
        whole = f"{picture.timecode(0)} {picture.timecode(edge)}"
        lines.append(f"{number + 1:03d}  {_reel(mix):<8} {'AA':<5} C        {whole} {whole}")
        lines.append(f"* FROM CLIP NAME: {_ascii(mix.name)}")
    for frame, text, _ in program_marks(episode, program_map(episode)):
        if (at := picture.frame(frame / rate)) <= edge:
            lines.append(f"* LOC: {picture.timecode(at)} RED     {_ascii(text)}")
    return "\n".join(lines) + "\n"


def _reel(path: Path) -> str:
    return _ascii(path.stem).upper().replace(" ", "")[:EDL_NAME] or "AX"


def as_csv(episode: Episode, fps: float = FRAMES_PER_S, videos: Videos = NONE) -> str:
    """A row a stretch: where it lies in its recording, and where in the program."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["recording", "voice", "source_start_s", "source_end_s", "program_start_s", "program_end_s"])
    for found in events(episode).values():
        for e in found:
            times = (e.start, e.end, e.at, e.at + e.frames)
            writer.writerow([safe_cell(Path(e.path).name), safe_cell(e.voice), *(f"{t / episode.rate:.6f}" for t in times)])
    return out.getvalue()


def as_tab_separated(episode: Episode, fps: float = FRAMES_PER_S, videos: Videos = NONE) -> str:
    """Lines of start, end and text, parted by tabs, in seconds of the program: seams, chapters, markers and breaks."""
    time_map = program_map(episode)
    rows = [(seam, "seam") for seam in time_map.seams()] + [(frame, text or kind) for frame, text, kind in program_marks(episode, time_map)]
    return "".join(f"{f / episode.rate:.6f}\t{f / episode.rate:.6f}\t{' '.join(text.split())}\n" for f, text in sorted(rows))


def program_marks(episode: Episode, time_map: TimeMap) -> list[tuple[int, str, str]]:
    """(program frame, text, kind) of chapters, markers and breaks that are heard, in order."""
    out = []
    for marker in episode.markers:
        at = time_map.to_program_or_next(marker.frame) if marker.is_chapter else time_map.to_program(marker.frame)
        if at is not None:
            out.append((at, marker.text, "chapter" if marker.is_chapter else "marker"))
    for item in episode.placed:
        if item.kind == "break" and (at := time_map.to_program(item.pieces[0].start_frame)) is not None:
            out.append((at, item.name or "Break", "break"))
    return sorted(out)


def chapter_list(episode: Episode) -> str:
    """Chapters as lines of time and title, the form in which they are pasted into show notes."""
    marks = [(f, text) for f, text, kind in program_marks(episode, program_map(episode)) if kind == "chapter"]
    long = bool(marks) and marks[-1][0] / episode.rate >= 3600
    return "".join(f"{_clock(f / episode.rate, long)} {text}\n" for f, text in marks)


def _clock(seconds: float, hours: bool) -> str:
    whole = int(seconds)
    return f"{whole // 3600}:{whole % 3600 // 60:02d}:{whole % 60:02d}" if hours else f"{whole // 60:02d}:{whole % 60:02d}"


def _ascii(text: str) -> str:
    return " ".join(text.encode("ascii", "replace").decode().split())


FORMS: dict[str, Callable[[Episode, float, Videos], str]] = {
    ".otio": as_otio,
    ".edl": as_edl,
    ".csv": as_csv,
    ".txt": as_tab_separated,
}


def write_edit_list(episode: Episode, path: Path, fps: float | None = None) -> None:
    """Write the edit in the form that the file's ending names. fps: of the picture; None: as many as the first video has. Raises CannotWrite."""
    form = FORMS.get(path.suffix.lower())
    if form is None:
        raise CannotWrite(tr("{name}: an edit list ends in {forms}.").format(name=path.name, forms=", ".join(FORMS)))
    check_output(path, tuple(Path(r.path) for r in episode.recordings))
    videos = videos_of(episode)
    fps = fps if fps is not None else usual_rate(videos)
    try:
        frame_rate(fps)
    except ValueError as error:
        raise CannotWrite(f"{path.name}: {error}.") from error
    write_text(path, form(episode, fps, videos))
