"""Comments of people who listened: markers with an author, which are answered and ticked off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode, Marker
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Comment:
    """frame: of the session."""

    frame: int
    text: str
    author: str


def take_comments(episode: Episode, comments: Sequence[Comment], title: str) -> Change:
    """Bring comments in as markers. One that is there already (same place, author and text) stays as it is, with its answer."""
    known = {(m.frame, m.author, m.text) for m in episode.markers}
    new = dict.fromkeys(c for c in comments if (c.frame, c.author, c.text) not in known)
    markers = [*episode.markers, *(Marker(c.frame, c.text, author=c.author or tr("somebody")) for c in new)]
    return Change(title, replace(episode, markers=tuple(sorted(markers))))


def answer_comment(episode: Episode, marker: Marker, answer: str) -> Change:
    """Say what was done about a comment, or why not."""
    return Change(tr("Answer {author}").format(author=marker.author), _with(episode, marker, replace(marker, answer=answer)), "answer")


def tick_marker(episode: Episode, marker: Marker, *, is_done: bool) -> Change:
    """Tick a marker off, or open it again."""
    title = tr("Tick off “{text}”") if is_done else tr("Open “{text}” again")
    return Change(title.format(text=marker.text), _with(episode, marker, replace(marker, is_done=is_done)))


def _with(episode: Episode, marker: Marker, changed: Marker) -> Episode:
    return replace(episode, markers=tuple(sorted(changed if m == marker else m for m in episode.markers)))
