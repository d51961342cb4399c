"""A table whose rows can be ticked and clicked."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QTableWidgetItem

from dubbin.window.parts.table import FigureTable


class ActiveTable(FigureTable):
    """A table that is filled from rows of texts, only when these change; ticks and clicks are told by row."""

    def __init__(self, name: str, columns: Sequence[str], stretched: int | None = None, empty: str = "") -> None:
        super().__init__(name, columns, stretched, empty)
        self._shown: list[tuple[object, ...]] | None = None
        self._filling = False
        self.on_ticked: Callable[[int, bool], None] = lambda row, on: None
        self.on_row: Callable[[int], None] = lambda row: None
        self.itemChanged.connect(self._ticked)
        self.cellClicked.connect(lambda row, _: self.on_row(row))
        self.currentCellChanged.connect(lambda row, _c, before, _b: self.hasFocus() and row != before and row >= 0 and self.on_row(row))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return ticks or unticks the row that is picked; where there is no tick, it does what a click does."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentRow() >= 0:
            box = self.item(self.currentRow(), 0)
            if box is not None and box.flags() & Qt.ItemFlag.ItemIsUserCheckable:
                on = box.checkState() == Qt.CheckState.Checked
                box.setCheckState(Qt.CheckState.Unchecked if on else Qt.CheckState.Checked)
            else:
                self.on_row(self.currentRow())
            return
        super().keyPressEvent(event)

    def _ticked(self, item: QTableWidgetItem) -> None:
        if not self._filling and item.column() == 0 and item.flags() & Qt.ItemFlag.ItemIsUserCheckable:
            self.on_ticked(item.row(), item.checkState() == Qt.CheckState.Checked)

    def fill(self, rows: list[tuple[object, ...]], ticks: bool = False) -> bool:
        """Show rows; with `ticks` the first of each is True, False or None (no box). Whether anything changed."""
        if rows == self._shown:
            return False
        self._shown = rows
        self._filling = True
        self.setRowCount(len(rows))
        for row, values in enumerate(rows):
            if ticks:
                box = QTableWidgetItem()
                flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                if values[0] is not None:
                    box.setFlags(flags | Qt.ItemFlag.ItemIsUserCheckable)
                    box.setCheckState(Qt.CheckState.Checked if values[0] else Qt.CheckState.Unchecked)
                else:
                    box.setFlags(flags)
                self.setItem(row, 0, box)
                self.show_row(row, [str(v) for v in values[1:]], first=1)
            else:
                self.show_row(row, [str(v) for v in values])
        self._filling = False
        return True
