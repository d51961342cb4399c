"""A finding: what a figure of a recording means, in words; and the treatment that it asks for."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from dubbin.core.texts import mark

Span = tuple[float, float]


class Severity(StrEnum):
    """How bad a finding is: heard when one listens for it, heard by everyone, spoils the recording."""

    MINOR = mark("minor")
    AUDIBLE = mark("audible")
    SEVERE = mark("severe")


@dataclass(frozen=True)
class Finding:
    """kind: a short name for it. text: figures in a sentence. places_s: start and end of each place in seconds of the
    recording, none where it is everywhere. treatment, strength (0 to 100): what would answer it, if anything does."""

    kind: str
    title: str
    text: str
    severity: Severity
    places_s: tuple[Span, ...] = ()
    treatment: str | None = None
    strength: int = 100


# The treatments that findings ask for, in the order in which they are applied.
ASKED_FOR = ("declip", "declick", "dehum", "derumble", "denoise", "dereverb")


@dataclass(frozen=True)
class Suggestion:
    """A treatment that would answer a finding: its name, strength (0 to 100) and the reason, for people."""

    treatment: str
    strength: int
    because: str
