"""A program of its own, since texts are looked up as modules are loaded: the window in a made-up language, and what of it is not in it."""

from __future__ import annotations

import json
import os
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QMenu, QTableWidget, QWidget

from dubbin.core import jobs
from dubbin.core.folders import user_folders
from dubbin.core.texts import use_language

# Units, names of standards and files, keys, and what the person wrote: the same in every language.
SAME = re.compile(
    r"[\d,:−+±%×–—… ()]|\.(breaks|chapters|notes|proof|transcript)?\.?(json|txt|md|html|pdf|srt|vtt|wav)|/\S+|\b(dB|dBFS|dBTP|LUFS|LU|Hz|kHz|ms|min|s|GB|MB|KB|kB|kbit|kbps|bit|ppm|MP3|M4A|WAV|FLAC|Opus|AAC|RT60|RMS|EQ|Q|M|S|I|Ø|A|Dubbin"
    r"|English|xx|Untitled episode|Press shortcut|host|guest|little|Host|Guest|Ctrl|Shift|Alt|Tab|F\d+|Space|Return|PgUp|PgDown|Del|Home|End|Left|Right|Up|Down|Ins|Backspace|Esc|Escape|Enter|wav|x)\b"
)


def texts_of(widget: QWidget) -> Iterator[str]:
    """What a widget shows or tells."""
    yield from (widget.toolTip(), widget.accessibleName(), widget.windowTitle())
    if isinstance(widget, (QLabel, QAbstractButton)):
        yield widget.text()
    if isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(k) for k in range(widget.count()))
    if isinstance(widget, QTableWidget):
        yield from (item.text() for k in range(widget.columnCount()) if (item := widget.horizontalHeaderItem(k)) is not None)


def english_in(text: str) -> str:
    """What is left of a text without what stands in ⟦⟧ (one in another, too, or cut short where it had no room) and what is the same in every language."""
    text = re.sub(r"⟦[^⟦⟧]*…(?![^⟦⟧]*⟧)", "", text)
    while "⟦" in text:
        less = re.sub(r"⟦[^⟦⟧]*⟧", "", text)
        if less == text:
            return text
        text = less
    text = re.sub(r"<[^>]*>|&", "", text)
    return text if re.search(r"[A-Za-z]{2,}", SAME.sub(" ", text)) else ""


def main(episode: str) -> None:
    """Open the window on an episode, step by step, and print what is English as a JSON list."""
    folders = user_folders()
    assert use_language(["xx"], (folders.translations,)) == "xx"
    app = QApplication([])
    jobs.BACKGROUND_NICENESS = 0  # here it is what is waited for
    from dubbin.core.episode.document import Document
    from dubbin.window.parts.theme import Theme
    from dubbin.window.player.sinks import SimulatedSink
    from dubbin.window.rooms import make_window
    from dubbin.window.shell.step import Step

    window = make_window(folders, Theme(app), Document.opened(folders.journals, Path(episode)), SimulatedSink(48000))
    window.speech.transcribing.automatic = False
    window.show()
    QTest.qWaitForWindowExposed(window)
    found: dict[str, str] = {}

    def look(where: str) -> None:
        for widget in app.allWidgets():
            if widget.window() not in (window, app.activeModalWidget()) and not isinstance(widget, QMenu):
                continue  # of a library, never shown
            for text in texts_of(widget):
                if english_in(text):
                    found.setdefault(text, f"{where}, {type(widget).__name__}")
            for action in widget.actions() if isinstance(widget, QMenu) and widget.parent() is not None else ():
                if english_in(action.text()):
                    found.setdefault(action.text(), f"{where}, menu")

    while window.jobs.live:
        QTest.qWait(50)
    for step in Step:
        window.go_step(step)
        QTest.qWait(200)
        while window.jobs.live:
            QTest.qWait(50)
        look(str(step))

    def look_at_dialog(where: str) -> None:
        dialog = app.activeModalWidget()
        if dialog is not None:
            look(where)
            dialog.close()

    for name in ("preferences", "shortcuts", "search"):
        QTimer.singleShot(300, lambda name=name: look_at_dialog(name))
        qaction = window.menus.by_id.get(name)
        if qaction is not None:
            qaction.trigger()
            QTest.qWait(500)
            look(name)
    print(json.dumps(sorted((where, text) for text, where in found.items())), flush=True)
    os._exit(0)  # without the window's farewells: nothing of it is kept


if __name__ == "__main__":
    main(sys.argv[1])
