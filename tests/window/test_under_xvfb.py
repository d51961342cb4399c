"""A few tests in a real X window: the program starts, shows the demo, and ends in order."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys

import pytest

from dubbin.demo.episode import EPISODE_FILE
from tests.window.conftest import make_excerpt

pytestmark = pytest.mark.skipif(shutil.which("xvfb-run") is None, reason="Xvfb is not installed")

SCRIPT = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from dubbin.core.folders import user_folders
import dubbin.window.app as app

def look():
    window = next((w for w in QApplication.topLevelWidgets() if w.objectName() == "" and hasattr(w, "session")), None)
    if window is None or window.jobs.live or not window.session.recordings:
        QTimer.singleShot(200, look)
        return
    shot = window.grab().toImage()
    colours = {shot.pixel(x, y) for x in range(0, shot.width(), 40) for y in range(0, shot.height(), 20)}
    print(QApplication.platformName(), window.isVisible(), len(window.session.episode.lanes), len(colours) > 8)
    print(window.notices.text.text())
    window.close()

application = QApplication(sys.argv[:1])
QTimer.singleShot(300, look)
sys.exit(app.run(user_folders(), Path(sys.argv[1])))
"""


def test_the_program_starts_on_the_demo_in_a_real_window(demo_folder, tmp_path):
    (tmp_path / "demo").mkdir()
    make_excerpt(demo_folder, tmp_path / "demo", seconds=15)  # with a home of its own the program measures all of it
    (tmp_path / "home" / "state").mkdir(parents=True)
    (tmp_path / "home" / "state" / "preferences.json").write_text(json.dumps({"cache_folder": "/unplugged/dubbin-cache"}))
    env = {**os.environ, "QT_QPA_PLATFORM": "xcb", "DUBBIN_HOME": str(tmp_path / "home")}
    done = subprocess.run(
        ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", sys.executable, "-c", SCRIPT, tmp_path / "demo" / EPISODE_FILE],
        env=env, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    seen, said = done.stdout.splitlines()
    assert seen.split() == ["xcb", "True", "3", "True"], done.stderr
    assert said.startswith("The cache can't be kept in /unplugged/dubbin-cache now.")
    assert done.returncode == 0
