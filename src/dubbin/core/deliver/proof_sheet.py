"""The proof sheet of a master: a page that stands alone, as HTML and as PDF, made from the same proof."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from dubbin import __version__
from dubbin.core.deliver.drawing import as_svg, loudness_picture, spectrum_picture
from dubbin.core.deliver.formats import codec_title
from dubbin.core.deliver.proof import Measured, Proof
from dubbin.core.deliver.publication import clock
from dubbin.core.deliver.targets import Target
from dubbin.core.figures import with_unit
from dubbin.core.sound.writing import not_written, replacing
from dubbin.core.texts import language, tr

SHEETS = Path(__file__).with_name("sheets")
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
        (tr("length"), clock(measured.duration_s, 3)),
        (tr("format"), f"{codec_title(measured.codec)}, {measured.sample_rate} Hz, {_channels(measured.channels)}"),
        (tr("size"), with_unit(measured.bytes / 1e6, "MB")),
    ]


def _channels(count: int) -> str:
    return tr("mono") if count == 1 else tr("{count} channels").format(count=count)


def verdict(passes: bool) -> str:
    """What is said of a rule, and of a file."""
    return tr("passes") if passes else tr("fails")


@dataclass(frozen=True)
class SheetTexts:
    """What stands on a sheet around its figures."""

    page: str
    about: str
    rules: str
    columns: tuple[str, ...]
    loudness: str
    figures: str
    peaks: str
    highest: str
    spectrum: str
    file: str
    measured: str


def texts_of(sheet: Sheet) -> SheetTexts:
    """The texts of a sheet, in the language of the program. highest: the highest places, empty where there are none."""
    proof = sheet.proof
    about = tr("{name} · target: {title} · {now:%Y-%m-%d %H:%M}").format(name=proof.file.name, title=sheet.target.title, now=datetime.now())
    measured = tr("Measured from the decoded file by Dubbin {version}, after ITU-R BS.1770-5, EBU Tech 3341 and 3342.").format(
        version=__version__
    )
    highest = ", ".join(f"{clock(s, 1)} ({figure(db, 'dBFS')})" for s, db in proof.measured.peaks)
    return SheetTexts(
        page=tr("Proof sheet: {name}").format(name=proof.file.name), about=about, rules=tr("Rules"),
        columns=(tr("Rule"), tr("asked"), tr("measured"), ""), loudness=tr("Loudness through the file"), figures=tr("Figures"),
        peaks=tr("Highest places"), highest=highest, spectrum=tr("Spectrum"), file=tr("The file"), measured=measured,
    )  # fmt: skip


def sheet_html(sheet: Sheet) -> str:
    """A proof sheet as one HTML document that needs nothing else."""
    from markupsafe import Markup

    measured = sheet.proof.measured
    return str(
        templates().get_template("proof.html").render(
            proof=sheet.proof, target=sheet.target, title=sheet.title, texts=texts_of(sheet), figures=figures_of(measured), work=sheet.work,
            verdict=verdict, language=language(), loudness_svg=Markup(as_svg(loudness_picture(measured, sheet.target))),
            spectrum_svg=Markup(as_svg(spectrum_picture(measured))),
        )
    )  # fmt: skip


def write_sheet(sheet: Sheet, path: Path) -> None:
    """Write a proof sheet as .html or .pdf, whole or not at all. Raises CannotWrite."""
    if path.suffix.lower() == ".pdf":
        from dubbin.core.deliver.proof_pdf import sheet_pdf  # its library takes a moment

        data = sheet_pdf(sheet)
    else:
        data = sheet_html(sheet).encode()
    try:
        with replacing(path) as temporary:
            temporary.write_bytes(data)
    except OSError as error:
        raise not_written(path, error) from error
