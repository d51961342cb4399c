"""What is published with a master: tags, cover, chapters, breaks, words; from an episode, on the clock of its program."""

from __future__ import annotations

import io
import json
from dataclasses import dataclass, field, replace
from pathlib import Path

from dubbin.core.deliver.captions import SpokenWord, spoken_words
from dubbin.core.deliver.riff import Cue
from dubbin.core.episode.model import Episode, PlacedKind, Tags
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import DubbinError
from dubbin.core.figures import number
from dubbin.core.texts import tr

SMALLEST_COVER, LARGEST_COVER, HEAVIEST_COVER = 1400, 3000, 512 * 1024
MOST_COVER_BYTES = 20_000_000
SHORTEST_CHAPTER_S = 0.001
CONTINUED = " (continued)"  # behind the title of a chapter that goes on after a break


@dataclass(frozen=True)
class Chapter:
    """A chapter on program time, in seconds."""

    start_s: float
    end_s: float
    title: str


@dataclass(frozen=True)
class Break:
    """A place for what the host puts in. length_s: of the gap that is there now."""

    start_s: float
    length_s: float
    name: str

    @property
    def title(self) -> str:
        """What it is called among chapters and cues."""
        return tr("Break: {name}").format(name=self.name)


@dataclass(frozen=True)
class Cover:
    """A picture as it was read. remarks: what a directory may find wrong with it, in sentences."""

    data: bytes
    mime: str
    width: int
    height: int
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Publication:
    """All that is published with a program, on its own clock: tags, chapters, breaks, markers, words, cover."""

    tags: Tags = field(default_factory=Tags)
    cover: Cover | None = None
    chapters: tuple[Chapter, ...] = ()
    breaks: tuple[Break, ...] = ()
    markers: tuple[tuple[float, str], ...] = ()
    words: tuple[SpokenWord, ...] = ()
    duration_s: float = 0.0
    languages: tuple[str, ...] = ()  # that are spoken, ISO 639-1

    def later(self, seconds: float, duration_s: float) -> Publication:
        """The same with everything so much later: for masters that begin with room tone."""
        if not seconds and duration_s == self.duration_s:
            return self
        chapters = [Chapter(c.start_s + seconds, c.end_s + seconds, c.title) for c in self.chapters]
        if chapters:
            chapters[0] = replace(chapters[0], start_s=min(chapters[0].start_s, self.chapters[0].start_s))
            chapters[-1] = replace(chapters[-1], end_s=duration_s)
        return replace(
            self, chapters=tuple(chapters), breaks=tuple(replace(b, start_s=b.start_s + seconds) for b in self.breaks),
            markers=tuple((s + seconds, t) for s, t in self.markers),
            words=tuple(replace(w, start_s=w.start_s + seconds, end_s=w.end_s + seconds) for w in self.words), duration_s=duration_s,
        )  # fmt: skip

    def file_chapters(self, *, from_zero: bool = False) -> tuple[Chapter, ...]:
        """The chapters as a file carries them: a break is one of its own, and the chapter around it goes on behind.

        from_zero: whether the first one has to begin with the file, as the chapter track of MP4 does; what comes before the first chapter bears the title.
        """
        whole = self.tags.title or tr("Program")
        parts = list(self.chapters)
        if not parts and self.breaks:
            parts = [Chapter(0.0, self.duration_s, whole)]
        if from_zero and parts and parts[0].start_s > SHORTEST_CHAPTER_S:
            parts.insert(0, Chapter(0.0, parts[0].start_s, whole))
        for item in self.breaks:
            end_s = item.start_s + item.length_s
            around = []
            for part in parts:
                before = replace(part, end_s=min(part.end_s, item.start_s))
                after = replace(part, start_s=max(part.start_s, end_s))
                is_whole = before.end_s - before.start_s > SHORTEST_CHAPTER_S
                if is_whole:
                    around.append(before)
                if after.end_s - after.start_s > SHORTEST_CHAPTER_S:
                    is_parted = is_whole and not part.title.endswith(CONTINUED)
                    around.append(replace(after, title=part.title + CONTINUED) if is_parted else after)
            parts = sorted([*around, Chapter(item.start_s, end_s, item.title)], key=lambda c: c.start_s)
        return tuple(parts)

    def cues(self, rate: int) -> list[Cue]:
        """Chapters, breaks and markers as frames of a file."""
        found = [(c.start_s, c.title) for c in self.chapters] + [(b.start_s, b.title) for b in self.breaks] + list(self.markers)
        return [Cue(round(s * rate), text) for s, text in sorted(found)]


def publication_of(episode: Episode, time_map: TimeMap | None = None) -> Publication:
    """All that an episode publishes. A cover that can't be read is left out: `read_cover` says why."""
    time_map, rate = time_map or program_map(episode), episode.rate
    duration = time_map.program_frames / rate
    starts = sorted(
        (at / rate, m.text or tr("Chapter"))
        for m in episode.chapters
        if (at := time_map.to_program_or_next(m.frame)) < time_map.program_frames
    )
    ends = [*(s for s, _ in starts[1:]), duration][: len(starts)]
    chapters = tuple(Chapter(s, e, title) for (s, title), e in zip(starts, ends, strict=True) if e > s)
    breaks = []
    for placed in episode.placed:
        place = time_map.to_program(placed.pieces[0].start_frame) if placed.kind is PlacedKind.BREAK else None
        if place is not None:
            breaks.append(Break(place / rate, placed.frames / rate, placed.name or "break"))
    others = [(m, time_map.to_program(m.frame)) for m in episode.markers if not m.is_chapter]
    markers = tuple((at / rate, m.text or "marker") for m, at in others if at is not None)
    words = tuple(spoken_words(episode, time_map))
    cover = None
    if episode.delivery.cover:
        try:
            cover = read_cover(Path(episode.delivery.cover))
        except DubbinError:
            cover = None
    return Publication(
        episode.delivery.tags, cover, chapters, tuple(sorted(breaks, key=lambda b: b.start_s)), markers, words, duration, episode.languages
    )


def read_cover(path: Path) -> Cover:
    """A cover picture (JPEG or PNG), with remarks on its shape, size and weight. Raises DubbinError when it can't be used."""
    from PIL import Image

    try:
        if path.stat().st_size > MOST_COVER_BYTES:
            raise DubbinError(
                tr("{path} weighs {size} MB; a cover may weigh {most} MB at most.").format(
                    path=path, size=number(path.stat().st_size / 1000000.0, 0), most=number(MOST_COVER_BYTES / 1000000.0, 0)
                )
            )
        data = path.read_bytes()
        with Image.open(io.BytesIO(data)) as image:
            kind, (width, height) = image.format, image.size
            image.verify()
    except OSError as error:
        raise DubbinError(
            tr("{path} can't be used as a cover: {reason}.").format(
                path=path, reason=error.strerror or tr("it is no picture that can be read")
            )
        ) from error
    except (SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise DubbinError(tr("{path} can't be used as a cover: it is no picture that can be read.").format(path=path)) from error
    if kind not in ("JPEG", "PNG"):
        raise DubbinError(tr("{path} is {kind}; covers are JPEG or PNG.").format(path=path, kind=kind or tr("no picture")))
    remarks = []
    if width != height:
        remarks.append(tr("The cover is {width} x {height}: directories ask for a square.").format(width=width, height=height))
    if min(width, height) < SMALLEST_COVER or max(width, height) > LARGEST_COVER:
        remarks.append(
            tr("The cover is {width} x {height}: {smallest_cover} to {largest_cover} pixels a side are usual.").format(
                width=width, height=height, smallest_cover=SMALLEST_COVER, largest_cover=LARGEST_COVER
            )
        )
    if len(data) > HEAVIEST_COVER:
        remarks.append(
            tr("The cover weighs {count} kB: above {heaviest_cover} kB some players show none.").format(
                count=number(len(data) / 1024, 0), heaviest_cover=HEAVIEST_COVER // 1024
            )
        )
    return Cover(data, "image/jpeg" if kind == "JPEG" else "image/png", width, height, tuple(remarks))


def chapters_json(publication: Publication) -> str:
    """Podcast Namespace chapters, version 1.2.0."""
    chapters = [{"startTime": round(c.start_s, 3), "endTime": round(c.end_s, 3), "title": c.title} for c in publication.chapters]
    return json.dumps({"version": "1.2.0", "chapters": chapters}, ensure_ascii=False, indent=1) + "\n"


def chapters_text(publication: Publication) -> str:
    """The chapters as lines of time and title, the way show notes want them."""
    return "".join(f"{clock(c.start_s)} {c.title}\n" for c in publication.chapters)


def breaks_text(publication: Publication) -> str:
    """Times for the host's insertion of advertisements."""
    return "".join(f"{clock(b.start_s, 3)}\t{b.length_s:.3f} s\t{b.name}\n" for b in publication.breaks)


def clock(seconds: float, digits: int = 0) -> str:
    """00:04:05 or 00:04:05.678."""
    scale = 10**digits
    units = round(seconds * scale)
    whole, part = divmod(units, scale)
    tail = f".{part:0{digits}d}" if digits else ""
    return f"{whole // 3600:02d}:{whole % 3600 // 60:02d}:{whole % 60:02d}{tail}"
