"""Figures as people read them: always with their unit, minus signs that are minus signs."""

from __future__ import annotations

DASH = "–"


def number(value: float | None, digits: int = 1) -> str:
    if value is None:
        return DASH
    text = f"{value:.{digits}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def with_unit(value: float | None, unit: str, digits: int = 1) -> str:
    return DASH if value is None else f"{number(value, digits)} {unit}"


def clock(seconds: float, digits: int = 0) -> str:
    """1:02:03, 4:05.67; hours only where there are some."""
    seconds = max(seconds, 0.0)
    whole = round(seconds * 10**digits) / 10**digits
    hours, rest = divmod(whole, 3600)
    minutes, rest = divmod(rest, 60)
    tail = f"{rest:0{3 + digits if digits else 2}.{digits}f}"
    return f"{int(hours)}:{int(minutes):02d}:{tail}" if hours else f"{int(minutes)}:{tail}"


def span_text(seconds: float) -> str:
    """A length: 0.42 s, 12.4 s, 3:12."""
    if seconds < 10:
        return f"{seconds:.2f} s"
    return f"{seconds:.1f} s" if seconds < 60 else clock(seconds)
