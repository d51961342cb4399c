"""Another program in place of a process that works on foreign files: one that does as a test says."""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap
from collections.abc import Callable
from pathlib import Path

import pytest


def child_that(monkeypatch: pytest.MonkeyPatch, program: Path, module: str) -> Callable[[str], None]:
    """Give it the body of the program that runs from now on instead of `module`; other processes stay as they are. program: where it is written."""
    start = subprocess.Popen

    def put(body: str) -> None:
        program.write_text(
            f"import os, signal, struct, sys, time\nout, given = sys.stdout.buffer, sys.stdin.buffer\n{textwrap.dedent(body)}"
        )

        def popen(command, **more):
            return start([sys.executable, str(program)] if module in command else command, **more)

        monkeypatch.setattr(subprocess, "Popen", popen)

    return put


def is_running(program: Path) -> bool:
    """Whether a process runs this program that has not ended."""
    found = []
    for command in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            found += [command] if os.fsencode(program) in command.read_bytes() else []
        except OSError:
            continue
    return bool(found)
