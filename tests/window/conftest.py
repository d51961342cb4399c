"""A real window on a real episode, and hands that act as a person would."""

from __future__ import annotations

import gc
import os
import shutil
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest
import soundfile as sf
from PyQt6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from dubbin.core import jobs
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound import working_copy
from dubbin.core.sound.reading import SoundInfo
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.lanes.lane_pictures import Picture
from dubbin.window.parts.collector import Collector
from dubbin.window.parts.theme import Theme
from dubbin.window.player.sinks import SimulatedSink
from dubbin.window.rooms import make_window
from dubbin.window.shell import saver
from dubbin.window.shell.main_window import MainWindow
from dubbin.window.shell.step import Step
from tests.conftest import RATE, made_once

LONG_MS = 300_000  # on a machine that others use too
SHARED = pytest.StashKey[MainWindow]()


@pytest.fixture(scope="session")
def theme(qapp) -> Theme:
    """One for all: every new one styles all widgets anew."""
    return Theme(qapp)


@pytest.fixture(autouse=True, scope="module")
def at_eye_level() -> Iterator[None]:
    """Work in the background is what tests wait for: here it lets neither everything else on the machine nor the window go first."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(jobs, "BACKGROUND_NICENESS", 0)
        patch.setattr(jobs, "pause_if_asked", lambda: None)
        yield


@pytest.fixture(scope="session")
def warm_cache(among_all) -> Path:
    """What was measured of the episodes that many tests open: they are the same sound, and all processes of a run look here."""
    (among_all / "warm").mkdir(exist_ok=True)
    return among_all / "warm"


@pytest.fixture(autouse=True)
def patience(monkeypatch) -> None:
    """Nobody is asked whether to wait for a save because a machine that tests is slow."""
    monkeypatch.setattr(saver, "PATIENCE_MS", LONG_MS)


FINGERPRINTS: dict[tuple[int, ...], str] = {}
LOOKS: dict[tuple[int, ...], SoundInfo] = {}


def standing(path: Path) -> tuple[int, ...]:
    status = path.stat()
    return status.st_dev, status.st_ino, status.st_size, status.st_mtime_ns


@pytest.fixture(autouse=True)
def known_files(monkeypatch) -> None:
    """What many tests open is looked through once: a file that stands as it did is the same, also where it has another link."""
    real_fingerprint, real_look = working_copy.fingerprint_of, working_copy.look

    def fingerprint_of(path: Path, task: Task | None = None) -> str:
        key = standing(path)
        if key not in FINGERPRINTS:
            FINGERPRINTS[key] = real_fingerprint(path, task)
        return FINGERPRINTS[key]

    def look(path: Path) -> SoundInfo:
        key = standing(path)
        if key not in LOOKS:
            LOOKS[key] = real_look(path)
        return replace(LOOKS[key], path=path)

    monkeypatch.setattr(working_copy, "fingerprint_of", fingerprint_of)
    monkeypatch.setattr(working_copy, "look", look)


@pytest.fixture(autouse=True, scope="module")
def collector(request, qapp) -> Iterator[None]:
    """As in the program: windows are not taken apart by threads that work. Not by those that go on for a moment after a test, nor by the one that hears what the next one is."""
    collector = Collector()
    yield
    shared = request.config.stash.get(SHARED, None)
    if shared is not None:
        shared.jobs.cancel_all()
        wait_for(lambda: not shared.jobs.live)
    gc.collect()
    gc.freeze()  # what is left stays: the next module's end need not look through it again
    collector.end()


def wait_for(is_so: Callable[[], bool], patience_s: float = 60.0) -> None:
    """Let the window work until something is so; for what is not within a test."""
    end = time.monotonic() + patience_s
    while not is_so() and time.monotonic() < end:
        QTest.qWait(5)


@pytest.fixture(autouse=True)
def nothing_stays_on_the_screen(request, qapp) -> Iterator[None]:
    """A dialog, a menu or a window that a test leaves behind is told, and nobody waits any more for work that it has begun."""
    yield
    shared = request.config.stash.get(SHARED, None)
    if shared is not None:
        shared.jobs.cancel_all()
    left = [w for w in QApplication.topLevelWidgets() if w is not shared and w.isVisible()]
    for widget in left:
        widget.close()
    assert not left, f"left on the screen: {left}"


@pytest.fixture
def open_window(request, qtbot, theme, folders, warm_cache) -> Iterator[Callable[..., MainWindow]]:
    windows, threads = [], set(threading.enumerate())

    def make(path=None, *, cold: bool = False, settles: bool = True) -> MainWindow:
        """cold: with the test's own cache, in which nothing is known yet. settles: work in the background comes to an end."""
        document = Document.opened(folders.journals, path) if path else None
        window = make_window(folders if cold else replace(folders, cache=warm_cache), theme, document, SimulatedSink(48000))
        window.speech.transcribing.automatic = False  # words are written down only where a test asks for them
        windows.append(window)
        window.show()
        qtbot.waitExposed(window)
        if settles:
            settle(qtbot, window)
        return window

    yield make
    for window in windows:
        put_away(window)
    if "shared_window" not in request.fixturenames:  # which may have begun work of its own meanwhile
        qtbot.waitUntil(lambda: set(threading.enumerate()) <= threads, timeout=10_000)


def put_away(window: MainWindow) -> None:
    """Delete a window now, on this thread: what is only garbage may be collected on any other, and Qt does not survive that."""
    window.shut_down()
    window.hide()
    window.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(scope="session")
def shared_window(request, theme, tmp_path_factory, warm_cache) -> Iterator[MainWindow]:
    """One window for the tests of many files: what it measured need not be measured again. `put_down` gives it a fresh episode."""
    base = tmp_path_factory.mktemp("shared")
    folders = Folders(warm_cache, base / "state", base / "documents")
    window = make_window(folders, theme, None, SimulatedSink(48000))
    window.speech.transcribing.automatic = False
    window.show()
    request.config.stash[SHARED] = window
    yield window
    put_away(window)


def put_down(qtbot, window: MainWindow, path: Path | None) -> None:
    """Put an episode as it is on disk, or a new one, onto a window's session, with nothing left of what was done before."""
    settle(qtbot, window)
    window.player.stop()
    window.playing.set_speed(1.0)
    window.preferences.set("sizes", {})
    window.notices.hide()
    window.activateWindow()  # another test's window may have had the keys
    qtbot.waitUntil(window.isActiveWindow)
    monitor = window.session.monitor
    monitor.set_mode(MonitorMode.TREATED)
    monitor.set_matched(False)
    monitor.hear_master(None)
    window.theme.set_night(False)
    if window.playing.loop:
        window.playing.toggle_loop()
    window.lanes.pictures.set_picture(Picture.WAVES)
    window.go_step(Step.INTAKE)
    window.preferences.set("places", {})
    window.words_pane.field.clear()
    window.words_pane.words.set_size(17)
    window.session.document.path = None  # so that where one was in it is not remembered
    journals = window.session.folders.journals
    window.set_document(Document(journals, load_episode(path), path) if path else Document(journals))
    window.view.set_folded(False)
    window.view.show_all()
    window.lanes.setFocus()
    settle(qtbot, window)


EXCERPT_S = 60


@pytest.fixture(scope="session")
def short_demo(demo_folder, among_all):
    """The first part of the demo, so that measuring it does not take long."""
    return made_once(among_all / "short", lambda folder: make_excerpt(demo_folder, folder))


def make_excerpt(demo_folder: Path, folder: Path, seconds: int = EXCERPT_S) -> None:
    for path in demo_folder.glob("*.wav"):
        x, rate = sf.read(path, frames=seconds * RATE, dtype="float32")
        sf.write(folder / path.name, x, rate, subtype="PCM_24")
    shutil.copy(demo_folder / "harbour-theme.flac", folder)
    whole = load_episode(demo_folder / EPISODE_FILE)
    copies = WorkingCopies(folder / "cache")
    taken = [import_file(folder / Path(r.path).name, copies, whole.rate).recording for r in whole.recordings]
    recordings = tuple(replace(t, id=r.id) for t, r in zip(taken, whole.recordings, strict=True))
    save_episode(replace(whole, recordings=recordings), folder / EPISODE_FILE)
    shutil.rmtree(folder / "cache")


@pytest.fixture
def demo(short_demo, tmp_path):
    """An excerpt of the demo, of one's own; its recordings are links, which nobody may write into."""
    shutil.copytree(short_demo, tmp_path / "demo", copy_function=lambda a, b: (shutil.copy if a.endswith(".dubbin") else os.link)(a, b))
    return tmp_path / "demo" / EPISODE_FILE


@pytest.fixture
def window(qtbot, shared_window, demo) -> MainWindow:
    """The shared window with an excerpt of the demo of one's own."""
    put_down(qtbot, shared_window, demo)
    return shared_window


@pytest.fixture
def empty_window(qtbot, shared_window) -> MainWindow:
    """The shared window with a new episode."""
    put_down(qtbot, shared_window, None)
    return shared_window


@pytest.fixture
def little_window(qtbot, shared_window, little) -> MainWindow:
    """The shared window with the small episode that is at `little`."""
    put_down(qtbot, shared_window, little)
    return shared_window


def settle(qtbot, window: MainWindow) -> None:
    """Until no background work is left."""
    qtbot.waitUntil(lambda: not window.jobs.live and not window.files.saver.is_busy and not window.speech.is_looking, timeout=LONG_MS)
    QTest.qWait(10)


def drag(widget: QWidget, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Press at one point, move in steps, release at another."""
    a, b = (QPoint(round(x), round(y)) for x, y in (start, end))
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=a)
    for k in range(1, 6):
        QTest.mouseMove(widget, a + (b - a) * k / 5)
        QTest.qWait(1)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=b)
