"""Tables to read: no grid, no editing, text at the left, one column that takes the room that is left."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPaintEvent, QPalette
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import font, scaled

ROW_H = 26


class FigureTable(QTableWidget):
    """stretched: the column that takes the room left by the others; None shares it among all but the first."""

    def __init__(self, name: str, columns: Sequence[str], stretched: int | None = None, empty: str = "") -> None:
        """empty: what is said while there are no rows: what would stand here, and how it gets there."""
        super().__init__(0, len(columns))
        self.empty = empty
        self.setAccessibleDescription(empty)
        self.setHorizontalHeaderLabels(columns)
        self.setAccessibleName(name)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)  # Tab goes on to what comes next in the window
        rows, across = self.verticalHeader(), self.horizontalHeader()
        assert rows is not None and across is not None
        rows.hide()
        rows.setDefaultSectionSize(scaled(ROW_H))
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        modes = QHeaderView.ResizeMode
        across.setSectionResizeMode(modes.Stretch if stretched is None else modes.ResizeToContents)
        across.setSectionResizeMode(stretched or 0, modes.ResizeToContents if stretched is None else modes.Stretch)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        port = self.viewport()
        if self.rowCount() == 0 and self.empty and port is not None:
            with painting(port) as p:
                p.setFont(font(15))
                p.setPen(self.palette().color(QPalette.ColorRole.PlaceholderText))
                room = QRectF(port.rect()).adjusted(24, 12, -24, -12)
                p.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)

    def show_row(self, row: int, texts: Sequence[str], first: int = 0, tip: str = "") -> list[QTableWidgetItem]:
        """Fill a row with texts from column `first` on; the items, for what is special about them."""
        return [self._show(row, column, text, tip) for column, text in enumerate(texts, first)]

    def _show(self, row: int, column: int, text: str, tip: str) -> QTableWidgetItem:
        """An item that is there stays and is told only what is new: a table is shown anew with every change of the episode, and each change of an item has
        its columns measured."""
        item = self.item(row, column)
        if item is None:
            item = QTableWidgetItem(text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            self.setItem(row, column, item)
        elif item.text() != text:
            item.setText(text)
        if item.toolTip() != tip:
            item.setToolTip(tip)
        return item
