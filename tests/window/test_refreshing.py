"""Showing once more what is shown already moves nothing: nothing is hidden only to be shown again, and no row comes and goes."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QApplication

from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.shell.step import Step
from tests.window.conftest import put_down, settle


class ComingAndGoing(QObject):
    """Notes what is shown and hidden."""

    def __init__(self) -> None:
        super().__init__()
        self.seen: list[str] = []

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.ShowToParent, QEvent.Type.HideToParent) and watched is not None:
            name = watched.property("text") or watched.property("accessibleName") or watched.objectName()
            self.seen.append(f"{event.type().name} {type(watched).__name__} {name!r}")
        return False


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    return shared_window


@pytest.mark.parametrize("step", list(Step), ids=[step.name for step in Step])
def test_a_page_that_is_shown_once_more_stands_still(qtbot, window, step):
    window.go_step(step)
    settle(qtbot, window)
    page, watch = window.pages[step], ComingAndGoing()
    QApplication.instance().installEventFilter(watch)
    try:
        page.refresh()
        QApplication.processEvents()
    finally:
        QApplication.instance().removeEventFilter(watch)
    assert watch.seen == []


@pytest.mark.parametrize("step", list(Step), ids=[step.name for step in Step])
def test_a_page_that_is_opened_is_shown_once(qtbot, window, step, monkeypatch):
    for each in (step, Step.REPAIR if step is not Step.REPAIR else Step.VOICE):  # what opening it looks for is known
        window.go_step(each)
        settle(qtbot, window)
    page, shown = window.pages[step], []
    refresh = page.refresh
    monkeypatch.setattr(page, "refresh", lambda: (shown.append(step), refresh()))
    window.go_step(step)
    settle(qtbot, window)
    assert shown == [step]
