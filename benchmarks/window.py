"""How long the window takes for what an engineer does hundreds of times an hour, on an hour of two microphones: a cut, a scroll, a setting."""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from scores import RATE

HOUR_S = 3600
REPEATS = 12
Row = tuple[str, str]


def rows() -> list[Row]:
    """Median and worst milliseconds, offscreen, painting included."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as home:
        os.environ["DUBBIN_HOME"] = home
        return _measure(Path(home))


def _episode(home: Path):  # type: ignore[no-untyped-def]
    import soundfile as sf

    from dubbin.core.episode.commands import add_recordings
    from dubbin.core.episode.document import new_episode
    from dubbin.core.episode.intake import take_in
    from dubbin.core.episode.model import Role
    from dubbin.core.folders import user_folders
    from dubbin.core.sound.working_copy import WorkingCopies
    from dubbin.core.speech.transcript import Transcript, Word
    from dubbin.demo.recordings import build_sounds

    sounds = build_sounds()
    folders = user_folders()
    copies, lanes, recordings = WorkingCopies(folders.copies), [], []
    length = len(sounds.recorded["ines"])
    times = HOUR_S * RATE // length
    for voice, x in sounds.recorded.items():
        path = home / f"{voice}.wav"
        with sf.SoundFile(path, "w", RATE, 1, "PCM_16") as f:
            for _ in range(times):
                f.write(x)
        taken = take_in(path, copies, RATE)
        recordings.append(taken.recording)
        lanes.append(replace(taken.lanes[0], role=Role.VOICE, voice=voice.title(), id=voice))
    episode = add_recordings(new_episode(), recordings, lanes).episode
    transcripts = []
    for voice in sounds.recorded:
        said = [w for w in sounds.truth.words if w.voice == voice]
        words = [
            Word(w.text, round(w.start_s * RATE) + k * length, round(w.end_s * RATE) + k * length) for k in range(times) for w in said
        ]
        transcripts.append(Transcript(voice, tuple(words), "en", "benchmark"))
    return folders, replace(episode, transcripts=tuple(transcripts))


def _measure(home: Path) -> list[Row]:
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from dubbin.core.episode.document import Document
    from dubbin.core.episode.file import save_episode
    from dubbin.window.main_window import MainWindow
    from dubbin.window.player.sinks import SimulatedSink
    from dubbin.window.steps import Step
    from dubbin.window.theme import Theme

    application = QApplication.instance() or QApplication([])
    folders, episode = _episode(home)
    save_episode(episode, home / "hour.dubbin")
    window = MainWindow(folders, Theme(application), Document.opened(folders.journals, home / "hour.dubbin"), SimulatedSink(RATE))  # type: ignore[arg-type]
    window.speech.automatic = False
    window.resize(1280, 800)
    window.show()

    def settle() -> None:
        QTest.qWait(200)
        while window.jobs.live:
            QTest.qWait(50)
        QTest.qWait(100)

    settle()
    window.go_step(Step.EDIT)
    settle()
    window.editing.toggle_all_pauses()
    settle()
    words = len(window.speech.table)
    rate, out = RATE, []
    what = f"{words} words, {len(window.desk.episode.cuts)} cuts"

    def timed(name: str, prepare: Callable[[int], None], act: Callable[[int], None]) -> None:
        took = []
        for k in range(REPEATS):
            prepare(k)
            application.processEvents()
            started = time.perf_counter()
            act(k)
            application.processEvents()  # what the act asked to be painted
            took.append(1000 * (time.perf_counter() - started))
        out.append((f"{name}, {what}", f"median {np.median(took):.0f} ms, worst {max(took):.0f} ms"))

    timed("a cut by hand", lambda k: window.selection.select((100 + 97 * k) * rate, (101 + 97 * k) * rate), lambda k: window.editing.cut())
    timed("undo", lambda k: None, lambda k: window.desk.document.undo())
    window.view.show_range(1000 * rate, 1060 * rate)
    timed("a scroll of the lanes", lambda k: None, lambda k: window.view.scroll(40.0))
    timed("a zoom of the lanes", lambda k: None, lambda k: window.view.zoom(0.8 if k % 2 else 1.25))
    window.view.show_all()
    for k, name in enumerate(("longer than", "leave before")):
        field = list(window.pages[Step.EDIT].form.fields.values())[1 + k]
        timed(f"a pause setting ({name})", lambda k: None, lambda k, f=field: f.setValue(f.value() + 0.05))  # type: ignore[misc]
    timed("a step of the play head", lambda k: None, lambda k: window.editing.go((500 + k) * rate))
    window.player.close()
    window.jobs.close()
    window.desk.close()
    window.hide()
    return out
