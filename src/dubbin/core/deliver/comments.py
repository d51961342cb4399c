"""Comments that come back from a listening page: small JSON files, of one person each.

{"format": "dubbin-comments", "version": 1, "episode": id, "title": …, "by": name, "comments": [{"at_s", "session_s", "quote", "text"}]}

session_s is the place in the session, which stays the same where more was cut since the page was made; at_s is the one in the program as it was.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.comments import Comment, take_comments
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr, tr_count

FORMAT, VERSION = "dubbin-comments", 1
MOST_BYTES, MOST_COMMENTS = 5_000_000, 10_000
LONGEST, LONGEST_NAME = 10_000, 200  # letters
LATEST_S = 10.0**9


class _Item(msgspec.Struct):
    text: str
    at_s: float
    session_s: float | None = None
    quote: str = ""


class _Kind(msgspec.Struct):
    format: str = ""


class _File(msgspec.Struct):
    format: str
    version: int
    comments: list[_Item]
    episode: str = ""
    title: str = ""
    by: str = ""


@dataclass(frozen=True)
class Comments:
    """What one person wrote. episode: id of the one that was heard, with its title."""

    episode: str
    title: str
    by: str
    items: tuple[_Item, ...]


def read_comments(path: Path) -> Comments:
    """A file of comments. Raises DubbinError."""
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise DubbinError(tr("{path} is too large to be a file of comments.").format(path=path))
        found = msgspec.json.decode(path.read_bytes(), type=decodable(_File))
    except OSError as error:
        raise DubbinError(tr("{path} could not be read: {reason}.").format(path=path, reason=error.strerror)) from error
    except (msgspec.MsgspecError, UnicodeDecodeError, RecursionError) as error:
        raise DubbinError(tr("{path} is no file of comments: {reason}.").format(path=path, reason=str(error).rstrip("."))) from error
    if found.format != FORMAT:
        raise DubbinError(tr("{path} is no file of comments.").format(path=path))
    if found.version > VERSION:
        raise DubbinError(tr("{path} was made by a newer Dubbin.").format(path=path))
    if len(found.comments) > MOST_COMMENTS:
        raise DubbinError(tr("{path} holds more than {most} comments.").format(path=path, most=MOST_COMMENTS))
    items = tuple(item for item in found.comments if item.text.strip() and _is_a_time(item.at_s) and _is_a_time(item.session_s or 0.0))
    return Comments(found.episode, found.title, _line(found.by, LONGEST_NAME), items)


def comments_change(episode: Episode, files: Sequence[Comments]) -> Change:
    """Bring the comments of several people into an episode, as markers. What is there already stays as it is. Raises DubbinError where they are on another episode."""
    time_map, rate = program_map(episode), episode.rate
    new = []
    for file in files:
        if file.episode and file.episode != episode.id:
            raise DubbinError(
                tr("The comments of {by} are on another episode, “{title}”.").format(
                    by=file.by or tr("somebody"), title=_line(file.title, 80)
                )
            )
        for item in file.items:
            frame = round(item.session_s * rate) if item.session_s is not None else time_map.to_session(round(item.at_s * rate))
            new.append(Comment(max(frame, 0), item.text.strip()[:LONGEST], file.by))
    title = tr_count("Take {count} comment", "Take {count} comments", len(new))
    return take_comments(episode, new, title)


def _is_a_time(seconds: float) -> bool:
    return 0.0 <= seconds <= LATEST_S


def _line(text: str, most: int) -> str:
    """A text on one line, no longer than it may be."""
    return " ".join(text.split())[:most]


def is_comments(path: Path) -> bool:
    """Whether a file says of itself that it holds comments."""
    try:
        if path.stat().st_size > MOST_BYTES:
            return False
        return msgspec.json.decode(path.read_bytes(), type=decodable(_Kind)).format == FORMAT
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return False
