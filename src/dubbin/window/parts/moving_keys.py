"""Keys that move: arrows, pages, and to either end."""

from __future__ import annotations

from PyQt6.QtCore import Qt

ACROSS = frozenset((Qt.Key.Key_Left, Qt.Key.Key_Right))
UP_AND_DOWN = frozenset((Qt.Key.Key_Up, Qt.Key.Key_Down))
FAR = frozenset((Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Home, Qt.Key.Key_End))
EVERY_WAY = ACROSS | UP_AND_DOWN | FAR
