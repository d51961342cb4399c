"""One thing that running the card did: what it is, its figures, and the switch that takes it back and brings it again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.episode.commands.balance import change_balance
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.cuts import put_back_many
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.commands.treatments import change_use, find_use
from dubbin.core.episode.model import Cut, CutKind, Episode, Lane
from dubbin.core.texts import mark


class CardStep(StrEnum):
    """The steps in which the card does something."""

    REPAIR = mark("Repair")
    EDIT = mark("Edit")
    VOICE = mark("Voice")
    BALANCE = mark("Balance")


class BalancePart(StrEnum):
    """What of a lane's balance an entry stands for: the name of the lane's field."""

    LEVELLING = "levelling"
    BLEED = "bleed"
    DUCKING = "ducking"


@dataclass(frozen=True)
class RepairSwitch:
    """A repair of a lane. treatment: its name."""

    lane: str
    treatment: str

    def is_on(self, episode: Episode) -> bool:
        """Whether the repair is on."""
        lane = _lane(episode, self.lane)
        return lane is not None and find_use(lane, self.treatment).on

    def change(self, episode: Episode, title: str, on: bool) -> Change:
        """Switch it."""
        return change_use(episode, self.lane, self.treatment, title, on=on)


@dataclass(frozen=True)
class VoiceSwitch:
    """The voice chain of a lane as a whole."""

    lane: str

    def is_on(self, episode: Episode) -> bool:
        """Whether any of it is on."""
        lane = _lane(episode, self.lane)
        return lane is not None and any(u.on for u in lane.voice_chain)

    def change(self, episode: Episode, title: str, on: bool) -> Change:
        """Switch all of it."""
        chain = tuple(replace(u, on=on) for u in episode.lane(self.lane).voice_chain)
        return change_lane(episode, self.lane, title, voice_chain=chain)


@dataclass(frozen=True)
class BalanceSwitch:
    """One part of a lane's balance."""

    lane: str
    part: BalancePart

    def is_on(self, episode: Episode) -> bool:
        """Whether it is on."""
        lane = _lane(episode, self.lane)
        return lane is not None and bool(getattr(lane, self.part.value).on)

    def change(self, episode: Episode, title: str, on: bool) -> Change:
        """Switch it."""
        return change_balance(episode, [self.lane], self.part.value, title, on=on)


@dataclass(frozen=True)
class CutSwitch:
    """Cuts of one kind, as they were made."""

    kind: CutKind
    cuts: tuple[Cut, ...]

    def is_on(self, episode: Episode) -> bool:
        """Whether any of the cuts is there."""
        here = set(episode.cuts)
        return any(c in here for c in self.cuts)

    def change(self, episode: Episode, title: str, on: bool) -> Change:
        """Put all of them back, or make them again."""
        here = set(episode.cuts)
        pauses = self.kind is CutKind.PAUSE
        if on:
            made = {(c.start_frame, c.end_frame) for c in self.cuts}
            cuts = sorted([*episode.cuts, *(c for c in self.cuts if c not in here)], key=lambda c: (c.start_frame, c.end_frame))
            kept = tuple(k for k in episode.kept_pauses if (k.start_frame, k.end_frame) not in made)
            return Change(title, replace(episode, cuts=tuple(cuts), kept_pauses=kept, pauses_on=episode.pauses_on or pauses))
        changed = put_back_many(episode, [c for c in self.cuts if c in here], title).episode
        if pauses:
            changed = replace(changed, pauses_on=False, kept_pauses=episode.kept_pauses)
        return Change(title, changed)


Switch = RepairSwitch | VoiceSwitch | BalanceSwitch | CutSwitch


@dataclass(frozen=True)
class Entry:
    """before, after: figures with their units, for people; empty where there is none."""

    step: CardStep
    title: str
    switch: Switch
    before: str = ""
    after: str = ""

    def is_on(self, episode: Episode) -> bool:
        """Whether what the entry stands for is in force."""
        return self.switch.is_on(episode)

    def switched(self, episode: Episode, on: bool) -> Change:
        """Have what the entry stands for in force, or not; an ordinary change."""
        return self.switch.change(episode, f"{self.title} {'on' if on else 'off'}", on)


SWITCHES: dict[str, type[Switch]] = {"repair": RepairSwitch, "voice": VoiceSwitch, "balance": BalanceSwitch, "cuts": CutSwitch}


def entries_to_json(entries: Sequence[Entry]) -> bytes:
    """Entries as a file holds them."""
    names = {kind: name for name, kind in SWITCHES.items()}
    return msgspec.json.encode([{**msgspec.to_builtins(e), "kind": names[type(e.switch)]} for e in entries])


def entries_from_json(data: bytes) -> tuple[Entry, ...]:
    """Entries out of a file; none where it can't be understood."""
    try:
        plain = msgspec.json.decode(data, type=list[dict[str, Any]])
        return tuple(
            Entry(
                CardStep(e["step"]),
                str(e["title"]),
                msgspec.convert(e["switch"], decodable(SWITCHES[e["kind"]])),
                str(e["before"]),
                str(e["after"]),
            )
            for e in plain
        )
    except (msgspec.DecodeError, KeyError, ValueError, RecursionError):
        return ()


def _lane(episode: Episode, lane_id: str) -> Lane | None:
    return next((lane for lane in episode.lanes if lane.id == lane_id), None)
