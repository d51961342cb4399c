"""The list of seams, and how the picked one is joined."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox

from dubbin.core.episode.commands.seams import set_seam
from dubbin.core.episode.model import SeamShape
from dubbin.core.episode.stretches import FURTHEST_SESSION_FRAME
from dubbin.core.figures import clock, number, span_text
from dubbin.core.texts import tr
from dubbin.window.edit.seam_watch import SeamWatch
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.player.seam_walk import SeamWalk
from dubbin.window.session.session import Session


class SeamList(ActiveTable):
    """Every seam: how it is joined, and what measurement doubts."""

    def __init__(self, session: Session, seams: SeamWatch, walk: SeamWalk) -> None:
        super().__init__(
            tr("Seams"),
            (tr("At"), tr("Cut"), tr("Crossfade"), tr("Shape"), tr("Doubt")),
            4,
            tr("Every cut leaves a seam, which is listed here with its crossfade. Nothing is cut yet."),
        )
        self._session, self._seams, self._walk = session, seams, walk
        self._entries: list[tuple[int, int]] = []
        self.on_row = self._go

    def refresh(self) -> None:
        self._seams.look()
        time_map, rate = self._session.map, self._session.episode.rate
        program = self._session.monitor.program()
        at = dict(zip(time_map.seam_pairs, time_map.seams(), strict=True))
        own = {(s.before_frame, s.after_frame) for s in self._session.episode.seams}
        self._entries = time_map.seam_pairs
        rows: list[tuple[object, ...]] = []
        for seam in self._entries:
            check = self._seams.check(seam)
            plan = program.plan(time_map.span_at(at[seam])) if len(self._entries) <= 200 else None
            length = (
                (tr("{half} ms (own)") if seam in own else tr("{half} ms")).format(half=number(2000 * plan.half / rate, 0))
                if plan
                else tr("automatic")
            )
            gone = seam[1] - seam[0]
            doubt = "…" if check is None else ", ".join(check.problems) or tr("none")
            rows.append(
                (
                    clock(at[seam] / rate, 1),
                    f"−{span_text(gone / rate)}" if 0 < gone < FURTHEST_SESSION_FRAME else tr("moved"),
                    length,
                    tr(plan.shape.value if plan else "automatic"),
                    doubt,
                )
            )
        self.fill(rows)

    def _go(self, row: int) -> None:
        if row < len(self._entries):
            self._walk.play(*self._entries[row])

    def picked(self) -> tuple[int, int] | None:
        row = self.currentRow()
        return self._entries[row] if 0 <= row < len(self._entries) else None


class SeamSettings(QComboBox):
    """Length and shape of the picked seam."""

    CHOICES: tuple[tuple[str, float | None, SeamShape], ...] = (
        (tr("Automatic"), None, SeamShape.AUTO), (tr("2 ms"), 2.0, SeamShape.AUTO), (tr("10 ms"), 10.0, SeamShape.AUTO), (tr("30 ms"), 30.0, SeamShape.AUTO),
        (tr("80 ms"), 80.0, SeamShape.AUTO), (tr("200 ms"), 200.0, SeamShape.AUTO), (tr("10 ms, equal gain"), 10.0, SeamShape.GAIN),
        (tr("30 ms, equal power"), 30.0, SeamShape.POWER),
    )  # fmt: skip

    def __init__(self, session: Session, seams: SeamList) -> None:
        super().__init__()
        self.setAccessibleName(tr("Crossfade of the picked seam"))
        self.addItems([c[0] for c in self.CHOICES])
        self._session, self._seams = session, seams
        self.activated.connect(self._on_chosen)
        seams.currentCellChanged.connect(lambda *_: self.show_seam())

    def show_seam(self) -> None:
        seam = self._seams.picked()
        self.setEnabled(seam is not None)
        own = next((s for s in self._session.episode.seams if (s.before_frame, s.after_frame) == seam), None)
        wanted = (own.ms, own.shape) if own else (None, SeamShape.AUTO)
        index = next((k for k, (_, ms, shape) in enumerate(self.CHOICES) if (ms, shape) == wanted), 0)
        self.setCurrentIndex(index)

    def _on_chosen(self, index: int) -> None:
        seam = self._seams.picked()
        if seam is not None:
            _, ms, shape = self.CHOICES[index]
            self._session.do(set_seam(self._session.episode, *seam, ms, shape))
