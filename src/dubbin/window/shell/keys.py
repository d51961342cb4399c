"""Whose a key is: the shortcuts', or that of the widget in which one types or moves. Space always plays, but in text; Return presses what has the focus."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractButton, QAbstractSpinBox, QComboBox, QLineEdit, QPlainTextEdit, QTableWidget

from dubbin.window.parts.moving_keys import ACROSS, EVERY_WAY, UP_AND_DOWN
from dubbin.window.parts.segments import Choice
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.shell.steps import StepButton
from dubbin.window.words.words_view import WordsView

# Keys that widgets take for themselves while they have the focus, though they are shortcuts too. A painted plot says so itself: see `own_keys`.
OWN_KEYS: tuple[tuple[type[QObject], frozenset[Qt.Key]], ...] = (
    (WordsView, EVERY_WAY), (Choice, ACROSS), (StepButton, UP_AND_DOWN), (MarkedSlider, EVERY_WAY),
    (QTableWidget, EVERY_WAY - ACROSS),
)  # fmt: skip
RETURN = frozenset((Qt.Key.Key_Return, Qt.Key.Key_Enter))
UNSHIFTED = (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.KeypadModifier)


def is_own_key(watched: QObject | None, event: QEvent | None) -> bool:
    """Whether a key that Qt asks about belongs to the widget and not to the shortcuts."""
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.ShortcutOverride:
        return False
    key, plain = Qt.Key(event.key()), event.modifiers() in UNSHIFTED
    if plain and (any(isinstance(watched, kind) and key in taken for kind, taken in OWN_KEYS) or key in getattr(watched, "own_keys", ())):
        return True  # these move within what has the focus
    if isinstance(watched, (QLineEdit, QPlainTextEdit)) or (isinstance(watched, QComboBox) and watched.isEditable()):
        return plain and not Qt.Key.Key_F1 <= key <= Qt.Key.Key_F12
    if isinstance(watched, (QAbstractSpinBox, QComboBox)):  # figures and choices have no use for a space
        return plain and key != Qt.Key.Key_Space and not Qt.Key.Key_F1 <= key <= Qt.Key.Key_F12
    return False


def is_play_key(watched: QObject | None, event: QEvent | None) -> bool:
    """Whether a key press is Space on something that would take it for itself (a button, a table, a list), and so is to play."""
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
        return False
    in_text = isinstance(watched, (QLineEdit, QPlainTextEdit)) or (isinstance(watched, QComboBox) and watched.isEditable())
    return event.key() == Qt.Key.Key_Space and event.modifiers() == Qt.KeyboardModifier.NoModifier and not in_text


def press(watched: QObject | None, event: QEvent | None) -> bool:
    """Return presses a button and opens a choice; whether the key press was one."""
    if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress or event.key() not in RETURN:
        return False
    if isinstance(watched, QAbstractButton):
        watched.click()
        return True
    if isinstance(watched, QComboBox) and not watched.isEditable():
        watched.showPopup()
        return True
    return False
