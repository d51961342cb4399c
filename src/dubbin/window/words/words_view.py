"""The page of words: reads speaker by speaker, follows the play head, and is edited by words."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from dubbin.core.figures import number
from dubbin.core.texts import tr
from dubbin.window.parts.moving_keys import EVERY_WAY
from dubbin.window.parts.painting import painting
from dubbin.window.parts.theme import Theme, font
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.selection import Selection
from dubbin.window.session.session import Session
from dubbin.window.session.speech import Speech
from dubbin.window.words.column import TOP, Column
from dubbin.window.words.flow import Item, ItemKind
from dubbin.window.words.word_keys import SIDEWAYS, row_after
from dubbin.window.words.word_layout import WordLayout
from dubbin.window.words.word_painter import Marked, WordPainter

SMALLEST_PX, LARGEST_PX = 13, 28
PAINT_BUDGET_S = 0.006  # for laying out what is out of sight, in one turn of the event loop


class WordsView(QAbstractScrollArea):
    """Click: go there. Drag: select words. Double-click: play from there. A stitch opens and closes what was cut."""

    play_wanted = pyqtSignal(int)
    menu_wanted = pyqtSignal(object)
    correct_wanted = pyqtSignal(int)

    def __init__(self, session: Session, speech: Speech, selection: Selection, theme: Theme, preferences: Preferences) -> None:
        super().__init__()
        self._session, self._speech, self._selection, self._theme, self._preferences = session, speech, selection, theme, preferences
        self.laid = WordLayout(session, speech, min(max(int(preferences.get("words_px", 17)), SMALLEST_PX), LARGEST_PX))
        self._here: int | None = None
        self._press: tuple[QPointF, int | None] | None = None
        self._anchor: int | None = None
        self.found: frozenset[int] = frozenset()
        self.setFrameShape(self.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Words"))
        port = self.viewport()
        assert port is not None
        port.setMouseTracking(True)
        port.setCursor(Qt.CursorShape.IBeamCursor)
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setSingleStep(28)
        session.episode_changed.connect(self._on_changed)
        speech.changed.connect(self._on_changed)
        selection.changed.connect(self._repaint)
        selection.head_changed.connect(self._on_head)
        theme.changed.connect(self._on_theme)

    # -- laying out -------------------------------------------------------------------

    def _repaint(self) -> None:
        port = self.viewport()
        if port is not None:
            port.update()

    def _on_theme(self) -> None:
        self.laid.restyle()
        self._repaint()

    def _on_changed(self, *_: object) -> None:
        self.laid.is_stale = True
        self._repaint()

    def set_size(self, px: int) -> None:
        """Size of the text in pixels."""
        px = min(max(px, SMALLEST_PX), LARGEST_PX)
        if px != self.laid.px:
            self.laid.px = px
            self._preferences.set("words_px", px)
            self._on_theme()

    @property
    def size_px(self) -> int:
        return self.laid.px

    def lay_out(self, budget_s: float = math.inf) -> None:
        """Lay the words out where something has changed. budget_s: after so long the rest, which is out of sight, is left for the next turn of the event loop."""
        port = self.viewport()
        assert port is not None
        begun = self.laid.begin(port.width())
        if not self._column.is_whole:
            self.laid.go_on(self.offset() + 1.25 * port.height(), budget_s)
            if not self._column.is_whole:
                QTimer.singleShot(0, self._lay_on)
            self._set_range()
        elif begun:
            self._set_range()  # of no words none is laid out; of others the range is set where they are, or the page would go to its top

    @property
    def _column(self) -> Column:
        return self.laid.column

    def _set_range(self) -> None:
        bar, port = self.verticalScrollBar(), self.viewport()
        assert bar is not None and port is not None
        bar.setRange(0, max(0, round(self._column.height + TOP - port.height())))
        bar.setPageStep(port.height())

    def _lay_on(self) -> None:
        """Go on with what is out of sight: nothing of it need be painted."""
        self.lay_out(PAINT_BUDGET_S)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._set_range()  # of another height the same lines are seen; another width is found when they are painted
        self._repaint()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._repaint()

    def offset(self) -> float:
        """Pixels of the page that are scrolled away at its top."""
        bar = self.verticalScrollBar()
        return float(bar.value()) if bar is not None else 0.0

    # -- where things are -------------------------------------------------------------

    def item_at(self, position: QPointF) -> Item | None:
        """The word or mark at a point of the viewport; of empty room on a line, the last one before."""
        self.lay_out()
        return self._column.item_at(position.x(), position.y() + self.offset())

    def reveal(self, row: int) -> None:
        """Scroll so that a word is seen."""
        self.lay_out()
        rect = self._column.rect_of(row)
        bar, port = self.verticalScrollBar(), self.viewport()
        if rect is None or bar is None or port is None:
            return
        if rect.top() < self.offset() + 4 or rect.bottom() > self.offset() + port.height() - 4:
            bar.setValue(round(rect.top() - port.height() * 0.35))

    def _on_head(self) -> None:
        if not self.isVisible():
            return
        row = self._speech.table.row_at(self._selection.head)
        if row is not None and row != self._here:
            self._here = row
            if self._press is None:
                self.reveal(row)
            self._repaint()
        elif row is None:
            self._repaint()

    # -- acts of the person -----------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        item = self.item_at(event.position())
        if item is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self._anchor is not None:
            self._select(self._anchor, item.row)
            return
        self._press = event.position(), item.row
        self._anchor = item.row

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._press is None:
            item = self.item_at(event.position())
            port = self.viewport()
            over = item is not None and item.kind is ItemKind.STITCH and item.x <= event.position().x() <= item.x + item.width
            if port is not None:
                port.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.IBeamCursor)
            return
        item = self.item_at(event.position())
        if item is not None and (event.position() - self._press[0]).manhattanLength() > 5 and self._press[1] is not None:
            self._select(self._press[1], item.row)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None:
            return
        moved = (event.position() - self._press[0]).manhattanLength() > 5
        self._press = None
        if moved:
            return
        item = self.item_at(event.position())
        if item is None:
            return
        if item.kind is ItemKind.STITCH and item.x <= event.position().x() <= item.x + item.width:
            self._open(item)
            return
        table = self._speech.table
        self._selection.clear()
        self._selection.set_head(int(table.starts[item.row]))
        if item.kind is ItemKind.OPENED:
            self._selection.pick_cut(self._session.episode.cut_at(int(table.starts[item.row] + table.ends[item.row]) // 2))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        item = self.item_at(event.position()) if event else None
        if item is not None and item.kind is not ItemKind.STITCH:
            self._press = None
            self.play_wanted.emit(int(self._speech.table.starts[item.row]))

    def _open(self, item: Item) -> None:
        """Show what a stitch folds, and pick the cut."""
        self.laid.open(item.rows)
        table, episode = self._speech.table, self._session.episode
        if item.rows:
            middle = int(table.starts[item.rows[0]] + table.ends[item.rows[0]]) // 2
            cut = episode.cut_at(middle)
        else:
            start = int(table.starts[item.row])
            cut = max((c for c in episode.cuts if c.end_frame <= start + episode.rate // 10), key=lambda c: c.end_frame, default=None)
        self._selection.pick_cut(cut)
        if cut is not None:
            self._selection.set_head(cut.end_frame)
        self._repaint()

    def close_opened(self) -> None:
        """Fold all cuts again."""
        if self.laid.opened:
            self.laid.close_opened()
            self._repaint()

    def _select(self, first: int, last: int) -> None:
        a, b = sorted((self._column.order.get(first, 0), self._column.order.get(last, 0)))
        self.select_rows(self._column.rows[a : b + 1])

    def select_rows(self, rows: list[int]) -> None:
        """Select words in the order in which they stand."""
        table = self._speech.table
        if rows:
            start = int(table.starts[rows[0]])
            self._selection.select_words(tuple(rows), start, int(max(table.ends[r] for r in rows)))

    def head_row(self) -> int | None:
        """The word at the play head, or the next one after it."""
        table = self._speech.table
        if not len(table):
            return None
        row = table.row_at(self._selection.head)
        if row is None:
            k = int(np.searchsorted(table.starts, self._selection.head))
            row = min(k, len(table) - 1)
        return row

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        self.lay_out()
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            event.ignore()
            return
        if key == Qt.Key.Key_Escape and self.laid.opened:
            self.close_opened()
            return
        if Qt.Key(key) not in EVERY_WAY:
            event.ignore()
            return
        rows = self._selection.rows
        if shift:
            if not rows or self._anchor not in rows:
                self._anchor = self.head_row()
                end = self._anchor if key in SIDEWAYS else self._row_after(self._anchor, Qt.Key(key))
            else:
                end = self._row_after(rows[-1] if rows[0] == self._anchor else rows[0], Qt.Key(key))
            if self._anchor is not None and end is not None:
                self._select(self._anchor, end)
                self.reveal(end)
            return
        row = self._row_after(self.head_row(), Qt.Key(key))
        if row is not None:
            self._selection.clear()
            self._anchor = row
            self._selection.set_head(int(self._speech.table.starts[row]))
            self.reveal(row)

    def _row_after(self, row: int | None, key: Qt.Key) -> int | None:
        port = self.viewport()
        assert port is not None
        return row_after(self._column, row, key, port.width(), port.height())

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        item = self.item_at(QPointF(event.pos()))
        if item is None:
            return
        if item.row not in self._selection.rows:
            if item.kind is ItemKind.STITCH:
                self._open(item)
            else:
                self.select_rows([item.row])
                self._selection.set_head(int(self._speech.table.starts[item.row]))
        self.menu_wanted.emit(event.globalPos())

    # -- painting ---------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self.lay_out(PAINT_BUDGET_S)
        port = self.viewport()
        assert port is not None
        with painting(port) as p:
            self._paint(p, port)

    def _paint(self, p: QPainter, port: QWidget) -> None:
        c = self._theme.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(port.rect(), c.q("card"))
        if not self._column.laid:
            p.setPen(c.q("muted"))
            p.setFont(font(16))
            room = QRectF(port.rect()).adjusted(24, 12, -24, -12)
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            p.drawText(room, flags, empty_text(self._speech.transcribing.progress(), bool(self._session.episode.lanes)))
            return
        table, head, here = self._speech.table, self._selection.head, self._here
        is_heard = here is not None and here < len(table) and table.starts[here] <= head < table.ends[here]
        marked = Marked(frozenset(self._selection.rows), self.found, here if is_heard else None)
        painter = WordPainter(p, c, table, self._session.episode.rate, self.laid.px, port.width())
        painter.page(self._column, self.offset(), port.height(), marked)


def empty_text(fraction: float | None, has_lanes: bool) -> str:
    """What stands where there are no words. fraction: of the transcribing that goes on, 0 to 1; None where none does."""
    if fraction is not None:
        return tr("Transcribing …  {fraction} %\nYou can go on working; the words appear here voice by voice.").format(
            fraction=number(100 * fraction, 0)
        )
    if not has_lanes:
        return tr("Add recordings in Intake; their words will stand here.")
    return tr("No words yet. “Transcribe”, at the right, begins; or import a transcript.")
