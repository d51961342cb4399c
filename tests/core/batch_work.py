"""Work that processes of a batch do in tests. In a module of its own: each of them imports it, and nothing that only tests need."""

from __future__ import annotations

import os

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
    count.write_text(str(int(count.read_text()) + 1 if count.exists() else 1))
    if "deadly" in work.name or ("unlucky" in work.name and count.read_text() == "1"):
        os._exit(9)
    return Outcome(str(work.item.path), ({**MASTER, "file": str(count)},))


def counting(work, out, folders, task=None):
    """Work that notes how many cores its process takes."""
    noted = out / f"{work.name}.cores"
    noted.write_text(str(CORES))
    return Outcome(str(work.item.path), ({**MASTER, "file": str(noted)},))
