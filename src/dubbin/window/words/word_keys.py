"""Which word a key goes to on the page of words."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt

from dubbin.window.words.column import Column

SIDEWAYS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}


def row_after(column: Column, row: int | None, key: Qt.Key, width: float, height: float) -> int | None:
    """The word that a key goes to from another: the one beside it, above or below it, a page further, or the first or last of the line.

    column: laid out as a whole; width, height: of what is seen of it, in pixels. None only where there are no words.
    """
    rect = column.rect_of(row) if row is not None else None
    if key in SIDEWAYS or rect is None:
        return column.row_beside(row, SIDEWAYS.get(key, 0))
    line, page = rect.height(), max(height - rect.height(), rect.height())
    down = {Qt.Key.Key_Up: -line, Qt.Key.Key_Down: line, Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page}.get(key, 0.0)
    x = {Qt.Key.Key_Home: 0.0, Qt.Key.Key_End: width}.get(key, rect.center().x())
    y = rect.center().y() + down
    item = column.item_at(x, y)
    # Between two paragraphs stands a heading or room: one line further is meant.
    if item is not None and item.row == row and down:
        item = column.item_at(x, y + math.copysign(line, down))
    return item.row if item is not None else row
