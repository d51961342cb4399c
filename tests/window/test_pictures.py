"""What is painted by hand looks as it was approved, by day and by night: lanes, words, steps, overview, heads of lanes.

`DUBBIN_APPROVE=1` writes the approved pictures anew (tests/window/approved); look at them before they are committed.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.markers import add_chapter, add_marker
from dubbin.window.lanes.lane_pictures import Picture
from dubbin.window.shell.main_window import MainWindow
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.conftest import put_down, settle
from tests.window.test_window_walk import episode_of_words  # noqa: F401

APPROVED = Path(__file__).parent / "approved"
SMALLER = 3  # pictures are compared at a third of their size: what matters is seen there, and the edges of letters do not
MOST_APART, MOST_SHARE = 20, 0.004  # of 255, and how many may be further apart than that
VIEWS: dict[str, Callable[[MainWindow], QWidget]] = {
    "lanes": lambda w: w.lanes,
    "words": lambda w: w.words_pane.words,
    "steps": lambda w: w.steps,
    "overview": lambda w: w.overview,
    "heads": lambda w: w.lane_heads,
}


@pytest.fixture
def window(qtbot, shared_window, episode_of_words):  # noqa: F811
    """Half a minute with words, two cuts, a marker and a chapter, on the Edit step."""
    window = shared_window
    put_down(qtbot, window, episode_of_words)
    window.resize(1280, 800)
    window.go_step(Step.EDIT)
    session = window.session
    session.do(cut_stretch(session.episode, 4 * RATE, 6 * RATE))
    session.do(cut_stretch(session.episode, 15 * RATE, round(15.6 * RATE)))
    session.do(add_marker(session.episode, 9 * RATE, "Look here"))
    session.do(add_chapter(session.episode, 18 * RATE, "The second part"))
    window.navigation.go(11 * RATE)
    window.selection.select(20 * RATE, 22 * RATE)
    settle(qtbot, window)
    window.words_pane.words.verticalScrollBar().setValue(0)  # it follows the head from wherever it was
    return window


def picture_of(widget: QWidget) -> np.ndarray:
    """What a widget looks like, smaller: (rows, columns, 3), 0 to 255."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    size = image.size() / image.devicePixelRatio() / SMALLER
    return array_of(image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation))


def array_of(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].astype(int)


def compare(name: str, found: np.ndarray, tmp_path: Path) -> None:
    path = APPROVED / f"{name}.png"
    shown = np.ascontiguousarray(np.dstack([found, np.full(found.shape[:2], 255)]).astype(np.uint8))
    image = QImage(shown.tobytes(), found.shape[1], found.shape[0], QImage.Format.Format_RGB32)
    if os.environ.get("DUBBIN_APPROVE"):
        APPROVED.mkdir(exist_ok=True)
        assert image.save(str(path))
        return
    image.save(str(tmp_path / f"{name}.png"))
    approved = array_of(QImage(str(path)))
    assert found.shape == approved.shape, f"{tmp_path / name}.png has another size"
    apart = np.abs(found - approved).max(axis=2) > MOST_APART
    assert apart.mean() <= MOST_SHARE, f"{apart.mean():.1%} of {tmp_path / name}.png look different"


@pytest.mark.parametrize("night", [False, True], ids=["day", "night"])
@pytest.mark.parametrize("view", VIEWS)
def test_it_looks_as_it_was_approved(window, tmp_path, view, night):
    window.theme.set_night(night)
    window.words_pane.words.lay_out()  # to the end, however slow the machine is: how long it is shows at its side
    compare(f"{view}-{'night' if night else 'day'}", picture_of(VIEWS[view](window)), tmp_path)


@pytest.mark.parametrize("picture", [Picture.SPECTROGRAM, Picture.BOTH])
def test_spectrograms_look_as_they_were_approved(window, qtbot, tmp_path, picture):
    window.lanes.pictures.set_picture(picture)
    window.grab()
    settle(qtbot, window)
    qtbot.waitUntil(lambda: not any(window.jobs.is_busy(("spectrogram", lane.id)) for lane in window.session.episode.lanes))
    compare(f"lanes-{picture.value}", picture_of(window.lanes), tmp_path)


def test_folded_cuts_look_as_they_were_approved(window, qtbot, tmp_path):
    window.view.set_folded(True)
    settle(qtbot, window)
    compare("lanes-folded", picture_of(window.lanes), tmp_path)


def test_a_difference_is_seen(window, tmp_path):
    """A cut more is another picture."""
    if os.environ.get("DUBBIN_APPROVE"):
        pytest.skip("pictures are being approved")
    window.session.do(cut_stretch(window.session.episode, 24 * RATE, 25 * RATE))
    with pytest.raises(AssertionError, match="look different"):
        compare("lanes-day", picture_of(window.lanes), tmp_path)
