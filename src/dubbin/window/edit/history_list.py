"""The list of all steps."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.parts.active_table import ActiveTable
from dubbin.window.session.session import Session


class HistoryList(ActiveTable):
    """All steps; a click goes back to the state after one, or forth again."""

    def __init__(self, session: Session) -> None:
        super().__init__(tr("History"), ("", tr("Step")), 1)
        self._session = session
        self.on_row = self._go

    def refresh(self) -> None:
        history = self._session.document.history
        rows: list[tuple[object, ...]] = [("" if history.done else "●", tr("As it was opened first"))]
        rows += [("●" if k == len(history.done) - 1 else "", step.title) for k, step in enumerate(history.done)]
        rows += [("", f"{step.title}  (undone)") for step in reversed(history.undone)]
        if self.fill(rows):
            item = self.item(len(history.done), 1)
            if item is not None:
                self.scrollToItem(item)

    def _go(self, row: int) -> None:
        self._session.document.go_to(row)
        self._shown = None
        self.refresh()
