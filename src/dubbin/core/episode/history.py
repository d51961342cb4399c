"""Done, undone, redone: every step keeps the episode as it was, which costs little since episodes share their parts."""

from __future__ import annotations

from dataclasses import dataclass

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode


@dataclass(frozen=True)
class Step:
    """One entry of the history."""

    title: str
    before: Episode
    after: Episode
    merge_key: str | None = None


class History:
    """The steps that led to the present episode, and those that were undone."""

    def __init__(self, episode: Episode) -> None:
        self.episode = episode
        self.done: list[Step] = []
        self.undone: list[Step] = []

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
        if joins:
            self.done[-1] = Step(change.title, self.done[-1].before, change.episode, change.merge_key)
        else:
            self.done.append(Step(change.title, self.episode, change.episode, change.merge_key))
        self.undone.clear()
        self.episode = change.episode

    def undo(self) -> Step | None:
        """Take the last step back; None where there is none."""
        if not self.done:
            return None
        step = self.done.pop()
        self.undone.append(step)
        self.episode = step.before
        return step

    def redo(self) -> Step | None:
        """Do the last undone step again; None where there is none."""
        if not self.undone:
            return None
        step = self.undone.pop()
        self.done.append(step)
        self.episode = step.after
        return step

    def end_merge(self) -> None:
        """Let the next change start a step of its own, whatever its merge key (a drag has ended)."""
        if self.done:
            last = self.done[-1]
            self.done[-1] = Step(last.title, last.before, last.after)
