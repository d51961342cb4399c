"""How long the window takes for what an engineer does hundreds of times an hour, on an hour of two microphones: a cut, a scroll, a setting;
and how many frames a second the lanes draw over three hours."""

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
LONG_HOURS = 3
FRAMES = 90  # of a glide through the long recording
REPEATS = 12
Row = tuple[str, str]


def rows() -> list[Row]:
    """Median and worst milliseconds, offscreen, painting included."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as home:
        os.environ["DUBBIN_HOME"] = home
        return _made(Path(home)) + _meter() + _measure(Path(home)) + _glide(Path(home))


def _made(home: Path) -> list[Row]:
    """Processor time of the window's thread until an empty window stands and is painted, and until it has the other colours."""
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from dubbin.core.folders import user_folders
    from dubbin.window.parts.theme import Theme
    from dubbin.window.player.sinks import SimulatedSink
    from dubbin.window.rooms import make_window

    theme = Theme(QApplication.instance() or QApplication([]))  # type: ignore[arg-type]
    stands, dressed = [], []
    for _ in range(4):
        started = time.thread_time()
        window = make_window(user_folders(), theme, None, SimulatedSink(RATE))
        window.show()
        QTest.qWait(50)
        stands.append(time.thread_time() - started)
        started = time.thread_time()
        theme.set_night(not theme.colours.dark)
        QTest.qWait(50)
        dressed.append(time.thread_time() - started)
        _close(window)
    return [
        ("an empty window made, styled and painted", f"{min(stands[1:]):.2f} s"),
        ("day to night, or back, of an empty window", f"{min(dressed[1:]):.2f} s"),
    ]


def _meter() -> list[Row]:
    """What the meter of what plays takes, before and after an hour of playing."""
    from dubbin.core.measure.live import LiveMeter

    second = (0.05 * np.random.default_rng(1).standard_normal((2, RATE))).astype(np.float32)
    meter, took, block = LiveMeter(RATE, 2), [], RATE // 50
    meter.push(4 * second)  # as in speech the peak stands, and most of what follows can't reach it
    for seconds in (0, HOUR_S):
        for _ in range(seconds):
            meter.push(second)
        started = time.thread_time()
        for k in range(50):
            meter.push(second[:, k * block : (k + 1) * block])
        took.append(f"{1000 * (time.thread_time() - started) / 50:.1f}")
    return [("the meter of what plays, for each 20 ms, at once, after an hour", f"{', '.join(took)} ms")]


def _episode(home: Path, hours: int = 1):  # type: ignore[no-untyped-def]
    import soundfile as sf

    from dubbin.core.episode.commands.recordings import add_recordings
    from dubbin.core.episode.document import new_episode
    from dubbin.core.episode.importing import import_file
    from dubbin.core.episode.model import Role
    from dubbin.core.folders import user_folders
    from dubbin.core.sound.working_copy import WorkingCopies
    from dubbin.core.speech.transcript import Transcript, Word
    from dubbin.demo.recordings import build_sounds

    sounds = build_sounds()
    folders = user_folders()
    copies, lanes, recordings = WorkingCopies(folders.copies), [], []
    length = len(sounds.recorded["ines"])
    times = hours * HOUR_S * RATE // length
    for voice, x in sounds.recorded.items():
        path = home / f"{voice}.wav"
        with sf.SoundFile(path, "w", RATE, 1, "PCM_16") as f:
            for _ in range(times):
                f.write(x)
        taken = import_file(path, copies, RATE)
        recordings.append(taken.recording)
        lanes.append(replace(taken.lanes[0], role=Role.VOICE, voice=voice.title(), id=voice))
    episode = add_recordings(new_episode(), recordings, lanes).episode
    transcripts = []
    for voice in sounds.recorded:
        said = [w for w in sounds.truth.words if w.voice == voice]
        words = [Word(w.text, round(w.start_s * RATE) + k * length, round(w.end_s * RATE) + k * length) for k in range(times) for w in said]
        transcripts.append(Transcript(voice, tuple(words), "en", "benchmark"))
    return folders, replace(episode, transcripts=tuple(transcripts))


def _open(home: Path, hours: int):  # type: ignore[no-untyped-def]
    """(application, window, settle): the window on so many hours, and a function that waits until it has done its work."""
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from dubbin.core.episode.document import Document
    from dubbin.core.episode.file import save_episode
    from dubbin.window.parts.theme import Theme
    from dubbin.window.player.sinks import SimulatedSink
    from dubbin.window.rooms import make_window

    application = QApplication.instance() or QApplication([])
    folders, episode = _episode(home, hours)
    save_episode(episode, home / "long.dubbin")
    window = make_window(folders, Theme(application), Document.opened(folders.journals, home / "long.dubbin"), SimulatedSink(RATE))  # type: ignore[arg-type]
    window.speech.transcribing.automatic = False
    window.resize(1280, 800)
    window.show()

    def settle() -> None:
        QTest.qWait(200)
        while window.jobs.live:
            QTest.qWait(50)
        QTest.qWait(100)

    settle()
    return application, window, settle


def _close(window) -> None:  # type: ignore[no-untyped-def]
    window.shut_down()
    window.hide()


def _glide(home: Path) -> list[Row]:
    """Frames drawn one after the other while the lanes of three hours scroll and zoom; what is drawn in the background goes on beside."""
    from dubbin.window.lanes.lane_pictures import Picture
    from dubbin.window.shell.step import Step

    application, window, settle = _open(home, LONG_HOURS)
    window.go_step(Step.REPAIR)
    settle()
    out = []
    for picture in Picture:
        window.lanes.pictures.set_picture(picture)
        for name, span_s in (("half a minute wide", 30), ("half an hour wide", 1800)):
            window.view.show_range(3600 * RATE, (3600 + span_s) * RATE)
            settle()
            for act, step in (
                ("scrolls", lambda k: window.view.scroll(12.0)),
                ("zooms", lambda k: window.view.zoom(0.97 if k % 60 < 30 else 1 / 0.97, 500.0)),
            ):
                took = []
                for k in range(FRAMES):
                    started = time.perf_counter()
                    step(k)
                    window.lanes.repaint()
                    took.append(time.perf_counter() - started)
                    application.processEvents()
                figure = f"{1 / np.mean(took):.0f} frames a second, the slowest in twenty takes {1000 * np.quantile(took, 0.95):.0f} ms"
                out.append((f"two lanes of {LONG_HOURS} h as {picture.value}, {name}, {act}", figure))
    _close(window)
    return out


def _measure(home: Path) -> list[Row]:
    from dubbin.core.episode.commands.lanes import name_voice
    from dubbin.core.episode.commands.markers import add_marker
    from dubbin.core.episode.commands.words import correct_word
    from dubbin.window.shell.step import Step

    application, window, settle = _open(home, 1)
    window.go_step(Step.EDIT)
    settle()
    window.pages[Step.EDIT].acts.pausing.toggle_all()
    settle()
    words = len(window.speech.table)
    rate, out = RATE, []
    what = f"{words} words, {len(window.session.episode.cuts)} cuts"

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

    timed(
        "a cut by hand",
        lambda k: window.selection.select((100 + 97 * k) * rate, (101 + 97 * k) * rate),
        lambda k: window.pages[Step.EDIT].acts.cutting.cut(),
    )
    timed("undo", lambda k: None, lambda k: window.session.document.undo())
    window.view.show_range(1000 * rate, 1060 * rate)
    timed("a scroll of the lanes", lambda k: None, lambda k: window.view.scroll(40.0))
    timed("a zoom of the lanes", lambda k: None, lambda k: window.view.zoom(0.8 if k % 2 else 1.25))
    window.view.show_all()
    for k, name in enumerate(("longer than", "leave before")):
        field = list(window.pages[Step.EDIT].pauses.form.fields.values())[1 + k]
        timed(f"a pause setting ({name})", lambda k: None, lambda k, f=field: f.setValue(f.value() + 0.05))  # type: ignore[misc]
    timed("a step of the play head", lambda k: None, lambda k: window.navigation.go((500 + k) * rate))
    session, lane = window.session, window.session.episode.lanes[0].id
    timed("a word corrected", lambda k: None, lambda k: session.do(correct_word(session.episode, lane, 100 + 90 * k, f"other{k}")))
    timed("a voice named", lambda k: None, lambda k: session.do(name_voice(session.episode, lane, f"Voice {k}")))
    timed("a marker set", lambda k: None, lambda k: session.do(add_marker(session.episode, (700 + k) * rate, f"marker {k}")))
    timed("a letter typed into the search", lambda k: None, lambda k: window.words_pane.field.setText("the bell"[: 1 + k % 8]))
    window.words_pane.field.clear()
    _close(window)
    return out
