"""Done, undone, redone: every step keeps what it changed, in both directions, so that thousands of them cost little."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import msgspec

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.delta import applied, delta_between
from dubbin.core.episode.model import Episode
from dubbin.core.errors import BadEpisode
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Step:
    """One entry of the history. there, back: deltas (JSON) from the episode before to the one after, and the other way."""

    title: str
    there: bytes
    back: bytes
    merge_key: str | None = None


class History:
    """The steps that led to the present episode, and those that were undone."""

    def __init__(self, episode: Episode, done: list[Step] | None = None, undone: list[Step] | None = None) -> None:
        """episode: as it is after the steps that are done. undone: the one that was undone last stands last."""
        self.episode = episode
        self.done: list[Step] = done or []
        self.undone: list[Step] = undone or []

    def do(self, change: Change) -> bool:
        """Take over a change; False when it changes nothing."""
        if change.episode == self.episode:
            return False
        last = self.done[-1] if self.done else None
        joins = bool(last and change.merge_key is not None and last.merge_key == change.merge_key and not self.undone)
        self.add(change, joins)
        return True

    def add(self, change: Change, joins: bool) -> None:
        """Take over a change as a step of its own, or as a part of the last one."""
        before = self.episode
        if joins:
            before = _applied(self.done.pop().back, before)
        self.done.append(step_between(before, change.episode, change.title, change.merge_key))
        self.undone.clear()
        self.episode = change.episode

    def undo(self) -> Step | None:
        """Take the last step back; None where there is none. Raises BadEpisode."""
        if not self.done:
            return None
        before = _applied(self.done[-1].back, self.episode)
        step = self.done.pop()
        self.undone.append(step)
        self.episode = before
        return step

    def redo(self) -> Step | None:
        """Do the last undone step again; None where there is none. Raises BadEpisode."""
        if not self.undone:
            return None
        after = _applied(self.undone[-1].there, self.episode)
        step = self.undone.pop()
        self.done.append(step)
        self.episode = after
        return step

    def end_merge(self) -> None:
        """Let the next change start a step of its own, whatever its merge key (a drag has ended)."""
        if self.done:
            last = self.done[-1]
            self.done[-1] = Step(last.title, last.there, last.back)

    def earlier(self) -> Iterator[Episode]:
        """The states before the present one, the latest first. Raises BadEpisode."""
        episode = self.episode
        for step in reversed(self.done):
            episode = _applied(step.back, episode)
            yield episode


def step_between(before: Episode, after: Episode, title: str, merge_key: str | None = None) -> Step:
    """The step that leads from one state to another."""
    there, back = delta_between(before, after), delta_between(after, before)
    return Step(title, msgspec.json.encode(there), msgspec.json.encode(back), merge_key)


def redone(step: Step, episode: Episode) -> Episode:
    """The state after a step, from the one before it. Raises BadEpisode."""
    return _applied(step.there, episode)


def _applied(delta: bytes, episode: Episode) -> Episode:
    try:
        plain = msgspec.json.decode(delta)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise BadEpisode(tr("A step does not fit the one before it: {error}.").format(error=error)) from error
    changed = applied(plain, episode, Episode)
    assert isinstance(changed, Episode)
    return changed
