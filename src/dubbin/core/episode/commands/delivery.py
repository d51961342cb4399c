"""The title, and what is delivered."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode
from dubbin.core.texts import tr


def set_title(episode: Episode, title: str) -> Change:
    """Rename the episode; an empty title leaves it as it is."""
    return Change(tr("Rename the episode"), replace(episode, title=title.strip() or episode.title), "title")


def change_delivery(episode: Episode, title: str, **fields: Any) -> Change:
    """Set fields of what is delivered."""
    return Change(title, replace(episode, delivery=replace(episode.delivery, **fields)), title)
