"""A change of an episode: the changed one, with a title for the history."""

from __future__ import annotations

from dataclasses import dataclass

from dubbin.core.episode.model import Episode


@dataclass(frozen=True)
class Change:
    """A changed episode. Changes with the same merge key that follow one another make one undo step."""

    title: str
    episode: Episode
    merge_key: str | None = None
