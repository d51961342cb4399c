"""Hands that do anything that the window offers, in any order: actions, keys, clicks, drags, the wheel; after each, what must hold of the episode, holds.

`DUBBIN_SOAK=N` has them go on for N times as many steps; `DUBBIN_SEED=N` begins elsewhere.
"""

from __future__ import annotations

import random
import shutil
from collections.abc import Callable
from dataclasses import replace

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QColorDialog,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QMenu,
    QMessageBox,
    QScrollBar,
    QWidget,
)

from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import program_map
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.window.parts.action import ActionButton
from dubbin.window.shell.main_window import MainWindow
from dubbin.window.shell.step import Step
from tests.conftest import SEED, SOAK
from tests.core.holds import all_holds
from tests.window.conftest import drag, put_down, settle

STEPS = 120
ELSEWHERE = {
    "quit",
    "close",
    "new",
    "open",
    "open-demo",
    "open-folder",
    "open-recent",
    "open-backup",
    "recover",
    "save-as",
}  # they leave the episode
SLOW = {
    "transcribe",
    "split-speakers",
    "lanes-of-speakers",
    "run-card",
    "suggest-chapters",
}  # they hear the whole of it: tests of their own
KEYS = [
    *(
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Up,
        Qt.Key.Key_Down,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_PageUp,
        Qt.Key.Key_PageDown,
    ),
    *(Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Tab),
    *(Qt.Key(k) for k in range(Qt.Key.Key_A, Qt.Key.Key_Z + 1)),
]
HELD = [Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier]


@pytest.fixture
def episode_of_words(little_folder, tmp_path):
    """Two microphones whose words are known, with fillers among them."""
    shutil.copytree(little_folder, tmp_path / "little")
    path = tmp_path / "little" / "little.dubbin"
    episode = load_episode(path)
    rate, said = episode.rate, []
    for n, lane in enumerate(episode.lanes):
        words = [
            Word("um" if k % 6 == 4 else f"word{k}", round((1.0 * k + 0.5 * n) * rate), round((1.0 * k + 0.5 * n + 0.4) * rate),
                 WordKind.FILLER if k % 6 == 4 else WordKind.WORD)
            for k in range(28)
        ]  # fmt: skip
        said.append(Transcript(lane.id, tuple(words)))
    save_episode(replace(episode, transcripts=tuple(said)), path)
    return path


class Hands:
    """One person at the window; what was done stands in `done`."""

    def __init__(self, window: MainWindow, qtbot, path, seed: int) -> None:
        self.window, self.qtbot, self.path = window, qtbot, path
        self.pick = random.Random(seed)
        self.first = window.session.episode
        self.done: list[str] = []
        self.ways: list[tuple[int, Callable[[], str]]] = [
            (40, self.act),
            (8, self.key),
            (6, self.select),
            (6, self.move_head),
            (5, self.drag_lanes),
            (4, self.click_anywhere),
            (3, self.wheel),
            (3, self.change_step),
            (8, self.use_control),
            (3, self.drag_words),
            (4, self.undo_or_redo),
            (1, self.save),
        ]

    def step(self) -> None:
        ways = [way for weight, way in self.ways for _ in range(weight)]
        self.done.append(self.pick.choice(ways)())
        with open(self.path.with_name("walk.txt"), "a") as f:  # what was done before a crash of the whole program
            f.write(f"{self.done[-1]}\n")

    # -- what hands do ------------------------------------------------------------------

    def act(self) -> str:
        offered = [a for a in self.window.actions_by_id if a.id not in ELSEWHERE | SLOW and a.enabled()]
        action = self.pick.choice(offered)
        entries = action.submenu() if action.submenu is not None and self.pick.random() < 0.5 else []
        if entries and not action.id.startswith(("open", "recover")):
            self.pick.choice(entries)[1]()
        else:
            action.run()
        return action.id

    def key(self) -> str:
        widget = self.pick.choice([self.window.lanes, self.window.words_pane.words])
        key, held = self.pick.choice(KEYS), self.pick.choice(HELD)
        QTest.keyClick(widget, key, held)
        return f"key {key.name} {held.name} on {type(widget).__name__}"

    def frame(self) -> int:
        episode = self.window.session.episode
        edges = [f for cut in episode.cuts for f in (cut.start_frame, cut.end_frame)] or [0]
        return self.pick.choice([self.pick.randrange(max(episode.frames, 1)), self.pick.choice(edges), 0, max(episode.frames - 1, 0)])

    def select(self) -> str:
        rows = len(self.window.speech.table.words)
        if rows and self.pick.random() < 0.4:
            first = self.pick.randrange(rows)
            self.window.words_pane.words.select_rows(list(range(first, min(first + self.pick.randrange(1, 5), rows))))
            return f"words from {first}"
        start = self.frame()
        self.window.selection.select(start, min(start + self.pick.randrange(1, 5 * 48000), self.window.session.episode.frames))
        return f"range {self.window.selection.range}"

    def move_head(self) -> str:
        self.window.navigation.go(self.frame())
        return f"head {self.window.selection.head}"

    def place(self, widget: QWidget) -> QPoint:
        return QPoint(self.pick.randrange(max(widget.width(), 1)), self.pick.randrange(max(widget.height(), 1)))

    def drag_lanes(self) -> str:
        lanes = self.window.lanes
        start, end = self.place(lanes), self.place(lanes)
        held = self.pick.choice(HELD)
        QTest.mousePress(lanes, Qt.MouseButton.LeftButton, held, start)
        for k in range(1, 4):
            QTest.mouseMove(lanes, start + (end - start) * k / 3)
        if self.pick.random() < 0.2:
            QTest.keyClick(lanes, Qt.Key.Key_Escape)
        QTest.mouseRelease(lanes, Qt.MouseButton.LeftButton, held, end)
        return f"drag {start.x()},{start.y()} to {end.x()},{end.y()} {held.name}"

    def click_anywhere(self) -> str:
        window = self.window
        widget = self.pick.choice([window.lanes, window.words_pane.words, window.overview, window.lane_heads])
        button = self.pick.choice([Qt.MouseButton.LeftButton, Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton])
        at = self.place(widget)
        (QTest.mouseDClick if self.pick.random() < 0.3 else QTest.mouseClick)(widget, button, Qt.KeyboardModifier.NoModifier, at)
        return f"click {button.name} {at.x()},{at.y()} on {type(widget).__name__}"

    def wheel(self) -> str:
        lanes, turn = self.window.lanes, self.pick.choice([-240, -120, 120, 240])
        held = self.pick.choice([Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier])
        at = QPointF(self.place(lanes))
        event = QWheelEvent(
            at, lanes.mapToGlobal(at), QPoint(), QPoint(0, turn), Qt.MouseButton.NoButton, held, Qt.ScrollPhase.NoScrollPhase, False
        )
        QApplication.sendEvent(lanes, event)
        return f"wheel {turn} {held.name}"

    def change_step(self) -> str:
        step = self.pick.choice(list(Step))
        self.window.go_step(step)
        return f"step {step.value}"

    def drag_words(self) -> str:
        """Over words, as one selects or moves them."""
        words = self.window.words_pane.words
        start, end = self.place(words), self.place(words)
        drag(words, (start.x(), start.y()), (end.x(), end.y()))
        return f"drag words {start.x()},{start.y()} to {end.x()},{end.y()}"

    def use_control(self) -> str:
        """One of the controls on the card, as it is used: pressed, turned, chosen."""
        kinds = (QAbstractButton, QAbstractSlider, QAbstractSpinBox, QComboBox)
        found = [w for kind in kinds for w in self.window.card_panel.findChildren(kind) if w.isVisible() and w.isEnabled()]
        found = [w for w in found if not isinstance(w, QScrollBar)]
        if not found:
            return "no control"
        widget = self.pick.choice(found)
        name = f"{type(widget).__name__} {widget.accessibleName() or getattr(widget, 'text', str)()}"
        if isinstance(widget, QAbstractButton):
            if widget.text() in ("Transcribe", "Stop") or (isinstance(widget, ActionButton) and widget.id in ELSEWHERE | SLOW):
                return f"not {name}"
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
        elif isinstance(widget, QAbstractSlider):
            widget.setValue(self.pick.randint(widget.minimum(), widget.maximum()))
        elif isinstance(widget, QAbstractSpinBox):
            widget.stepBy(self.pick.choice([-10, -1, 1, 10]))
            widget.editingFinished.emit()
        elif isinstance(widget, QComboBox) and widget.count():
            widget.setCurrentIndex(self.pick.randrange(widget.count()))
            widget.activated.emit(widget.currentIndex())
        return f"use {name}"

    def undo_or_redo(self) -> str:
        id = self.pick.choice(["undo", "redo"])
        action = self.window.actions_by_id[id]
        if action.enabled():
            action.run()
        return id

    def save(self) -> str:
        self.window.actions_by_id["save"].run()
        return "save"

    # -- what must hold -----------------------------------------------------------------

    def look(self) -> None:
        """After each step."""
        window, episode = self.window, self.window.session.episode
        all_holds(episode, self.first)
        selection = window.selection
        assert selection.head >= 0
        if selection.range is not None:
            assert selection.range[0] != selection.range[1]
        table, rows = window.speech.table, list(selection.rows)
        assert all(0 <= row < len(table) for row in rows)
        if rows:
            spans = [(table.starts[r], table.ends[r]) for r in rows]
            assert spans == list(selection.spans or spans) and (
                selection.spans or selection.range == (spans[0][0], max(end for _, end in spans))
            )
        assert selection.cut is None or selection.cut in episode.cuts
        assert selection.placed is None or any(p.id == selection.placed for p in episode.placed)
        assert window.session.document.episode is window.session.document.history.episode, "no preview is left behind"

    def close_dialogs(self) -> None:
        for other in QApplication.topLevelWidgets():
            if other is not self.window and other.isVisible() and isinstance(other, QDialog | QMenu):
                other.close()


@pytest.fixture
def no_dialog_waits(monkeypatch):
    """What asks is answered with no, so that hands go on; what was asked is kept."""
    asked: list[str] = []

    def refuse(dialog, *_):
        asked.append(type(dialog).__name__)
        return 0

    monkeypatch.setattr(QDialog, "exec", refuse)
    monkeypatch.setattr(QMenu, "exec", lambda *_: None)
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: ([], ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: "")
    for name, none in (("getText", ("", False)), ("getDouble", (0.0, False)), ("getInt", (0, False)), ("getItem", ("", False))):
        monkeypatch.setattr(QInputDialog, name, lambda *_, none=none, **__: none)
    for name in ("about", "information", "warning", "critical", "question"):
        monkeypatch.setattr(QMessageBox, name, lambda *_, **__: QMessageBox.StandardButton.Cancel)
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_, **__: None)
    return asked


@pytest.mark.parametrize("seed", range(SEED, SEED + SOAK))
def test_whatever_hands_do_what_must_hold_holds(qtbot, shared_window, episode_of_words, no_dialog_waits, seed):
    window = shared_window
    put_down(qtbot, window, episode_of_words)
    hands = Hands(window, qtbot, episode_of_words, seed)
    try:
        for k in range(STEPS):
            hands.step()
            QTest.qWait(1)
            hands.close_dialogs()
            hands.look()
            if k % 20 == 19:
                window.grab()
        settle(qtbot, window)
        there_and_back(window)
        assert window.files.save_now()
        assert load_episode(episode_of_words) == window.session.document.episode, "file and window are the same"
    except BaseException:
        print(f"seed {seed}:", *hands.done, sep="\n  ")
        raise
    finally:
        window.player.stop()
        window.showNormal()


def there_and_back(window: MainWindow) -> None:
    """All undone is how it began; all done again is how it was."""
    document = window.session.document
    steps, before = len(document.history.done), document.episode
    seen: list[Episode] = [before]
    while window.actions_by_id["undo"].enabled():
        window.actions_by_id["undo"].run()
        seen.append(document.episode)
    for expected in reversed(seen[:-1]):
        window.actions_by_id["redo"].run()
        assert document.episode == expected
        assert program_map(document.episode).spans == program_map(expected).spans
    assert document.episode == before and len(document.history.done) == steps
