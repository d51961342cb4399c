"""A batch of two episodes at a time whose work never ends. Run in a process of its own: ARGUMENTS are its files, and the folder for what comes out."""

from __future__ import annotations

import sys
from pathlib import Path

from dubbin.core.batch import run
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.folders import Folders
from tests.core.batch_work import endless

if __name__ == "__main__":
    *files, out = map(Path, sys.argv[1:])
    run.run_one = endless
    list(run.run_batch([BatchInput(f) for f in files], out, None, Folders(out / "cache", out / "state", out / "documents"), workers=2))
