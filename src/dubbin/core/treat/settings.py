"""Settings of treatments: frozen dataclasses whose fields carry range, unit and a line of help.

Job card, tooltips, recipes, command line and tests are made from these fields; defaults stand nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any, TypeVar

import msgspec

S = TypeVar("S")


@dataclass(frozen=True)
class FieldInfo:
    """What a person needs to know about one setting."""

    name: str
    label: str
    low: float
    high: float
    unit: str
    help: str
    default: Any


def setting(default: float | None, low: float, high: float, unit: str, label: str, help: str) -> Any:
    """A dataclass field with its range (inclusive), unit, label and a line of help."""
    meta = {"low": low, "high": high, "unit": unit, "label": label, "help": help}
    return field(default=default, metadata=meta)


def describe(settings_type: type) -> list[FieldInfo]:
    """The ranged fields of a settings dataclass, in order."""
    return [
        FieldInfo(
            f.name, f.metadata["label"], f.metadata["low"], f.metadata["high"], f.metadata["unit"],
            f.metadata["help"], f.default,
        )
        for f in fields(settings_type)
        if "low" in f.metadata
    ]  # fmt: skip


def check_ranges(settings: Any) -> None:
    """Raise ValueError, with the bad value in the message, when a field is out of its range."""
    for info in describe(type(settings)):
        value = getattr(settings, info.name)
        if value is not None and not info.low <= value <= info.high:
            raise ValueError(f"{info.name} must lie in {info.low} to {info.high} {info.unit}, got {value}")


def settings_from_plain(settings_type: type[S], plain: dict[str, Any]) -> S:
    """Settings from a plain dictionary (of a file); what is missing takes its default. Raises ValueError."""
    try:
        settings = msgspec.convert(plain, settings_type)
    except msgspec.ValidationError as error:
        raise ValueError(str(error)) from error
    check_ranges(settings)
    return settings
