"""Writes title, author and the like into masters, and reads them back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from dubbin.core.deliver.encode import Format
from dubbin.core.episode.model import Tags

ID3 = {"title": "TIT2", "author": "TPE1", "show": "TALB", "year": "TDRC", "description": "COMM"}
VORBIS = {"title": "title", "author": "artist", "show": "album", "year": "date", "description": "description"}
MP4 = {"title": "\xa9nam", "author": "\xa9ART", "show": "\xa9alb", "year": "\xa9day", "description": "desc"}


def write_tags(path: Path, format: Format, tags: Tags) -> None:
    """Write the tags that are set into a file just made: ID3v2.4 (MP3, WAV), Vorbis comments (FLAC, Opus), MP4."""
    values = {name: getattr(tags, name) for name in ID3 if getattr(tags, name)}
    if not values:
        return
    file = _open(path, format)
    if file.tags is None:
        file.add_tags()
    for name, value in values.items():
        if format in (Format.MP3, Format.WAV):
            file.tags.add(_id3_frame(name, value))
        else:
            file.tags[(MP4 if format is Format.M4A else VORBIS)[name]] = [value]
    file.save()


def read_tags(path: Path, format: Format) -> Tags:
    """The tags of a master."""
    file = _open(path, format)
    found = {}
    for name in ID3:
        if format in (Format.MP3, Format.WAV):
            frames = file.tags.getall(ID3[name]) if file.tags else []
            values = [str(frames[0])] if frames else []
        else:
            values = (file.tags or {}).get((MP4 if format is Format.M4A else VORBIS)[name], [])
        if values:
            found[name] = str(values[0])
    return Tags(**found)


def _id3_frame(name: str, value: str) -> Any:
    from mutagen import id3

    frame = getattr(id3, ID3[name])
    if name == "description":
        return frame(encoding=3, lang="eng", desc="", text=[value])
    return frame(encoding=3, text=[value])


def _open(path: Path, format: Format) -> Any:
    import mutagen.flac
    import mutagen.mp3
    import mutagen.mp4
    import mutagen.oggopus
    import mutagen.wave

    kinds = {
        Format.MP3: mutagen.mp3.MP3,
        Format.WAV: mutagen.wave.WAVE,
        Format.FLAC: mutagen.flac.FLAC,
        Format.M4A: mutagen.mp4.MP4,
        Format.OPUS: mutagen.oggopus.OggOpus,
    }
    return kinds[format](path)
