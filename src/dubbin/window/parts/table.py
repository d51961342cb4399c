"""Tables to read: no grid, no editing, text at the left, one column that takes the room that is left."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

ROW_H = 26


class FigureTable(QTableWidget):
    """stretched: the column that takes the room left by the others; None shares it among all but the first."""

    def __init__(self, name: str, columns: Sequence[str], stretched: int | None = None) -> None:
        super().__init__(0, len(columns))
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
        rows.setDefaultSectionSize(ROW_H)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        modes = QHeaderView.ResizeMode
        across.setSectionResizeMode(modes.Stretch if stretched is None else modes.ResizeToContents)
        across.setSectionResizeMode(stretched or 0, modes.ResizeToContents if stretched is None else modes.Stretch)

    def show_row(self, row: int, texts: Sequence[str], first: int = 0, tip: str = "") -> list[QTableWidgetItem]:
        """Fill a row with texts from column `first` on; the items, for what is special about them."""
        items = []
        for column, text in enumerate(texts, first):
            item = QTableWidgetItem(text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            item.setToolTip(tip)
            self.setItem(row, column, item)
            items.append(item)
        return items
