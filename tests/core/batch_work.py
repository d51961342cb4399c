"""Work that processes of a batch do in tests. In a module of its own: each of them imports it, and nothing that only tests need."""

from __future__ import annotations

import os
import time
from dataclasses import replace

from dubbin.core.batch import steps
from dubbin.core.batch.outcome import Outcome
from dubbin.core.seats import CORES

MASTER = {
    "file": "/out/a.mp3",
    "target": "podcast-mono",
    "format": "mp3",
    "pass": True,
    "problems": [],
    "integrated_lufs": -19.02,
    "true_peak_dbtp": -1.5,
}


def deadly(work, out, folders, task=None):
    """Work that takes its whole process along on some files: once, or always."""
    count = out / f"{work.name}.tries"
    with count.open("a") as tries:  # another's death may end this process at any moment
        tries.write("x")
    if "deadly" in work.name or ("unlucky" in work.name and count.read_text() == "x"):
        os._exit(9)
    return Outcome(str(work.item.path), ({**MASTER, "file": str(count)},))


def faulty(work, out, folders, task=None):
    """As in the program, with a fault of its own at one of the recordings."""
    raises = ValueError("no such thing") if "faulty" in work.name else None

    def done(step, work, stand, *_: object):
        if raises is not None:
            raise raises
        return replace(stand, outcome=Outcome(str(work.item.path), (MASTER,)))

    steps.do_step = done
    return steps.run_one(work, out, folders, task)


def counting(work, out, folders, task=None):
    """Work that notes how many cores its process takes."""
    noted = out / f"{work.name}.cores"
    noted.write_text(str(CORES))
    return Outcome(str(work.item.path), ({**MASTER, "file": str(noted)},))


def endless(work, out, folders, task=None):
    """Work that notes its process and goes on until somebody ends it."""
    (out / f"{work.name}.pid").write_text(str(os.getpid()))
    time.sleep(600.0)
