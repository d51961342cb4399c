"""Layouts that are filled anew when the model changes."""

from __future__ import annotations

from PyQt6.QtWidgets import QLayout


def clear_layout(layout: QLayout) -> None:
    """Take everything out of a layout and let go of the widgets."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.deleteLater()
