"""The figure that a treatment is judged by: measured before and after, and shown alike on every face of the program."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dubbin.core.figures import number
from dubbin.core.measure.loudness import Loudness
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Figure:
    """One figure of a recording's report.

    name: its key in documents of the command line. label: what it is, for people. unit: behind the value. digits: decimals shown. read: finds it in
    a report; None where it could not be measured. absent: what is said instead of a value then. is_at_most: whether it may be lower than what was read.
    """

    name: str
    label: str
    unit: str
    digits: int
    read: Callable[[RecordingReport], float | None]
    absent: str = "–"
    is_at_most: Callable[[RecordingReport], bool] = lambda _: False

    def value_text(self, report: RecordingReport | None) -> str:
        """The value without its unit, with a true minus; … while there is no report."""
        if report is None:
            return "…"
        value = self.read(report)
        if value is None:
            return self.absent
        text = number(value, self.digits)
        return tr("at most {figure}").format(figure=text) if self.is_at_most(report) else text

    def text(self, report: RecordingReport | None) -> str:
        """The value with its unit."""
        known = report is not None and self.read(report) is not None
        return f"{self.value_text(report)} {self.unit}".strip() if known else self.value_text(report)

    def change_text(self, before: RecordingReport | None, after: RecordingReport | None) -> str:
        """What the treatment made of it: `before → after unit`."""
        return f"{self.value_text(before)} → {self.text(after)}"


def crest_db(loudness: Loudness) -> float | None:
    """How far the sample peak stands above the integrated loudness, in dB; None of silence."""
    if loudness.sample_peak_dbfs is None or loudness.integrated_lufs is None:
        return None
    return loudness.sample_peak_dbfs - loudness.integrated_lufs
