"""A button whose title gives way in its middle where there is no room for all of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QStyle, QStyleOptionButton


class ElidedButton(QPushButton):
    """As wide as it is let; read out as a whole."""

    def __init__(self, title: str) -> None:
        super().__init__(title)
        self._title = title
        self.setAccessibleName(title)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Begin and end of the title stay: what it is, and whose."""
        super().resizeEvent(event)
        option, style = QStyleOptionButton(), self.style()
        self.initStyleOption(option)
        room = style.subElementRect(QStyle.SubElement.SE_PushButtonContents, option, self).width() if style is not None else self.width()
        self.setText(self.fontMetrics().elidedText(self._title, Qt.TextElideMode.ElideMiddle, room))
