"""Whose a key is: the shortcuts', or that of the widget in which one types or moves."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QLineEdit, QTableWidget

from dubbin.window.parts.segments import Segments
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.shell.steps import StepList
from dubbin.window.words.words_view import WordsView

ACROSS = frozenset((Qt.Key.Key_Left, Qt.Key.Key_Right))
EVERY_WAY = ACROSS | {Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End}
# Keys that widgets take for themselves while they have the focus, though they are shortcuts too. A painted plot says so itself: see `own_keys`.
OWN_KEYS: tuple[tuple[type[QObject], frozenset[Qt.Key]], ...] = (
    (WordsView, ACROSS), (Segments, ACROSS), (StepList, frozenset((Qt.Key.Key_Up, Qt.Key.Key_Down))), (MarkedSlider, EVERY_WAY),
    (QTableWidget, EVERY_WAY - ACROSS),
)  # fmt: skip


def is_own_key(watched: QObject | None, event: QEvent | None) -> bool:
    """Whether a key that Qt asks about belongs to the widget and not to the shortcuts."""
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.ShortcutOverride:
        return False
    key = Qt.Key(event.key())
    if any(isinstance(watched, kind) and key in taken for kind, taken in OWN_KEYS) or key in getattr(watched, "own_keys", ()):
        return True  # these move within what has the focus
    typing = isinstance(watched, (QLineEdit, QAbstractSpinBox, QApplication, QComboBox))
    plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
    return typing and plain and not Qt.Key.Key_F1 <= event.key() <= Qt.Key.Key_F12
