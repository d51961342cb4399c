"""The proof sheet of a master: a page that stands alone, as HTML and as PDF, made from the same proof."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from dubbin import __version__
from dubbin.core.deliver.drawing import HEIGHT, WIDTH, Picture, as_svg, loudness_picture, spectrum_picture
from dubbin.core.deliver.formats import codec_title
from dubbin.core.deliver.proof import Measured, Proof
from dubbin.core.deliver.publication import clock
from dubbin.core.deliver.targets import Target
from dubbin.core.errors import CannotWrite
from dubbin.core.figures import with_unit
from dubbin.core.sound.writing import replacing
from dubbin.core.texts import tr

SHEETS = Path(__file__).with_name("sheets")
FONTS = Path(__file__).parents[2] / "fonts"
Rows = tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class Sheet:
    """A proof with what was done to the sound before. work: (heading, rows) such as the treatments and the cuts."""

    proof: Proof
    target: Target
    title: str
    work: tuple[tuple[str, Rows], ...] = ()


@lru_cache(maxsize=1)
def templates() -> Any:
    """The templates of the sheets; everything that is filled in is escaped."""
    import jinja2

    return jinja2.Environment(loader=jinja2.FileSystemLoader(SHEETS), autoescape=True, trim_blocks=False)


def figure(value: float | None, unit: str, digits: int = 1) -> str:
    """A figure with its unit and a true minus; a dash where there was nothing to measure."""
    return "–" if value is None else f"{value:.{digits}f} {unit}".replace("-", "−")


def figures_of(measured: Measured) -> list[tuple[str, str]]:
    """(name, figure) of all that was measured in a file."""
    loudness = measured.loudness
    return [
        (tr("integrated loudness"), figure(loudness.integrated_lufs, "LUFS")),
        (tr("loudness range"), figure(loudness.range_lu, "LU")),
        (tr("highest momentary"), figure(loudness.max_momentary_lufs, "LUFS")),
        (tr("highest short-term"), figure(loudness.max_short_term_lufs, "LUFS")),
        (tr("true peak"), figure(loudness.true_peak_dbtp, "dBTP")),
        (tr("sample peak"), figure(loudness.sample_peak_dbfs, "dBFS")),
        ("RMS", figure(measured.rms_dbfs, "dBFS")),
        (tr("noise floor"), figure(measured.noise_floor_dbfs, "dBFS")),
        (tr("before the first word, after the last"), f"{figure(measured.head_s, 's', 2)}, {figure(measured.tail_s, 's', 2)}"),
        (tr("lost in mono"), figure(measured.mono_loss_db, "dB")),
        ("length", clock(measured.duration_s, 3)),
        (
            "format",
            f"{codec_title(measured.codec)}, {measured.sample_rate} Hz, {'mono' if measured.channels == 1 else f'{measured.channels} channels'}",
        ),
        ("size", with_unit(measured.bytes / 1e6, "MB")),
    ]


def _peaks(measured: Measured) -> list[tuple[str, str]]:
    return [(clock(s, 1), figure(db, "dBFS")) for s, db in measured.peaks]


def sheet_html(sheet: Sheet) -> str:
    """A proof sheet as one HTML document that needs nothing else."""
    from markupsafe import Markup

    measured = sheet.proof.measured
    return str(
        templates().get_template("proof.html").render(
            proof=sheet.proof, target=sheet.target, title=sheet.title, made=f"{datetime.now():%Y-%m-%d %H:%M}", figures=figures_of(measured),
            peaks=_peaks(measured), work=sheet.work, version=__version__, loudness_svg=Markup(as_svg(loudness_picture(measured, sheet.target))),
            spectrum_svg=Markup(as_svg(spectrum_picture(measured))),
        )
    )  # fmt: skip


def sheet_pdf(sheet: Sheet) -> bytes:
    """A proof sheet as a PDF document, A4."""
    from fpdf import FPDF
    from fpdf.enums import XPos, YPos

    pdf = FPDF(format="A4")
    pdf.set_title(tr("Proof sheet: {name}").format(name=sheet.proof.file.name))
    pdf.set_auto_page_break(True, 16)
    pdf.set_margins(18, 16, 18)
    for style, name in (("", tr("AlegreyaSans-Regular.ttf")), ("B", tr("AlegreyaSans-Bold.ttf"))):
        pdf.add_font("sans", style, str(FONTS / name))
    pdf.add_page()

    def say(text: str, size: float = 10.5, style: str = "", colour: tuple[int, int, int] = (43, 40, 48), height: float = 5.4) -> None:
        pdf.set_font("sans", style, size)
        pdf.set_text_color(*colour)
        pdf.multi_cell(0, height, text, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)

    def heading(text: str, room: float = 30.0) -> None:
        if pdf.will_page_break(room + 10):
            pdf.add_page()
        pdf.ln(3)
        say(text, 13, "B", height=7)

    def rows(table: Sequence[Sequence[str]]) -> None:
        pdf.set_font("sans", "", 10)
        pdf.set_text_color(43, 40, 48)
        pdf.set_draw_color(217, 205, 184)
        pdf.set_fill_color(255, 255, 255)
        if table:
            with pdf.table(borders_layout="HORIZONTAL_LINES", first_row_as_headings=False, line_height=5.2, text_align="LEFT") as out:
                for cells in table:
                    row = out.row()
                    for cell in cells:
                        row.cell(cell)

    proof, good, bad = sheet.proof, (61, 107, 74), (165, 52, 43)
    say(sheet.title, 18, "B", height=9)
    say(
        tr("{name} · target: {title} · {now:%Y-%m-%d %H:%M}").format(name=proof.file.name, title=sheet.target.title, now=datetime.now()),
        colour=(107, 100, 89),
    )
    say("passes" if proof.passes else "fails", 14, "B", good if proof.passes else bad, 8)
    for problem in proof.problems:
        say(f"• {problem}", colour=bad)
    heading(tr("Rules"))
    rows([(tr("Rule"), "asked", "measured", ""), *((r.name, r.asked, r.found, "passes" if r.passes else "FAILS") for r in proof.rules)])
    heading(tr("Loudness through the file"), HEIGHT * pdf.epw / WIDTH)
    _draw(pdf, loudness_picture(proof.measured, sheet.target))
    heading(tr("Figures"))
    rows(figures_of(proof.measured))
    peaks = _peaks(proof.measured)
    if peaks:
        heading(tr("Highest places"))
        say(", ".join(f"{time} ({level})" for time, level in peaks))
    heading(tr("Spectrum"), HEIGHT * pdf.epw / WIDTH)
    _draw(pdf, spectrum_picture(proof.measured))
    for name, table in sheet.work:
        heading(name)
        rows(table)
    heading(tr("The file"))
    say(f"SHA-256 {proof.measured.sha256}", 8.5)
    say(
        tr("Measured from the decoded file by Dubbin {version}, after ITU-R BS.1770-5, EBU Tech 3341 and 3342. {rule}").format(
            version=__version__, rule=sheet.target.rule
        ),
        9,
        colour=(107, 100, 89),
    )
    return bytes(pdf.output())


def _colour(text: str) -> tuple[int, int, int]:
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def _draw(pdf: Any, picture: Picture) -> None:
    scale = pdf.epw / WIDTH
    if pdf.will_page_break(HEIGHT * scale):
        pdf.add_page()
    left, top = pdf.l_margin, pdf.get_y()
    for x, y, w, h, colour in picture.bands:
        pdf.set_fill_color(*_colour(colour))
        pdf.rect(left + x * scale, top + y * scale, w * scale, h * scale, style="F")
    for line in picture.lines:
        pdf.set_draw_color(*_colour(line.colour))
        pdf.set_line_width(line.width * scale)
        pdf.set_dash_pattern(*((1.6, 1.0) if line.dashed else ()))
        if len(line.points) > 1:
            pdf.polyline([(left + x * scale, top + y * scale) for x, y in line.points])
    pdf.set_dash_pattern()
    pdf.set_line_width(0.2)
    pdf.set_font("sans", "", 7.5)
    for text in picture.texts:
        pdf.set_text_color(*_colour(text.colour))
        width = pdf.get_string_width(text.text)
        shift = {"start": 0.0, "middle": width / 2, "end": width}[text.anchor]
        pdf.text(left + text.x * scale - shift, top + text.y * scale, text.text)
    pdf.set_y(top + HEIGHT * scale)


def write_sheet(sheet: Sheet, path: Path) -> None:
    """Write a proof sheet as .html or .pdf, whole or not at all. Raises CannotWrite."""
    data = sheet_pdf(sheet) if path.suffix.lower() == ".pdf" else sheet_html(sheet).encode()
    try:
        with replacing(path) as temporary:
            temporary.write_bytes(data)
    except OSError as error:
        raise CannotWrite(tr("{path} could not be written: {strerror}.").format(path=path, strerror=error.strerror)) from error
