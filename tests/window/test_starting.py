"""Starting: the small window while something is made, notices, and where Qt's words go."""

from __future__ import annotations

import gc
import logging
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from PyQt6.QtCore import QTimer, qInstallMessageHandler, qWarning

from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.window import app
from dubbin.window.app import begin_work, go_first, has_display, import_heavy, log_qt
from dubbin.window.shell.interrupt import Interrupt
from dubbin.window.shell.preparing import Preparing


@pytest.fixture
def preparing(qtbot, tmp_path):
    window = Preparing("Building the demo", "Voices and rooms.", tmp_path)
    qtbot.addWidget(window)
    return window


def test_it_shows_how_far_the_work_is_and_gives_its_result(preparing, qtbot):
    seen, go_on = [], threading.Event()

    def work(task: Task) -> Path:
        task.step(0.4)
        go_on.wait(10)
        return Path("made")

    def look() -> None:
        if preparing.bar.value() == 400 and preparing.isVisible():
            seen.append(preparing.about.text())
            go_on.set()

    timer = QTimer(preparing)
    timer.timeout.connect(look)
    timer.start(5)
    assert preparing.run(work) == Path("made") and set(seen) == {"Voices and rooms."}
    assert not preparing.isVisible()


def test_cancel_stops_the_work_and_there_is_no_result(preparing):
    stopped = []

    def work(task: Task) -> Path:
        while not task.cancelled:
            threading.Event().wait(0.005)
        stopped.append(True)
        task.step(1.0)
        return Path("made")

    QTimer.singleShot(30, preparing.cancel.click)
    assert preparing.run(work) is None and stopped == [True]


def test_what_can_not_be_made_is_said_and_stays_until_it_is_read(preparing, qtbot):
    def work(task: Task) -> Path:
        raise CannotWrite("The folder is full.")

    said = []
    QTimer.singleShot(150, lambda: (said.append(preparing.about.text()), preparing.cancel.click()))
    assert preparing.run(work) is None and said == ["The folder is full."]


@pytest.mark.parametrize(
    ("file", "frames", "level", "samples"),
    [
        ("ines-desk-microphone.wav", 11_496_426, 0.033802311528, (0.0027626752853, -0.0021624565125, 0.0044004917145, -0.0084210634232)),
        ("tobias-kitchen-table.wav", 11_496_426, 0.040801961731, (-0.0007810592651, -0.0008659362793, -0.0017976760864, 0.0308672189713)),
        ("harbour-theme.flac", 720_000, 0.014095614811, (0.0058288574219, -0.0111694335938, 0.0052795410156, 0.0018615722656)),
    ],
)
def test_the_recordings_of_the_demo_are_the_same_every_time_and_everywhere(demo_folder, file, frames, level, samples):
    x = sf.read(demo_folder / file, always_2d=True)[0]
    assert len(x) == frames and np.sqrt(np.mean(x**2)) == pytest.approx(level, rel=1e-8)
    np.testing.assert_allclose(x[frames // 7 :: frames // 7, 0][:4], samples, atol=2**-22)


def test_what_qt_says_goes_into_the_log(qapp, caplog):
    before = qInstallMessageHandler(None)
    log_qt()
    try:
        with caplog.at_level(logging.WARNING, "dubbin"):
            qWarning("a pen has no width")
        assert "Qt: a pen has no width" in caplog.text
    finally:
        qInstallMessageHandler(before)


@pytest.mark.parametrize(
    ("name", "value", "there"), [("DISPLAY", ":9", True), ("WAYLAND_DISPLAY", "wayland-1", True), ("OTHER", "x", False)]
)
def test_a_display_is_known_by_its_variables(name, value, there, monkeypatch):
    for known in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(known, raising=False)
    monkeypatch.setenv(name, value)
    assert has_display() is there


def test_ctrl_c_acts_while_qt_waits_and_not_any_more_afterwards(qtbot):
    acted: list[bool] = []
    before = signal.getsignal(signal.SIGINT)
    interrupt = Interrupt(lambda: acted.append(True))
    os.kill(os.getpid(), signal.SIGINT)
    qtbot.waitUntil(lambda: bool(acted), timeout=5000)
    interrupt.end()
    assert acted == [True] and signal.getsignal(signal.SIGINT) is before


def test_ctrl_c_in_the_terminal_closes_the_window_in_order(tmp_path):
    environment = {**os.environ, "DUBBIN_HOME": str(tmp_path / "home"), "QT_QPA_PLATFORM": "offscreen"}
    code = "import sys; from dubbin.cli.main import main; sys.exit(main([]))"
    process = subprocess.Popen([sys.executable, "-c", code], env=environment, stderr=subprocess.PIPE, text=True)
    state, until = tmp_path / "home" / "state", time.monotonic() + 60
    while not list(state.rglob("*.jsonl")) and time.monotonic() < until:  # the journal of the episode that is open
        time.sleep(0.1)
    time.sleep(2.0)
    process.send_signal(signal.SIGINT)
    _, said = process.communicate(timeout=60)
    assert process.returncode == 0 and "Traceback" not in said, said
    assert not list(state.glob("**/journals/*.jsonl")), "no journal is left over"


def test_background_work_begins_also_where_a_library_can_not_be_had(monkeypatch):
    released = []

    def fail() -> None:
        raise ImportError("no such library")

    monkeypatch.setattr(app, "import_heavy", fail)
    with pytest.raises(ImportError):
        begin_work(lambda: released.append(True))
    assert released == [True]


def test_what_is_there_when_work_begins_is_not_looked_through_for_what_is_unused(monkeypatch):
    monkeypatch.setattr(app, "import_heavy", lambda: None)
    kept = [[] for _ in range(1000)]
    begin_work(lambda: None)
    assert not {id(one) for one in kept} & {id(one) for one in gc.get_objects()}


def test_what_is_brought_in_beforehand_is_there_when_work_begins():
    import_heavy()
    assert {"onnxruntime", "av", "dubbin.core.measure.click_kernels"} <= set(sys.modules)


def test_the_window_goes_first():
    interval, threshold = sys.getswitchinterval(), gc.get_threshold()
    try:
        go_first()
        assert sys.getswitchinterval() < 0.001 and gc.get_threshold()[2] > threshold[2]
    finally:
        sys.setswitchinterval(interval)
        gc.set_threshold(*threshold)
