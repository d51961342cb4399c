"""How long the window is held on an hour of two microphones: the longest time between two turns of its event loop, act by act, with background work
going on beside.

A machine that is shared stands still now and then, one of its cores or all: a program on each core that does nothing but look at the clock tells when,
and that is taken off."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from collections import Counter
from pathlib import Path
from typing import Any

from sampling import IDLE
from scores import RATE

Row = tuple[str, str]
BEAT_MS = 2
HELD_S = 0.04  # from which on it counts as held
DEPTH = 5  # functions of a place where it was held
STOOD_S = 0.01  # from which on the machine stood still
NOTED_S = 0.01  # shorter gaps are no news, and looking through them all would hold the window itself
CONTROL_NICE = -10  # before all else where that is allowed: it is to wait for the machine, not for its turn
CONTROL = f"""
import os, sys, time
os.sched_setaffinity(0, [int(sys.argv[1])])
try:
    os.setpriority(os.PRIO_PROCESS, 0, {CONTROL_NICE})
except PermissionError:
    pass
last = time.perf_counter()
while True:
    time.sleep(0.001)
    now = time.perf_counter()
    if now - last > {STOOD_S}:
        print(last, now, flush=True)
    last = now
"""


class Heartbeat:
    """Beats in the window's event loop; the longest gap since it was asked last."""

    def __init__(self) -> None:
        from PyQt6.QtCore import Qt, QTimer

        self._last = time.perf_counter()
        self._gaps: list[tuple[float, float]] = []
        self._stood: list[tuple[float, float]] = []
        self._controls = [
            subprocess.Popen([sys.executable, "-c", CONTROL, str(core)], stdout=subprocess.PIPE, text=True)
            for core in sorted(os.sched_getaffinity(0))
        ]
        for control in self._controls:
            threading.Thread(target=self._listen, args=(control,), daemon=True).start()
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._beat)
        self._timer.start(BEAT_MS)
        self.places: Counter[str] = Counter()
        self._main = threading.get_ident()
        threading.Thread(target=self._watch, daemon=True).start()

    def _listen(self, control: subprocess.Popen[str]) -> None:
        assert control.stdout is not None
        for line in control.stdout:
            begin, end = map(float, line.split())
            self._stood.append((begin, end))

    def _watch(self) -> None:
        """Note what the window's thread is in whenever it has been held for long."""
        while True:
            time.sleep(0.01)
            if time.perf_counter() - self._last > HELD_S:
                frame = sys._current_frames().get(self._main)
                names: list[str] = []
                while frame is not None:
                    if "/dubbin/" in frame.f_code.co_filename:
                        names.append(f"{Path(frame.f_code.co_filename).stem}.{frame.f_code.co_name}:{frame.f_lineno}")
                    frame = frame.f_back
                self.places[" < ".join(names[:DEPTH]) or f"(waiting for the lock) {self._others()}"] += 1

    def _others(self) -> str:
        """What the other threads are in, each by its innermost place."""
        out = []
        for number, frame in sys._current_frames().items():
            file = Path(frame.f_code.co_filename)
            if number not in (self._main, threading.get_ident()) and file.name not in IDLE:
                out.append(f"{file.stem}.{frame.f_code.co_name}:{frame.f_lineno}")
        return " | ".join(sorted(out))

    def _beat(self) -> None:
        now = time.perf_counter()
        if now - self._last > NOTED_S:
            self._gaps.append((self._last, now))
        self._last = now

    def longest_ms(self) -> float:
        """Since it was asked last, without what any core stood still for."""
        gaps, self._gaps = self._gaps, []
        stood = [s for s in self._stood if gaps and s[1] > gaps[0][0]]
        return 1000 * max((b - a - stood_in(a, b, stood) for a, b in gaps), default=0.0)

    def end(self) -> None:
        for control in self._controls:
            control.kill()
            control.wait()


def stood_in(begin: float, end: float, stood: list[tuple[float, float]]) -> float:
    """How many seconds of a gap any core stood still; cores that stood at the same time count once."""
    total, until = 0.0, begin
    for a, b in sorted(stood):
        a, b = max(a, until), min(b, end)
        if b > a:
            total, until = total + b - a, b
    return total


def measure(home: Path) -> dict[str, Any]:
    """The longest gaps in ms, by what was done."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ["DUBBIN_HOME"] = str(home)
    import window as window_benchmark
    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from dubbin.core.episode.document import Document
    from dubbin.core.episode.file import save_episode
    from dubbin.window.app import begin_work, go_first
    from dubbin.window.parts.collector import Collector
    from dubbin.window.parts.theme import Theme
    from dubbin.window.player.sinks import SimulatedSink
    from dubbin.window.rooms import make_window
    from dubbin.window.shell.step import Step

    application = QApplication([])
    go_first()
    begin_work(lambda: None)
    Collector(application)
    folders, episode = window_benchmark._episode(home, 1)
    save_episode(episode, home / "long.dubbin")
    made = make_window(folders, Theme(application), Document.opened(folders.journals, home / "long.dubbin"), SimulatedSink(RATE))  # type: ignore[arg-type]
    made.speech.transcribing.automatic = False
    made.resize(1280, 800)
    made.show()
    beat, out = Heartbeat(), {}

    def act(name: str, do: Any, wait_ms: int = 700, work: str = "background work") -> None:
        QTest.qWait(100)
        beat.longest_ms()
        QTimer.singleShot(0, do)
        QTest.qWait(wait_ms)
        key = f"{name}{f' ({work})' if made.jobs.live else ''}"
        out[key] = max(round(beat.longest_ms()), out.get(key, 0))

    def all_acts(work: str = "background work") -> None:
        for step in (Step.EDIT, Step.REPAIR, Step.VOICE, Step.BALANCE, Step.MASTER, Step.INTAKE, Step.EDIT):
            act(f"to {step.value}", lambda step=step: made.go_step(step), 2500 if step is Step.EDIT else 900, work=work)
        act("all pauses", lambda: made.pages[Step.EDIT].acts.pausing.toggle_all(), 2500, work=work)
        act("see the whole", made.view.show_all, work=work)
        act("zoom to ten minutes", lambda: made.view.show_range(600 * RATE, 1200 * RATE), work=work)
        act("zoom to a minute", lambda: made.view.show_range(600 * RATE, 660 * RATE), work=work)
        act("scroll", lambda: made.view.scroll(200.0), work=work)
        act("select", lambda: made.selection.select(605 * RATE, 607 * RATE), work=work)
        act("cut", lambda: made.pages[Step.EDIT].acts.cutting.cut(), 1500, work=work)
        act("undo", lambda: made.session.document.undo(), 1500, work=work)
        act("save", lambda: made.files.save(), 1500, work=work)

    act("just opened", lambda: None, 1500)
    all_acts()
    while made.jobs.live:
        QTest.qWait(200)
    out["while measuring went on"] = round(beat.longest_ms())
    all_acts()
    for work, begin in (("words", lambda: made.speech.transcribing.start(again=True)), ("the card", made.card_run.run)):
        act("begin", begin, 3000, work)
        all_acts(work)
        made.jobs.cancel_all()
        while made.jobs.live:
            QTest.qWait(50)
    made.shut_down()
    beat.end()
    for place, count in beat.places.most_common(25):
        print(count * 10, "ms", place, file=sys.stderr)
    return out
