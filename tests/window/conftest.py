"""A real window on a real episode, and hands that act as a person would."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from dubbin.core.episode.document import Document
from dubbin.window.main_window import MainWindow
from dubbin.window.player.sinks import SimulatedSink
from dubbin.window.theme import Theme

LONG_MS = 120_000


@pytest.fixture
def open_window(qtbot, qapp, folders) -> Iterator[Callable[..., MainWindow]]:
    windows = []

    def make(path=None) -> MainWindow:
        document = Document.opened(folders.journals, path) if path else None
        window = MainWindow(folders, Theme(qapp), document, SimulatedSink(48000))
        windows.append(window)
        window.show()
        qtbot.waitExposed(window)
        settle(qtbot, window)
        return window

    yield make
    for window in windows:
        window.player.close()
        window.jobs.close()
        window.desk.close()
        window.hide()
        window.deleteLater()


@pytest.fixture
def window(open_window, demo) -> MainWindow:
    return open_window(demo)


def settle(qtbot, window: MainWindow) -> None:
    """Until no background work is left."""
    qtbot.waitUntil(lambda: not window.jobs.live, timeout=LONG_MS)
    QTest.qWait(30)


def drag(widget: QWidget, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Press at one point, move in steps, release at another."""
    a, b = (QPoint(round(x), round(y)) for x, y in (start, end))
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=a)
    for k in range(1, 6):
        QTest.mouseMove(widget, a + (b - a) * k / 5)
        QTest.qWait(1)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=b)
