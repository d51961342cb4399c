"""Figures as people read them: always with their unit, minus signs that are minus signs, and the decimal point of where they live.

Files and the command line keep the point: other programs read them.
"""

from __future__ import annotations

DASH = "–"
_point = "."


def use_decimal_point(point: str) -> None:
    """Write figures with a point or a comma. Others are written with a point."""
    global _point
    _point = point if point in (".", ",") else "."


def decimal_point() -> str:
    """What parts whole and fraction."""
    return _point


def number(value: float | None, digits: int = 1, *, sign: bool = False) -> str:
    """A figure, or a dash where there is none. sign: a plus is written too."""
    if value is None:
        return DASH
    text = f"{value:{'+' if sign else ''}.{digits}f}"
    if float(text) == 0:
        text = text.lstrip("+-")
    return text.replace("-", "−").replace(".", _point)


def short_number(value: float, *, sign: bool = False) -> str:
    """A figure with as many digits as it needs: 0.5, 12, 1.25. sign: a plus is written too."""
    return f"{value:{'+' if sign else ''}g}".replace("-", "−").replace(".", _point)


def with_unit(value: float | None, unit: str, digits: int = 1) -> str:
    """A figure and its unit, or a dash."""
    return DASH if value is None else f"{number(value, digits)} {unit}"


def clock(seconds: float, digits: int = 0) -> str:
    """1:02:03, 4:05.67; hours only where there are some."""
    seconds = max(seconds, 0.0)
    whole = round(seconds * 10**digits) / 10**digits
    hours, rest = divmod(whole, 3600)
    minutes, rest = divmod(rest, 60)
    tail = f"{rest:0{3 + digits if digits else 2}.{digits}f}".replace(".", _point)
    return f"{int(hours)}:{int(minutes):02d}:{tail}" if hours else f"{int(minutes)}:{tail}"


def clock_seconds(text: str) -> float | None:
    """Seconds of a time as somebody types it: 75, 1:15, 1:02:03.5, with a comma as well as a point; None where it is no time."""
    parts = text.strip().replace(",", ".").split(":")
    if not 1 <= len(parts) <= 3:
        return None
    try:
        values = [float(part) for part in parts]
    except ValueError:
        return None
    if any(v < 0 or v != v or v == float("inf") for v in values) or any(v >= 60 for v in values[1:]) or any(v % 1 for v in values[:-1]):
        return None
    return float(sum(v * 60**k for k, v in enumerate(reversed(values))))


def thousands(value: int) -> str:
    """A count with its thousands apart, by a space that neither breaks nor shows as two: 11 000."""
    return f"{value:,}".replace(",", "\u202f")


def speed_text(speed: float) -> str:
    """1.5×, −1×."""
    return f"{short_number(speed)}×"


def span_text(seconds: float) -> str:
    """A length: 0.42 s, 12.4 s, 3:12."""
    if seconds < 10:
        return f"{number(seconds, 2)} s"
    return f"{number(seconds)} s" if seconds < 60 else clock(seconds)
