"""The two pictures of a proof sheet as lines in a box, from which SVG and PDF are drawn alike."""

from __future__ import annotations

from dataclasses import dataclass, field
from html import escape

import numpy as np

from dubbin.core.deliver.proof import Measured
from dubbin.core.deliver.publication import clock
from dubbin.core.deliver.targets import Target
from dubbin.core.measure.frequency_scale import WITH_UNIT
from dubbin.core.texts import tr

WIDTH, HEIGHT, LEFT, BOTTOM, TOP, RIGHT = 860.0, 240.0, 46.0, 26.0, 8.0, 8.0
INK, MUTED, LINE, SADDLE, INDIGO = "#2B2830", "#6B6459", "#D9CDB8", "#9A4E1C", "#33508A"
LOWEST_LUFS, HIGHEST_LUFS = -48.0, -6.0
LOWEST_DB, HIGHEST_DB, LOWEST_HZ, HIGHEST_HZ = -110.0, -10.0, 30.0, 20000.0


@dataclass(frozen=True)
class Line:
    """A polyline: points in pixels."""

    points: tuple[tuple[float, float], ...]
    colour: str
    width: float = 1.0
    dashed: bool = False


@dataclass(frozen=True)
class Text:
    """Words at a place in pixels."""

    x: float
    y: float
    text: str
    anchor: str = "start"  # or middle, end
    colour: str = MUTED


@dataclass
class Picture:
    """WIDTH by HEIGHT, y downwards. bands: (x, y, width, height, colour) behind everything."""

    title: str
    lines: list[Line] = field(default_factory=list)
    texts: list[Text] = field(default_factory=list)
    bands: list[tuple[float, float, float, float, str]] = field(default_factory=list)


def _x(share: float) -> float:
    return LEFT + min(max(share, 0.0), 1.0) * (WIDTH - LEFT - RIGHT)


def _y(value: float, low: float, high: float) -> float:
    return TOP + (1.0 - min(max((value - low) / (high - low), 0.0), 1.0)) * (HEIGHT - TOP - BOTTOM)


def _grid_y(picture: Picture, values: range, low: float, high: float, unit: str) -> None:
    for value in values:
        y = _y(value, low, high)
        picture.lines.append(Line(((LEFT, y), (WIDTH - RIGHT, y)), LINE, 0.6))
        picture.texts.append(Text(LEFT - 6, y + 4, f"{value}".replace("-", "−") + (f" {unit}" if value == values[-1] else ""), "end"))


def loudness_picture(measured: Measured, target: Target) -> Picture:
    """Momentary and short-term loudness, the integrated one, and the band of the target."""
    picture, history = Picture(tr("Loudness through the file")), measured.history
    duration = max(measured.duration_s, 0.1)
    if target.integrated_lufs is not None:
        top = _y(target.integrated_lufs + target.tolerance_lu, LOWEST_LUFS, HIGHEST_LUFS)
        bottom = _y(target.integrated_lufs - target.tolerance_lu, LOWEST_LUFS, HIGHEST_LUFS)
        picture.bands.append((LEFT, top, WIDTH - LEFT - RIGHT, bottom - top, "#DCE5DA"))
    _grid_y(picture, range(-45, -5, 5), LOWEST_LUFS, HIGHEST_LUFS, "")
    picture.texts.append(Text(LEFT + 4, TOP + 10, "LUFS"))
    step = next((s for s in (5, 10, 30, 60, 120, 300, 600, 1200, 3600) if duration / s <= 9), 7200)
    for second in range(0, int(duration) + 1, step):
        x = _x(second / duration)
        picture.lines.append(Line(((x, HEIGHT - BOTTOM), (x, HEIGHT - BOTTOM + 4)), MUTED, 0.8))
        picture.texts.append(Text(x, HEIGHT - 8, clock(second)[1 if duration < 36000 else 0 :], "middle"))
    if history is not None and len(history.times_s):
        for values, colour, width in ((history.momentary, "#C9A98A", 0.7), (history.short_term, SADDLE, 1.6)):
            picture.lines.append(
                Line(
                    tuple(
                        (_x(t / duration), _y(float(v), LOWEST_LUFS, HIGHEST_LUFS))
                        for t, v in zip(history.times_s, np.maximum(values, -200), strict=True)
                    ),
                    colour,
                    width,
                )
            )
    level = measured.loudness.integrated_lufs
    if level is not None:
        y = _y(level, LOWEST_LUFS, HIGHEST_LUFS)
        picture.lines.append(Line(((LEFT, y), (WIDTH - RIGHT, y)), INK, 1.0, True))
    return picture


def spectrum_picture(measured: Measured) -> Picture:
    """Averaged spectrum of a file: level in dBFS over frequency in Hz on a logarithmic scale."""
    picture, spectrum = Picture(tr("Averaged spectrum")), measured.spectrum
    _grid_y(picture, range(-100, -10, 20), LOWEST_DB, HIGHEST_DB, "")
    picture.texts.append(Text(LEFT + 4, TOP + 10, "dBFS per 1/12 octave"))
    octaves = np.log2(HIGHEST_HZ / LOWEST_HZ)
    for hz, name in WITH_UNIT:
        x = _x(float(np.log2(hz / LOWEST_HZ) / octaves))
        picture.lines.append(Line(((x, TOP), (x, HEIGHT - BOTTOM)), LINE, 0.5))
        picture.texts.append(Text(x, HEIGHT - 8, name, "end" if hz == 20000 else "middle"))
    if spectrum is not None:
        shares = np.log2(spectrum.frequency_hz / LOWEST_HZ) / octaves
        points = tuple(
            (_x(float(s)), _y(float(v), LOWEST_DB, HIGHEST_DB)) for s, v in zip(shares, spectrum.level_db, strict=True) if s >= 0
        )
        picture.lines.append(Line(points, INDIGO, 1.5))
    return picture


def as_svg(picture: Picture) -> str:
    """A picture as an SVG document."""
    out = [f'<svg viewBox="0 0 {WIDTH:.0f} {HEIGHT:.0f}" role="img" aria-label="{escape(picture.title, quote=True)}">']
    out += [f'<rect x="{x:.1f}" y="{y:.1f}" width="{w:.1f}" height="{h:.1f}" fill="{c}"/>' for x, y, w, h, c in picture.bands]
    for line in picture.lines:
        points = " ".join(f"{x:.1f},{y:.1f}" for x, y in line.points)
        dash = ' stroke-dasharray="6 4"' if line.dashed else ""
        out.append(f'<polyline points="{points}" fill="none" stroke="{line.colour}" stroke-width="{line.width}"{dash}/>')
    for text in picture.texts:
        out.append(
            f'<text x="{text.x:.1f}" y="{text.y:.1f}" font-size="12" text-anchor="{text.anchor}" fill="{text.colour}">{escape(text.text)}</text>'
        )
    return "".join([*out, "</svg>"])
