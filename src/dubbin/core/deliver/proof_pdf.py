"""A proof sheet as a PDF document. Imported where one is made."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from fpdf import FPDF
from fpdf.enums import XPos, YPos

from dubbin.core.deliver.drawing import HEIGHT, WIDTH, Picture, loudness_picture, spectrum_picture
from dubbin.core.deliver.proof_sheet import Sheet, figures_of, texts_of, verdict

FONTS = Path(__file__).parents[2] / "fonts"
FACES = {"": "AlegreyaSans-Regular.ttf", "B": "AlegreyaSans-Bold.ttf"}
Colour = tuple[int, int, int]
INK, MUTED, LINE, GOOD, BAD, WHITE = (43, 40, 48), (107, 100, 89), (217, 205, 184), (61, 107, 74), (165, 52, 43), (255, 255, 255)
MARGIN_MM, FOOT_MM = 18, 16
HEADING_ROOM_MM = 30.0  # that must be left below a heading, or it begins a page


class Pages(FPDF):
    """Text, tables and pictures one below the other, on A4."""

    def __init__(self, title: str) -> None:
        super().__init__(format="A4")
        self.set_title(title)
        self.set_auto_page_break(True, FOOT_MM)
        self.set_margins(MARGIN_MM, FOOT_MM, MARGIN_MM)
        for style, name in FACES.items():
            self.add_font("sans", style, str(FONTS / name))
        self.add_page()

    def say(self, text: str, size: float = 10.5, style: str = "", colour: Colour = INK, height: float = 5.4) -> None:
        """A paragraph. size: in points; height: of a line, in mm."""
        self.set_font("sans", style, size)
        self.set_text_color(*colour)
        self.multi_cell(0, height, text, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)

    def heading(self, text: str, room_mm: float = HEADING_ROOM_MM) -> None:
        """A heading, on the next page where what is below it would be."""
        if self.will_page_break(room_mm + 10):
            self.add_page()
        self.ln(3)
        self.say(text, 13, "B", height=7)

    def rows(self, rows: Sequence[Iterable[str]]) -> None:
        """A table."""
        self.set_font("sans", "", 10)
        self.set_text_color(*INK)
        self.set_draw_color(*LINE)
        self.set_fill_color(*WHITE)
        if rows:
            with self.table(borders_layout="HORIZONTAL_LINES", first_row_as_headings=False, line_height=5.2, text_align="LEFT") as out:
                for cells in rows:
                    row = out.row()
                    for cell in cells:
                        row.cell(cell)

    def picture(self, heading: str, picture: Picture) -> None:
        """A picture as wide as the page, under a heading."""
        scale = self.epw / WIDTH
        self.heading(heading, HEIGHT * scale)
        left, top = self.l_margin, self.get_y()
        for x, y, w, h, colour in picture.bands:
            self.set_fill_color(*_colour(colour))
            self.rect(left + x * scale, top + y * scale, w * scale, h * scale, style="F")
        for line in picture.lines:
            self.set_draw_color(*_colour(line.colour))
            self.set_line_width(line.width * scale)
            self.set_dash_pattern(*((1.6, 1.0) if line.dashed else ()))
            if len(line.points) > 1:
                self.polyline([(left + x * scale, top + y * scale) for x, y in line.points])
        self.set_dash_pattern()
        self.set_line_width(0.2)
        self.set_font("sans", "", 7.5)
        for text in picture.texts:
            self.set_text_color(*_colour(text.colour))
            width = self.get_string_width(text.text)
            shift = {"start": 0.0, "middle": width / 2, "end": width}[text.anchor]
            self.text(left + text.x * scale - shift, top + text.y * scale, text.text)
        self.set_y(top + HEIGHT * scale)


def sheet_pdf(sheet: Sheet) -> bytes:
    """A proof sheet as a PDF document, A4."""
    proof, texts = sheet.proof, texts_of(sheet)
    pages = Pages(texts.page)
    pages.say(sheet.title, 18, "B", height=9)
    pages.say(texts.about, colour=MUTED)
    pages.say(verdict(proof.passes), 14, "B", GOOD if proof.passes else BAD, 8)
    for problem in proof.problems:
        pages.say(f"• {problem}", colour=BAD)
    pages.heading(texts.rules)
    pages.rows(
        [texts.columns, *((r.name, r.asked, r.found, verdict(r.passes) if r.passes else verdict(False).upper()) for r in proof.rules)]
    )
    pages.picture(texts.loudness, loudness_picture(proof.measured, sheet.target))
    pages.heading(texts.figures)
    pages.rows(figures_of(proof.measured))
    if texts.highest:
        pages.heading(texts.peaks)
        pages.say(texts.highest)
    pages.picture(texts.spectrum, spectrum_picture(proof.measured))
    for name, rows in sheet.work:
        pages.heading(name)
        pages.rows(rows)
    pages.heading(texts.file)
    pages.say(f"SHA-256 {proof.measured.sha256}", 8.5)
    pages.say(f"{texts.measured} {sheet.target.rule}", 9, colour=MUTED)
    return bytes(pages.output())


def _colour(text: str) -> Colour:
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)
