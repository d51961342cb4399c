"""Work that goes on after the window has let go of it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from dubbin.core import giving_way
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.window.shell.step import Step

PROGRAM = """
import gc, sys, threading, time
from pathlib import Path
from PyQt6.QtCore import QCoreApplication
from dubbin.window.session.job_bridge import JobBridge

app = QCoreApplication([])
gc.disable()
bridge = JobBridge(Path(sys.argv[1]))
begun, may_end = threading.Event(), threading.Event()

def work(task):
    begun.set()
    may_end.wait()
    task.step(0.5)

bridge.start("slot", "work", work, print, **{kind: True for kind in sys.argv[2:]})
begun.wait()
del bridge
gc.collect()
may_end.set()
deadline = time.monotonic() + 60
while any(t.name.startswith("dubbin-job") for t in threading.enumerate()) and time.monotonic() < deadline:
    gc.collect()
    app.processEvents()
    time.sleep(0.01)
print("went on")
"""


@pytest.mark.parametrize("kind", [(), ("quiet",), ("saves",)])
def test_work_that_ends_when_nobody_wants_to_know_any_more_does_no_harm(tmp_path: Path, kind: tuple[str, ...]):
    ran = subprocess.run([sys.executable, "-c", PROGRAM, str(tmp_path), *kind], capture_output=True, text=True, timeout=120)
    assert ran.returncode == 0 and ran.stdout.splitlines()[-1] == "went on", ran.stderr


def test_work_pauses_when_somebody_goes_to_a_page_or_takes_a_step_and_not_while_he_tries(window, monkeypatch):
    def asked_by(act) -> bool:
        monkeypatch.setattr(giving_way, "_until", 0.0)
        act()
        return giving_way._until > 0.0

    session = window.session
    change = lambda: name_voice(session.episode, session.episode.lanes[0].id, "Another")  # noqa: E731
    assert asked_by(lambda: window.go_step(Step.REPAIR))
    assert not asked_by(lambda: session.preview(change())), "what is tried waits for work"
    session.end_preview()
    assert asked_by(lambda: session.do(change()))
    assert asked_by(session.document.undo)
