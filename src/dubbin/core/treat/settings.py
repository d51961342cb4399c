"""Settings of treatments: frozen dataclasses whose fields carry what a person needs to know about them.

A field is a number with a range (`setting`), a switch, a choice out of an enum, or a span of the recording that somebody picks. Job card, tooltips,
recipes, command line and tests are made from these fields; defaults stand nowhere else.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, dataclass, field, fields
from enum import Enum, StrEnum
from typing import Any, TypeVar, get_type_hints

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.errors import BadSettings
from dubbin.core.figures import short_number
from dubbin.core.texts import tr

S = TypeVar("S")
When = tuple[str, Enum]


class Kind(StrEnum):
    """What a setting is, and so how it is drawn and read."""

    NUMBER = "number"
    SWITCH = "switch"
    CHOICE = "choice"
    SPAN = "span"


@dataclass(frozen=True)
class FieldInfo:
    """One setting. low, high, unit: of a number. choices: members of the enum. when: (name, value) of the choice for which alone the setting means
    something. implies: other settings that picking a span sets, as plain values. pick, clear: what a button for a span says; ask: what is said when there is
    nothing to pick. group: heading under which a form shows it together with its neighbours."""

    name: str
    label: str
    low: float = 0.0
    high: float = 0.0
    unit: str = ""
    help: str = ""
    default: Any = None
    kind: Kind = Kind.NUMBER
    choices: tuple[Enum, ...] = ()
    when: When | None = None
    implies: Mapping[str, Any] = field(default_factory=dict)
    pick: str = ""
    clear: str = ""
    ask: str = ""
    group: str = ""

    def applies(self, settings: Any) -> bool:
        """Whether the setting means something beside the others."""
        return self.when is None or getattr(settings, self.when[0]) == self.when[1]


def setting(
    default: float | None, low: float, high: float, unit: str, label: str, help: str, *, when: When | None = None, group: str = ""
) -> Any:
    """A number with its range (inclusive), unit, label and a line of help. None as a value stands for `found by itself`. group: a heading over it and its neighbours."""
    meta = {"kind": Kind.NUMBER, "low": low, "high": high, "unit": unit, "label": label, "help": help, "when": when, "group": group}
    return field(default=default, metadata=meta)


def switch(default: bool, label: str, help: str, *, when: When | None = None) -> Any:
    """Yes or no."""
    return field(default=default, metadata={"kind": Kind.SWITCH, "label": label, "help": help, "when": when})


def choice(default: Enum, label: str, help: str, *, when: When | None = None) -> Any:
    """One member of the default's enum."""
    meta = {"kind": Kind.CHOICE, "label": label, "help": help, "choices": tuple(type(default)), "when": when}
    return field(default=default, metadata=meta)


def span(label: str, help: str, *, pick: str, clear: str, ask: str, implies: Mapping[str, Any], when: When | None = None) -> Any:
    """Start and end in seconds of the recording, picked by a person; None until then."""
    return field(
        default=None,
        metadata={
            "kind": Kind.SPAN,
            "label": label,
            "help": help,
            "implies": implies,
            "when": when,
            "pick": pick,
            "clear": clear,
            "ask": ask,
        },
    )


def describe(settings_type: type) -> list[FieldInfo]:
    """All fields that a person can set, in order."""
    return [
        FieldInfo(f.name, default=None if f.default is MISSING else f.default, **f.metadata)
        for f in fields(settings_type)
        if "kind" in f.metadata
    ]


def numbers(settings_type: type) -> list[FieldInfo]:
    """The fields with a range, in order."""
    return [info for info in describe(settings_type) if info.kind is Kind.NUMBER]


def check_ranges(settings: Any) -> None:
    """Raise BadSettings, with the bad value in the message, when a number is out of its range."""
    for info in numbers(type(settings)):
        value = getattr(settings, info.name)
        if value is not None and not info.low <= value <= info.high:
            raise BadSettings(
                tr("{name} must lie in {low} to {high} {unit}, got {value}").format(
                    name=info.name, low=info.low, high=info.high, unit=info.unit, value=value
                )
            )


def settings_from_plain(settings_type: type[S], plain: Mapping[str, Any]) -> S:
    """Settings from a plain dictionary (of a file); what is missing takes its default. Raises BadSettings."""
    try:
        settings = msgspec.convert(plain, decodable(settings_type))
    except msgspec.ValidationError as error:
        raise BadSettings(str(error)) from error
    check_ranges(settings)
    return settings


def value_from_text(settings_type: type, name: str, text: str) -> Any:
    """A plain value of one setting, as somebody typed it. Raises BadSettings, which names what can be set."""
    known = {info.name: info for info in describe(settings_type)}
    info = known.get(name)
    if info is None:
        raise BadSettings(tr("there is no setting {name!r}; there are: {value}").format(name=name, value=", ".join(known) or "none"))
    if info.kind is Kind.CHOICE:
        values = {str(c.value).lower(): c.value for c in info.choices}
        if text.lower() not in values:
            raise BadSettings(tr("{name} can be {values}, not {text!r}").format(name=name, values=" or ".join(values), text=text))
        return values[text.lower()]
    if info.kind is Kind.SWITCH:
        if text.lower() not in ("on", "off"):
            raise BadSettings(tr("{name} can be on or off, not {text!r}").format(name=name, text=text))
        return text.lower() == "on"
    if info.kind is Kind.SPAN:
        start, _, end = text.partition(":")
        return [_number(name, start), _number(name, end)]
    value = _number(name, text)
    if not info.low <= value <= info.high:
        raise BadSettings(
            tr("{name} lies between {low} and {high} {unit}, not at {value}")
            .format(name=name, low=short_number(info.low), high=short_number(info.high), unit=info.unit, value=short_number(value))
            .replace("  ", " ")
        )
    return int(value) if get_type_hints(settings_type).get(name) is int else value


def _number(name: str, text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise BadSettings(tr("{name} wants a number, not {text!r}").format(name=name, text=text)) from None
