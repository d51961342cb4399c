"""The user guide in a window of its own: sections at the left, a search over all of it, and the text."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QTextCursor, QTextDocument
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from dubbin import guide
from dubbin.core.texts import tr, tr_count
from dubbin.window.parts.card import label
from dubbin.window.parts.theme import Theme, scaled

STYLE = """
body {{ font-family: "Alegreya Sans"; font-size: {size}px; color: {ink}; }}
h1 {{ font-size: {h1}px; }} h2 {{ font-size: {h2}px; color: {saddle}; margin-top: 22px; }} h3 {{ font-size: {h3}px; margin-top: 14px; margin-bottom: 2px; }}
p, li {{ line-height: 135%; }}
"""


class GuideWindow(QDialog):
    """Stays beside the window, so that one reads and does."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Guide"))
        self.resize(860, 640)
        self._theme = theme
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("Search the guide"))
        self.field.setAccessibleName(tr("Search the guide"))
        self.field.setClearButtonEnabled(True)
        self.sections = QListWidget()
        self.sections.setAccessibleName(tr("Sections"))
        self.sections.setFixedWidth(scaled(270))
        self.sections.setWordWrap(True)
        self.sections.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.said = label("", "muted", wrap=True)
        self.page = QTextBrowser()
        self.page.setAccessibleName(tr("Guide"))
        self.page.setOpenExternalLinks(False)
        self.page.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.page.setViewportMargins(16, 8, 8, 8)
        self.page.setSearchPaths([str(guide.FOLDER)])
        left = QVBoxLayout()
        for widget in (self.field, self.sections, self.said):
            left.addWidget(widget)
        row = QHBoxLayout(self)
        row.addLayout(left)
        row.addWidget(self.page, 1)
        self.field.textChanged.connect(self._search)
        self.field.returnPressed.connect(self.find_next)
        self.sections.currentItemChanged.connect(lambda item, _: self._go(item))
        theme.changed.connect(self._show_text)
        self._show_text()
        self._fill("")

    def _show_text(self) -> None:
        c = self._theme.colours
        document = self.page.document()
        assert document is not None
        sizes = {"size": scaled(16), "h1": scaled(24), "h2": scaled(20), "h3": scaled(17)}
        document.setDefaultStyleSheet(STYLE.format(ink=c.ink, saddle=c.saddle, **sizes))
        bar = self.page.verticalScrollBar()
        at = bar.value() if bar is not None else 0
        self.page.setHtml(guide.text())
        if bar is not None:
            bar.setValue(at)

    def _fill(self, wanted: str) -> None:
        """List the sections in which a text stands; all without one."""
        self.sections.blockSignals(True)
        self.sections.clear()
        body, words = guide.text(), wanted.casefold().split()
        known = guide.headings()
        starts = [body.index(f'id="{anchor}"') for _, anchor, _ in known]
        for (level, anchor, title), start, end in zip(known, starts, [*starts[1:], len(body)], strict=True):
            if all(word in body[start:end].casefold() for word in words):
                item = QListWidgetItem(("    " if level == 3 else "") + title)
                item.setData(Qt.ItemDataRole.UserRole, anchor)
                self.sections.addItem(item)
        self.sections.blockSignals(False)

    def _search(self, text: str) -> None:
        self._fill(text)
        self.page.moveCursor(QTextCursor.MoveOperation.Start)
        found = not text or self.page.find(text)
        count = self.sections.count()
        self.said.setText(
            ""
            if not text
            else tr_count("in {count} section", "in {count} sections", count)
            if found or count
            else tr("This is not in the guide.")
        )

    def find_next(self) -> None:
        """Go to the next place of what is searched, and round."""
        text = self.field.text()
        if text and not self.page.find(text):
            self.page.moveCursor(QTextCursor.MoveOperation.Start)
            self.page.find(text, QTextDocument.FindFlag(0))

    def _go(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.page.scrollToAnchor(item.data(Qt.ItemDataRole.UserRole))

    def show_section(self, anchor: str) -> None:
        """Come to the front at a section; empty: at the beginning."""
        self.field.clear()
        self.show()
        self.raise_()
        self.page.setSource(QUrl())
        for row in range(self.sections.count()):
            item = self.sections.item(row)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == anchor:
                self.sections.setCurrentRow(row)
                self.page.scrollToAnchor(anchor)
