"""The list of what is running: what it says of each, and what its buttons stop."""

from __future__ import annotations

import threading
import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetrics, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from dubbin.core.errors import Cancelled
from dubbin.core.jobs import Job, Task
from dubbin.core.measure.live import Reading
from dubbin.window.parts.theme import font
from dubbin.window.session.job_bridge import JobBridge
from dubbin.window.shell.transport import NARROWEST_WORK, fitted
from dubbin.window.shell.work_list import MOST, WorkList, how_far


class Held:
    """Work that goes as far as it is told, and no further."""

    def __init__(self) -> None:
        self.task: Task | None = None
        self.go, self.running, self.cancelled = threading.Event(), threading.Event(), threading.Event()

    def __call__(self, task: Task) -> str:
        self.task = task
        self.running.set()
        try:
            while not self.go.wait(0.01):
                task.step(0.25)
        except Cancelled:
            self.cancelled.set()
            raise
        return "done"


@pytest.fixture
def jobs(qtbot, tmp_path):
    bridge = JobBridge(tmp_path)
    yield bridge
    bridge.close()


@pytest.fixture
def begun(jobs):
    """Two pieces of work that run, and one that waits."""
    works = {name: Held() for name in ("first", "second", "third")}
    works["results"] = []  # type: ignore[assignment]
    for name in ("first", "second", "third"):
        jobs.start(name, f"The {name}", works[name], works["results"].append)
    assert works["first"].running.wait(5) and works["second"].running.wait(5)
    yield works
    for name in ("first", "second", "third"):
        works[name].go.set()


@pytest.fixture
def opened(qtbot, jobs, begun):
    window = QWidget()
    QVBoxLayout(window).addWidget(anchor := QWidget())
    qtbot.addWidget(window)
    window.show()
    listed = WorkList(jobs, window)
    listed.open_above(anchor)
    qtbot.waitUntil(lambda: listed.rows[0].bar.value() == 250)
    yield listed  # while the window it stands over is held here
    listed.close()


def shown(listed: WorkList) -> list[str]:
    return [row.title.text() for row in listed.rows if row.title.isVisible()]


def test_all_that_runs_and_waits_is_listed(opened):
    assert shown(opened) == ["The first", "The second", "The third"]
    assert opened.rows[0].state.text().startswith("25 %") and opened.rows[2].state.text() == "waits"
    assert opened.isVisible() and not opened.more.isVisible()


def test_one_is_cancelled_and_the_others_go_on(opened, begun, qtbot):
    qtbot.mouseClick(opened.rows[1].cancel, Qt.MouseButton.LeftButton)
    assert begun["second"].cancelled.wait(5) and not begun["first"].cancelled.is_set()
    qtbot.waitUntil(lambda: shown(opened) == ["The first", "The third"])
    begun["first"].go.set()
    begun["third"].go.set()
    qtbot.waitUntil(lambda: begun["results"] == ["done", "done"])
    qtbot.waitUntil(lambda: not opened.isVisible())  # there is nothing left to show


def test_what_waits_is_cancelled_without_ever_beginning(opened, begun, qtbot):
    qtbot.mouseClick(opened.rows[2].cancel, Qt.MouseButton.LeftButton)
    begun["first"].go.set()
    begun["second"].go.set()
    qtbot.waitUntil(lambda: len(begun["results"]) == 2)
    assert not begun["third"].running.is_set()


def test_all_are_cancelled_at_once(opened, begun, qtbot):
    qtbot.mouseClick(opened.all, Qt.MouseButton.LeftButton)
    assert begun["first"].cancelled.wait(5) and begun["second"].cancelled.wait(5)
    qtbot.waitUntil(lambda: not opened.isVisible())
    assert not begun["results"] and not begun["third"].running.is_set()


def test_of_many_the_first_are_shown_and_the_rest_counted(opened, jobs, begun, qtbot):
    for k in range(MOST):
        jobs.start(k, f"More {k}", Held(), lambda _: None)
    qtbot.waitUntil(opened.more.isVisible)
    assert len(shown(opened)) == MOST and opened.more.text() == "and 3 more that wait"


def test_it_does_not_open_when_nothing_runs(jobs, qtbot):
    parent = QWidget()
    qtbot.addWidget(parent)
    listed = WorkList(jobs, parent)
    listed.open_above(parent)
    assert not listed.isVisible()


def test_what_is_said_of_a_job():
    job = Job(1, "Something", Task())
    assert how_far(job) == "waits"
    job.begun = True
    assert how_far(job) == "0 %"
    job.fraction, job.started = 0.25, time.monotonic() - 30.0
    assert how_far(job) == "25 %, 1:30 left"
    job.fraction = 0.99
    assert how_far(job) == "99 %"


@pytest.fixture
def held(window):
    """Two pieces of work in the real window, which end with the test."""
    works = Held(), Held()
    yield works
    for work in works:
        work.go.set()


def test_the_bar_tells_what_runs_and_opens_the_list(window, held, qtbot):
    for slot, title, work in zip("ab", ("Doing this", "Doing that"), held, strict=True):
        window.jobs.start(slot, title, work, lambda _: None)
    transport = window.transport
    qtbot.waitUntil(lambda: all(work.running.is_set() for work in held))
    qtbot.waitUntil(lambda: transport.work.isVisible() and transport.work.text().startswith("Doing this"))
    assert "1 more" in transport.work.text()
    transport.work.click()
    assert transport.list.isVisible()
    assert transport.list.geometry().bottom() < transport.work.mapToGlobal(transport.work.rect().topLeft()).y()
    transport.list.rows[0].cancel.click()
    assert held[0].cancelled.wait(5)
    qtbot.waitUntil(lambda: transport.work.text().startswith("Doing that"))
    held[1].go.set()
    qtbot.waitUntil(lambda: not transport.work.isVisible() and not transport.list.isVisible())


def test_in_a_narrow_window_work_is_seen_and_the_figures_beside_it_keep_their_room(window, held, qtbot):
    window.resize(1024, 640)
    bar = window.transport
    bar.show_reading(Reading(-20.1, -21.2, -22.3, (-10.0, -10.0), -12.4))
    window.jobs.start("a", "Reading ines-desk-microphone.wav", held[0], lambda _: None)
    qtbot.waitUntil(lambda: bar.work.isVisible() and bar.work.width() >= NARROWEST_WORK)
    qtbot.waitUntil(lambda: bar.work.text() == "25 %  ▴")
    assert bar.work.accessibleName().startswith("Reading ines-desk-microphone.wav")
    assert window.width() == 1024 and bar.progress.width() >= NARROWEST_WORK
    qtbot.waitUntil(lambda: bar.loudness.width() >= bar.loudness.sizeHint().width())
    assert bar.meter.width() >= bar.meter.minimumWidth()
    assert bar.loudness.text() == "M −20.1   S −21.2   I −22.3 LUFS"
    window.resize(1280, 800)
    qtbot.waitUntil(lambda: bar.work.text().startswith("Rea") and bar.work.text().endswith("…, 25 %  ▴"))
    qtbot.waitUntil(lambda: bar.loudness.text() == "True peak −12.4 dBTP   M −20.1   S −21.2   I −22.3 LUFS")
    qtbot.waitUntil(lambda: bar.loudness.width() >= bar.loudness.sizeHint().width())
    bar.show_reading(None)
    assert bar.loudness.text() == "True peak – dBTP   M –   S –   I – LUFS"
    held[0].go.set()


@pytest.mark.parametrize(
    ("letters", "told"),
    [(60, "Measuring Ines, 0:42 left · 4 more"), (26, "Measuring Ines, 12 % · 4 more"), (21, "Measuring Ines, 12 %"), (17, "Measuring…, 12 %"),
     (6, "12 %"), (1, "")],
)  # fmt: skip
def test_what_is_told_of_work_is_whole_as_far_as_there_is_room(qapp, letters, told):
    metrics = QFontMetrics(font(13))
    ends = [", 0:42 left · 4 more", ", 12 % · 4 more", ", 12 %"]
    room = metrics.horizontalAdvance(told) + 2 if told else 4
    assert fitted("Measuring Ines", ends, "12 %", metrics, room) == told
    assert (
        metrics.horizontalAdvance(fitted("Measuring Ines", ends, "12 %", metrics, letters * metrics.averageCharWidth()))
        <= letters * metrics.averageCharWidth()
    )


def test_work_that_is_asked_for_while_something_is_painted_is_told_afterwards(jobs, qtbot):
    """To show it at once would paint within painting, and that ends the whole program."""

    class AsksWhilePainted(QWidget):
        paints = False

        def paintEvent(self, _: QPaintEvent | None) -> None:
            self.paints = True
            jobs.start("picture", "Drawing", lambda task: None, lambda result: None)
            self.paints = False

    asks = AsksWhilePainted()
    qtbot.addWidget(asks)
    told: list[bool] = []
    jobs.changed.connect(lambda: told.append(asks.paints))
    asks.grab()
    assert not told
    qtbot.waitUntil(lambda: bool(told))
    assert not any(told)
