"""What every thread was at when a process of a run came down: written by the process as it goes, read out at the end of the run."""

from __future__ import annotations

import faulthandler
import os
import shutil
import tempfile
from pathlib import Path

import pytest

FOLDER = "DUBBIN_TEST_CRASHES"  # variable of the environment by which the processes of a run know where
WORKER = "PYTEST_XDIST_WORKER"
FILE = pytest.StashKey()


@pytest.hookimpl(trylast=True)  # pytest has it written to the standard error, which is far above the summary, if it is kept at all
def pytest_configure(config: pytest.Config) -> None:
    worker = os.environ.get(WORKER)
    if worker is None:
        os.environ[FOLDER] = tempfile.mkdtemp(prefix="dubbin-crashes-")
    elif FOLDER in os.environ:
        config.stash[FILE] = open(Path(os.environ[FOLDER]) / worker, "w")  # noqa: SIM115 - as long as the process lives
        faulthandler.enable(config.stash[FILE])


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    if WORKER in os.environ:
        return
    for path in sorted(Path(os.environ[FOLDER]).iterdir()):
        if text := path.read_text(errors="replace"):
            terminalreporter.section(f"process {path.name} came down")
            terminalreporter.write_line(text)


def pytest_unconfigure() -> None:
    if WORKER not in os.environ:
        shutil.rmtree(os.environ.pop(FOLDER, ""), ignore_errors=True)
