"""A process of a run that comes down says what it was at."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from tests.crashes import FOLDER, WORKER


def test_where_a_process_came_down_is_read_out_at_the_end(tmp_path):
    (tmp_path / "test_down.py").write_text(
        "import os, signal\n\ndef falls():\n    os.kill(os.getpid(), signal.SIGSEGV)\n\ndef test_down():\n    falls()\n\ndef test_stands():\n    pass\n"
    )
    (tmp_path / "pytest.ini").write_text("[pytest]\n")
    surroundings = {k: v for k, v in os.environ.items() if k not in (FOLDER, WORKER) and not k.startswith("PYTEST_")}
    surroundings["PYTEST_DISABLE_PLUGIN_AUTOLOAD"] = "1"
    run = subprocess.run(
        [sys.executable, "-m", "pytest", "-p", "xdist", "-p", "tests.crashes", "-n", "1", "-c", tmp_path / "pytest.ini", f"--basetemp={tmp_path / 'base'}", tmp_path],
        capture_output=True, text=True, cwd=Path(__file__).parents[1], env=surroundings, timeout=120,
    )  # fmt: skip
    end = run.stdout.partition("process gw0 came down")[2]
    assert run.returncode == 1 and "Segmentation fault" in end and "in falls" in end
    assert "1 failed, 1 passed" in run.stdout and "gw1 came down" not in run.stdout
    assert FOLDER in os.environ and Path(os.environ[FOLDER]).is_dir()
