"""An error in what paints a widget is told; nothing of it is left behind on which Qt would fall."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

import dubbin.window
from dubbin.window.lanes.lane_heads import LaneHead
from dubbin.window.lanes.lanes_view import LanesView
from dubbin.window.lanes.overview import Overview
from dubbin.window.parts.meter import LevelMeter
from dubbin.window.parts.painting import painting
from dubbin.window.shell.step import Step
from dubbin.window.shell.steps import StepList
from dubbin.window.words.words_view import WordsView


def test_a_painter_has_ended_also_after_an_error():
    image = QImage(8, 8, QImage.Format.Format_RGB32)
    kept: list[QPainter] = []
    with pytest.raises(ZeroDivisionError), painting(image) as p:
        kept.append(p)
        assert p.isActive()
        p.fillRect(0, 0, 8, 8, 0xFF0000)
        raise ZeroDivisionError
    assert not kept[0].isActive() and not image.paintingActive()


@pytest.mark.parametrize("kind", [LanesView, LaneHead, Overview, LevelMeter, StepList, WordsView])
def test_a_widget_that_cannot_be_painted_takes_nothing_else_with_it(window, qtbot, monkeypatch, kind: type[QWidget]):
    window.go_step(Step.EDIT)
    window.pages[Step.EDIT].tabs.show_tab("words")
    qtbot.waitUntil(lambda: any(widget.isVisible() for widget in window.findChildren(kind)))
    with monkeypatch.context() as patch, qtbot.captureExceptions() as told:
        patch.setattr(kind, "_paint", lambda self, p, *_: p.drawLine(0, 0, 1, 1) or 1 / 0)
        for widget in window.findChildren(kind):
            widget.repaint()
    assert told and all(error[0] is ZeroDivisionError for error in told)
    for widget in window.findChildren(kind):
        widget.repaint()
    assert not window.grab().isNull()


def test_all_painting_of_the_window_ends_in_time():
    found = [
        path.name
        for path in Path(dubbin.window.__file__).parent.rglob("*.py")
        if re.search(r"\bQPainter\(", path.read_text()) and path.name != "painting.py"
    ]
    assert found == []
