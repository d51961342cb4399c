"""Whose a key is: single letters are typed in fields and act everywhere else."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QLabel, QLineEdit, QTableWidget

from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.shell.keys import is_own_key
from dubbin.window.shell.step import Step

PLAIN, SHIFT, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


def asked(key: Qt.Key, modifiers=PLAIN, kind=QEvent.Type.ShortcutOverride) -> QKeyEvent:
    return QKeyEvent(kind, key, modifiers)


@pytest.mark.parametrize("kind", [QLineEdit, QDoubleSpinBox, QComboBox])
def test_letters_are_typed_in_a_field_and_commands_are_not(qtbot, kind):
    field = kind()
    qtbot.addWidget(field)
    assert is_own_key(field, asked(Qt.Key.Key_G))
    assert is_own_key(field, asked(Qt.Key.Key_Space)) is (kind is QLineEdit), "only text has a use for a space"
    assert is_own_key(field, asked(Qt.Key.Key_G, SHIFT))
    assert not is_own_key(field, asked(Qt.Key.Key_S, CTRL)) and not is_own_key(field, asked(Qt.Key.Key_F1))


def test_elsewhere_letters_are_shortcuts(qtbot):
    text = QLabel("Noise")
    qtbot.addWidget(text)
    assert not is_own_key(text, asked(Qt.Key.Key_G)) and not is_own_key(text, asked(Qt.Key.Key_Left))
    assert not is_own_key(None, asked(Qt.Key.Key_G)) and not is_own_key(text, None)


def test_arrows_move_within_what_has_the_focus(qtbot, window):
    slider, table = window.findChild(MarkedSlider), QTableWidget()
    qtbot.addWidget(table)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Home):
        assert is_own_key(slider, asked(key))
    assert is_own_key(table, asked(Qt.Key.Key_Down)) and not is_own_key(table, asked(Qt.Key.Key_Right))
    assert not is_own_key(slider, asked(Qt.Key.Key_G))


def test_a_painted_plot_says_its_keys_itself(qtbot):
    plot = QLabel()
    plot.own_keys = frozenset((Qt.Key.Key_Up,))
    qtbot.addWidget(plot)
    assert is_own_key(plot, asked(Qt.Key.Key_Up)) and not is_own_key(plot, asked(Qt.Key.Key_Down))


def test_what_has_the_focus_has_its_keys_and_what_lost_it_gives_them_up(window, qtbot):
    """In a real window: a letter that is a shortcut is typed while a field has the focus, and is a shortcut again behind it."""
    window.go_step(Step.EDIT)
    field, view = window.words_pane.field, window.view
    field.setFocus()
    qtbot.waitUntil(field.hasFocus)
    field.clear()
    folded = view.folded
    qtbot.keyClick(field, "f")  # fold or unfold
    assert field.text() == "f" and view.folded is folded
    window.lanes.setFocus()
    qtbot.waitUntil(window.lanes.hasFocus)
    qtbot.keyClick(window.lanes, "f")
    qtbot.waitUntil(lambda: view.folded is not folded)
    assert field.text() == "f"
    view.set_folded(folded)
    field.clear()
