"""How a batch stands: a table for people, one for other programs, and a page that can be watched while it runs."""

from __future__ import annotations

import csv
import io
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.steps import NEEDS
from dubbin.core.deliver.proof_sheet import templates
from dubbin.core.deliver.table_cells import safe_cell
from dubbin.core.figures import clock, with_unit
from dubbin.core.sound.writing import write_text

TABLE, PAGE = "batch.csv", "batch.html"
COLUMNS = (
    "file",
    "passes",
    "error",
    "target",
    "format",
    "master",
    "integrated_lufs",
    "true_peak_dbtp",
    "problems",
    "remarks",
    "seconds",
    "done_before",
)
LEAST_DONE = 0.05  # of an episode, from which on its pace tells something
REFRESH_S = 5  # of the page, while work goes on


@dataclass(frozen=True)
class Running:
    """An episode that is being worked on. fraction: of the step, 0 to 1. worker: who does it."""

    name: str
    step: str
    fraction: float
    worker: str


@dataclass(frozen=True)
class Standing:
    """outcomes: so far. count: of inputs in all. workers: at a time. is_running: whether more is to come. running: what is being done, where that is known, and
    elapsed_s: since when the first of them was begun."""

    outcomes: tuple[Outcome, ...]
    count: int
    workers: int = 1
    is_running: bool = True
    running: tuple[Running, ...] = ()
    elapsed_s: float | None = None

    @property
    def passed(self) -> int:
        """How many pass everything."""
        return sum(o.passes for o in self.outcomes)

    @property
    def share(self) -> float:
        """How much of all is done, 0 to 1, begun episodes included."""
        return (len(self.outcomes) + sum(_share_done(r) for r in self.running)) / max(self.count, 1)

    @property
    def remaining_s(self) -> float | None:
        """Seconds still to go at the pace so far; None where that can't be told or nothing is left."""
        if self.elapsed_s is not None and self.is_running:
            new = sum(not o.again for o in self.outcomes) + sum(_share_done(r) for r in self.running)
            left = self.count - len(self.outcomes) - sum(_share_done(r) for r in self.running)
            return self.elapsed_s * left / new if new > LEAST_DONE else None
        took = [o.seconds for o in self.outcomes if not o.again]
        left = self.count - len(self.outcomes)
        return sum(took) / len(took) * left / max(self.workers, 1) if took and left > 0 and self.is_running else None


def _share_done(running: Running) -> float:
    """How much of an episode is done, 0 to 1, by the time that its steps usually take."""
    done = 0.0
    for step, need in NEEDS.items():
        if step == running.step:
            return done + need.share * running.fraction
        done += need.share
    return 0.0


def write_report(standing: Standing, folder: Path) -> None:
    """Both files anew. Raises CannotWrite."""
    for name, text in ((TABLE, csv_of(standing.outcomes)), (PAGE, page_of(standing))):
        write_text(folder / name, text)


def csv_of(outcomes: Sequence[Outcome]) -> str:
    """A row a master, and one for each input of which none came."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for outcome in outcomes:
        for master in outcome.masters or ({},):
            writer.writerow([safe_cell(cell) for cell in _cells(outcome, master)])
    return out.getvalue()


def _cells(outcome: Outcome, master: dict[str, Any]) -> list[str]:
    def figure(name: str) -> str:
        value = master.get(name)
        return "" if value is None else f"{value:.2f}"

    return [
        outcome.file, "yes" if master.get("pass", False) else "no", outcome.error or "", master.get("target", ""), master.get("format", ""),
        master.get("file") or "", figure("integrated_lufs"), figure("true_peak_dbtp"), " ".join(master.get("problems", ())), " ".join(outcome.remarks),
        f"{outcome.seconds:.1f}", "yes" if outcome.again else "no",
    ]  # fmt: skip


def page_of(standing: Standing) -> str:
    """The page; it comes anew by itself while work goes on."""
    rows = [
        {
            "name": Path(o.file).name, "passes": o.passes, "again": o.again, "error": o.error, "remarks": o.remarks,
            "seconds": clock(o.seconds) if o.seconds else "", "masters": [_master(m) for m in o.masters],
        }
        for o in standing.outcomes
    ]  # fmt: skip
    left = standing.remaining_s
    return str(
        templates().get_template("batch.html").render(
            rows=rows, running=[{"name": r.name, "step": r.step, "share": round(100 * r.fraction), "worker": r.worker} for r in standing.running], done=len(standing.outcomes), count=standing.count, passed=standing.passed, is_running=standing.is_running,
            refresh=REFRESH_S, left=None if left is None else clock(left), made=time.strftime("%Y-%m-%d %H:%M"),
        )
    )  # fmt: skip


def _master(master: dict[str, Any]) -> dict[str, Any]:
    return {
        "name": Path(master["file"]).name if master.get("file") else f"{master['target']}, {master['format']}", "passes": master["pass"],
        "problems": master["problems"], "lufs": with_unit(master.get("integrated_lufs"), "LUFS"), "dbtp": with_unit(master.get("true_peak_dbtp"), "dBTP"),
    }  # fmt: skip
