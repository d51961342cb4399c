"""Writes tags, cover and chapters into masters, and reads them back."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from dubbin.core.deliver.formats import Format, TagKind
from dubbin.core.deliver.publication import Chapter, Cover, Publication
from dubbin.core.episode.model import Tags

ID3 = {
    "title": "TIT2", "author": "TPE1", "show": "TALB", "year": "TDRC", "description": "COMM", "season": "TXXX:SEASON", "number": "TRCK",
    "people": "TPE2", "genre": "TCON", "language": "TLAN", "copyright": "TCOP",
}  # fmt: skip
VORBIS = {
    "title": "title", "author": "artist", "show": "album", "year": "date", "description": "description", "season": "season", "number": "tracknumber",
    "people": "performer", "genre": "genre", "language": "language", "copyright": "copyright",
}  # fmt: skip
MP4 = {
    "title": "\xa9nam", "author": "\xa9ART", "show": "\xa9alb", "year": "\xa9day", "description": "desc", "season": "tvsn", "number": "tves",
    "people": "aART", "genre": "\xa9gen", "language": "----:org.dubbin:LANGUAGE", "copyright": "cprt",
}  # fmt: skip
WHOLE_FIGURES = ("season", "number")
# The usual three-letter codes of ID3 (ISO 639-2) for the two-letter ones that people write.
LANGUAGES = {
    "en": "eng",
    "de": "deu",
    "fr": "fra",
    "es": "spa",
    "it": "ita",
    "pt": "por",
    "nl": "nld",
    "pl": "pol",
    "sv": "swe",
    "ja": "jpn",
    "zh": "zho",
}


def publish(path: Path, format: Format, what: Publication) -> None:
    """Write what is published into a file just made: ID3v2.4 with CHAP and CTOC (MP3, WAV), Vorbis comments (FLAC, Opus), MP4 (chapters of MP4 are
    written when it is encoded)."""
    values = {name: value for name in ID3 if (value := getattr(what.tags, name))}
    chapters = what.file_chapters() if not format.encoder_chapters else ()
    if not values and what.cover is None and not chapters:
        return
    file = _open(path, format)
    if file.tags is None:
        file.add_tags()
    for name, value in values.items():
        if format.tags is TagKind.ID3:
            file.tags.add(_id3_frame(name, value, what.tags.language))
        elif format.tags is TagKind.MP4:
            _set_mp4(file, name, value)
        else:
            file.tags[VORBIS[name]] = [p.strip() for p in value.split(",")] if name == "people" else [value]
    if what.cover is not None:
        _add_cover(file, format, what.cover)
    if chapters and format.tags is TagKind.ID3:
        _add_id3_chapters(file.tags, chapters)
    elif chapters:
        for k, chapter in enumerate(chapters, 1):
            file.tags[f"CHAPTER{k:03d}"] = [_vorbis_time(chapter.start_s)]
            file.tags[f"CHAPTER{k:03d}NAME"] = [chapter.title]
    file.save()


def read_tags(path: Path, format: Format) -> Tags:
    """The tags of a master."""
    file = _open(path, format)
    found = {}
    for name in ID3:
        if format.tags is TagKind.ID3:
            frames = file.tags.getall(ID3[name]) if file.tags else []
            values = [str(frames[0])] if frames else []
        else:
            values = (file.tags or {}).get((MP4 if format.tags is TagKind.MP4 else VORBIS)[name], [])
        if len(values):
            value = values[0].decode() if isinstance(values[0], bytes) else str(values[0])
            found[name] = ", ".join(map(str, values)) if name == "people" else value
    return Tags(**found)


def _id3_frame(name: str, value: str, language: str) -> Any:
    from dubbin.core.deliver.tag_library import COMM, TXXX, Frames

    code = LANGUAGES.get(language[:2].lower(), "eng")
    if name == "description":
        return COMM(encoding=3, lang=code, desc="", text=[value])
    if name == "season":
        return TXXX(encoding=3, desc="SEASON", text=[value])
    return Frames[ID3[name]](encoding=3, text=[value])


def _set_mp4(file: Any, name: str, value: str) -> None:
    from dubbin.core.deliver.tag_library import MP4FreeForm

    if name in WHOLE_FIGURES:
        if value.isdigit() and int(value) < 65536:
            file.tags[MP4[name]] = [int(value)]
    elif name == "language":
        file.tags[MP4[name]] = [MP4FreeForm(value.encode())]
    else:
        file.tags[MP4[name]] = [value]


def _add_cover(file: Any, format: Format, cover: Cover) -> None:
    if format.tags is TagKind.ID3:
        from dubbin.core.deliver.tag_library import APIC

        file.tags.add(APIC(encoding=3, mime=cover.mime, type=3, desc="Cover", data=cover.data))
    elif format.tags is TagKind.MP4:
        from dubbin.core.deliver.tag_library import MP4Cover

        kind = MP4Cover.FORMAT_JPEG if cover.mime == "image/jpeg" else MP4Cover.FORMAT_PNG
        file.tags["covr"] = [MP4Cover(cover.data, imageformat=kind)]
    else:
        import base64

        from dubbin.core.deliver.tag_library import Picture

        picture = Picture()
        picture.type, picture.mime, picture.desc, picture.data = 3, cover.mime, "Cover", cover.data
        picture.width, picture.height, picture.depth = cover.width, cover.height, 24
        if hasattr(file, "add_picture"):
            file.add_picture(picture)
        else:
            file.tags["metadata_block_picture"] = [base64.b64encode(picture.write()).decode("ascii")]


def _add_id3_chapters(tags: Any, chapters: Sequence[Chapter]) -> None:
    """ID3v2 Chapter Frame Addendum 1.0."""
    from dubbin.core.deliver.tag_library import CHAP, CTOC, TIT2, CTOCFlags

    ids = [f"chp{k}" for k in range(len(chapters))]
    flags = CTOCFlags.TOP_LEVEL | CTOCFlags.ORDERED
    tags.add(CTOC(element_id="toc", flags=flags, child_element_ids=ids, sub_frames=[TIT2(encoding=3, text=["Chapters"])]))
    for id, chapter in zip(ids, chapters, strict=True):
        start, end = round(chapter.start_s * 1000), round(chapter.end_s * 1000)
        title = TIT2(encoding=3, text=[chapter.title])
        tags.add(CHAP(element_id=id, start_time=start, end_time=end, start_offset=0xFFFFFFFF, end_offset=0xFFFFFFFF, sub_frames=[title]))


def _vorbis_time(seconds: float) -> str:
    ms = round(seconds * 1000)
    return f"{ms // 3600000:02d}:{ms % 3600000 // 60000:02d}:{ms % 60000 // 1000:02d}.{ms % 1000:03d}"


def _open(path: Path, format: Format) -> Any:
    from dubbin.core.deliver.tag_library import CLASSES

    return CLASSES[format.tag_class](path)
