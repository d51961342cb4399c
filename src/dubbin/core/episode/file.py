"""The episode file NAME.dubbin: documented JSON with a schema name and a version (docs/episode-format.md).

Paths are kept relative to the episode file where the recordings lie beside or below it, so that a folder can
be moved as a whole.
"""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.episode.migrations import VERSION, migrated
from dubbin.core.episode.model import Episode
from dubbin.core.episode.plausible import check_episode, check_figures
from dubbin.core.episode.unknown_fields import Tree, left_over, put_back
from dubbin.core.errors import BadEpisode, CannotWrite
from dubbin.core.sound.writing import replacing
from dubbin.core.texts import tr

SCHEMA = "dubbin-episode"
SUFFIX = ".dubbin"


def to_plain(episode: Episode) -> dict[str, Any]:
    """An episode as dictionaries, lists and figures."""
    plain = msgspec.to_builtins(episode)
    assert isinstance(plain, dict)
    return plain


def from_plain(plain: Any, version: int = VERSION) -> Episode:
    """The episode back from plain data of a version of the format. Raises BadEpisode."""
    try:
        episode = msgspec.convert(migrated(plain, version) if isinstance(plain, dict) else plain, decodable(Episode))
    except msgspec.ValidationError as error:
        raise BadEpisode(tr("The episode can't be understood: {error}.").format(error=error)) from error
    check_episode(episode)
    return episode


def as_read(episode: Episode) -> Episode:
    """The episode as it comes back from its file: a figure that is whole may be of the other type."""
    return from_plain(to_plain(episode))


def save_episode(episode: Episode, path: Path, unknown: Tree | None = None, *, made_by: str = "") -> None:
    """Write an episode: whole or not at all. unknown: fields that were read and not understood. made_by: what wrote it, if not a person. Raises CannotWrite."""
    folder = path.resolve().parent
    recordings = tuple(replace(r, path=_relative(r.path, folder)) for r in episode.recordings)
    delivery = replace(episode.delivery, cover=_relative(episode.delivery.cover, folder) if episode.delivery.cover else "")
    body = {
        "schema": SCHEMA,
        "version": VERSION,
        **({"made_by": made_by} if made_by else {}),
        "episode": put_back(to_plain(replace(episode, recordings=recordings, delivery=delivery)), unknown or {}),
    }
    data = msgspec.json.format(msgspec.json.encode(body), indent=2)
    try:
        with replacing(path) as temporary:
            temporary.write_bytes(data + b"\n")
    except OSError as error:
        raise CannotWrite(
            tr("{path} could not be saved: {strerror}. The episode is still open here.").format(path=path, strerror=error.strerror)
        ) from error


def load_episode(path: Path) -> Episode:
    """Read an episode; relative paths of recordings and of the cover are made absolute. Raises BadEpisode."""
    return read_episode(path)[0]


def read_episode(path: Path) -> tuple[Episode, Tree]:
    """An episode, and the fields of its file that are not known here. Raises BadEpisode."""
    try:
        data = path.read_bytes()
    except FileNotFoundError as error:
        raise BadEpisode(tr("{path} was not found.").format(path=path)) from error
    except OSError as error:
        raise BadEpisode(tr("{path} could not be read: {strerror}.").format(path=path, strerror=error.strerror)) from error
    try:
        body = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise BadEpisode(tr("{path} is not an episode: it is no JSON file.").format(path=path)) from error
    if not isinstance(body, dict) or body.get("schema") != SCHEMA:
        raise BadEpisode(tr("{path} is not an episode of Dubbin.").format(path=path))
    version = body.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise BadEpisode(
            tr("{path} was made by a newer Dubbin (format {version}); this one reads up to {version2}.").format(
                path=path, version=version, version2=VERSION
            )
        )
    plain = body.get("episode")
    check_figures(plain)
    episode = from_plain(plain, version)
    unknown = left_over(migrated(plain, version), to_plain(episode)) if isinstance(plain, dict) else {}
    folder = path.resolve().parent
    recordings = tuple(replace(r, path=os.path.normpath(folder / r.path)) for r in episode.recordings)
    cover = episode.delivery.cover
    delivery = replace(episode.delivery, cover=os.path.normpath(folder / cover)) if cover else episode.delivery
    return replace(episode, recordings=recordings, delivery=delivery), unknown


def _relative(path: str, folder: Path) -> str:
    absolute = Path(path)
    return str(absolute.relative_to(folder)) if absolute.is_relative_to(folder) else str(absolute)
