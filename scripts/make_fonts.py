"""Make the fonts that ship: Alegreya Sans as TTF, with lining tabular figures by default and a few signs added.

Needed only when the fonts change:

    npm pack @fontsource/alegreya-sans && tar xzf fontsource-alegreya-sans-*.tgz
    pip install fonttools brotli
    python scripts/make_fonts.py package
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from fontTools import merge
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont

OUT = Path(__file__).resolve().parent.parent / "src" / "dubbin" / "fonts"
WEIGHTS = {400: "Regular", 500: "Medium", 700: "Bold"}


def substitutions(font: TTFont, feature: str) -> dict[str, str]:
    table, out = font["GSUB"].table, {}
    for record in table.FeatureList.FeatureRecord:
        if record.FeatureTag == feature:
            for index in record.Feature.LookupListIndex:
                for sub in table.LookupList.Lookup[index].SubTable:
                    sub = getattr(sub, "ExtSubTable", sub)
                    out.update(getattr(sub, "mapping", {}))
    return out


def lining_tabular(font: TTFont) -> None:
    lining, tabular = substitutions(font, "lnum"), substitutions(font, "tnum")
    for table in font["cmap"].tables:
        for code in range(0x30, 0x3A):
            if code in table.cmap:
                glyph = table.cmap[code]
                glyph = lining.get(glyph, glyph)
                table.cmap[code] = tabular.get(glyph, glyph)


def add(font: TTFont, code: int, name: str, width: int, contours: list[list[tuple[float, float]]]) -> None:
    pen = TTGlyphPen(None)
    for contour in contours:
        area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(contour, contour[1:] + contour[:1], strict=True))
        points = contour if area < 0 else contour[::-1]
        pen.moveTo(points[0])
        for point in points[1:]:
            pen.lineTo(point)
        pen.closePath()
    font.setGlyphOrder([*font.getGlyphOrder(), name])
    font["glyf"][name] = pen.glyph()
    font["hmtx"][name] = (width, int(min(x for c in contours for x, _ in c)))
    for table in font["cmap"].tables:
        if table.isUnicode():
            table.cmap[code] = name


def add_signs(font: TTFont, stroke: float) -> None:
    """Arrows, tick, triangles, diamond and disc in the weight of the letters; 1000 units to the em."""
    h, m = stroke / 2, 310.0  # half a stroke, the height on which signs are centred
    head = [(640.0, m), (460.0, m + 190), (460.0 - stroke, m + 190 - stroke * 0.4), (545.0, m + h),
            (60.0, m + h), (60.0, m - h), (545.0, m - h), (460.0 - stroke, m - 190 + stroke * 0.4), (460.0, m - 190)]  # fmt: skip
    add(font, 0x2192, "arrowright.ui", 700, [head])
    add(font, 0x2190, "arrowleft.ui", 700, [[(700 - x, y) for x, y in head]])
    s = stroke * 1.25
    tick = [(70.0, 320.0), (70 + s * 0.75, 320 + s * 0.7), (240.0, 150 + s * 1.15), (520.0, 560.0),
            (520 + s * 0.85, 560 - s * 0.55), (250.0, 90.0)]  # fmt: skip
    add(font, 0x2713, "tick.ui", 640, [tick])
    add(font, 0x25B2, "up.ui", 620, [[(60, 90), (310, 560), (560, 90)]])
    add(font, 0x25BC, "down.ui", 620, [[(60, 530), (560, 530), (310, 60)]])
    add(font, 0x25B6, "play.ui", 620, [[(110, 40), (110, 580), (560, m)]])
    add(font, 0x25C6, "diamond.ui", 620, [[(310, 20), (600, m), (310, 600), (20, m)]])
    from math import cos, pi, sin

    disc = [(310 + 230 * cos(k * pi / 16), m + 230 * sin(k * pi / 16)) for k in range(32)]
    add(font, 0x25CF, "disc.ui", 620, [disc])
    square = [(100, 100), (520, 100), (520, 520), (100, 520)]
    add(font, 0x25A0, "square.ui", 620, [square])


def main(package: Path) -> None:
    OUT.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        for weight, name in WEIGHTS.items():
            parts = []
            for subset in ("latin", "latin-ext"):
                font = TTFont(package / "files" / f"alegreya-sans-{subset}-{weight}-normal.woff2")
                font.flavor = None
                part = Path(folder) / f"{subset}-{weight}.ttf"
                font.save(part)
                parts.append(str(part))
            font = merge.Merger().merge(parts)
            lining_tabular(font)
            add_signs(font, {400: 62.0, 500: 78.0, 700: 108.0}[weight])
            font.save(OUT / f"AlegreyaSans-{name}.ttf")
    (OUT / "OFL.txt").write_text((package / "LICENSE").read_text())


if __name__ == "__main__":
    main(Path(sys.argv[1]))
