"""A new treatment is a file and a row of the registry: engine, card, command line, recipe and undo know it without a word more.

Each trial runs in a process of its own, in which the registry holds one treatment more before anything reads it.
"""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap

import numpy as np
import pytest
import soundfile as sf

from tests.conftest import RATE, noise

TREATMENT = """
from dataclasses import dataclass, replace
from pathlib import Path
import sys
import numpy as np
from dubbin.core.treat import registry
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.settings import setting, switch
from dubbin.core.treat.treatment import Treatment

@dataclass(frozen=True)
class DimSettings:
    depth_db: float = setting(6.0, 0.0, 24.0, "dB", "Depth", "How far down it goes.")
    left_out: bool = switch(False, "Left out", "Whether nothing is done.")

class Dim(Treatment):
    name, title, settings_type = "dim", "Dim", DimSettings
    figures = (Figure("noise_dbfs", "noise", "dBFS", 1, lambda r: r.noise.floor_dbfs),)
    def analyse(self, source, settings, task):
        return None
    def process(self, x, context):
        return x.copy() if context.settings.left_out else x * np.float32(10 ** (-context.settings.depth_db / 20))

registry.REPAIRS = (*registry.REPAIRS, Dim())
registry.TREATMENTS = {t.name: t for t in (*registry.REPAIRS, registry.TOUCH_UP, *registry.VOICE)}
"""
COMMAND = "from dubbin.cli.main import main; sys.exit(main(sys.argv[1:]))"
WINDOW = """
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from dubbin.core.deliver.recipe import apply_recipe, recipe_of
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.commands.treatments import find_use
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.model import Role
from dubbin.core.folders import user_folders
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.window.parts.theme import Theme
from dubbin.window.player.sinks import SimulatedSink
from dubbin.window.rooms import make_window
from dubbin.window.shell.step import Step

app, folders, wav = QApplication([]), user_folders(), Path(sys.argv[1])
taken = import_file(wav, WorkingCopies(folders.copies), 48000)
episode = add_recordings(new_episode(), [taken.recording], [replace(taken.lanes[0], role=Role.VOICE)]).episode
path = wav.with_suffix(".dubbin")
save_episode(episode, path)
window = make_window(folders, Theme(app), Document.opened(folders.journals, path), SimulatedSink(48000))
window.speech.transcribing.automatic = False
window.show()
window.go_step(Step.REPAIR)
section = window.pages[Step.REPAIR].sections["dim"]

def use():
    return find_use(window.session.episode.lanes[0], "dim")

section.card.switch.click()
assert use().on and use().strength == 90, use()
section.form.fields["depth_db"].setValue(12.0)
section.form.fields["left_out"].click()
assert use().settings == {"depth_db": 12.0, "left_out": True}, use()
window.session.document.undo()
assert use().settings == {"depth_db": 12.0}, use()
taken_over = apply_recipe(episode, recipe_of(window.session.episode)).episode
assert find_use(taken_over.lanes[0], "dim") == use()
window.session.document.save()
while window.jobs.live:
    QTest.qWait(20)
sound = window.session.analyses.sound(window.session.episode.lanes[0])
share = 1 - 0.9 * (1 - 10 ** (-12 / 20))
np.testing.assert_allclose(sound.repaired.read(0, 4800), share * sound.recorded.read(0, 4800), atol=1e-6)
window.shut_down()
"""


@pytest.fixture
def talk(speech, tmp_path):
    sf.write(tmp_path / "talk.wav", speech[: 2 * RATE] + noise(2, -50), RATE, subtype="FLOAT")
    return tmp_path / "talk.wav"


def run(code: str, tmp_path, *args: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "DUBBIN_HOME": str(tmp_path / "home")}
    code = TREATMENT + textwrap.dedent(code)
    return subprocess.run([sys.executable, "-c", code, *args], env=environment, capture_output=True, text=True, timeout=180)


def test_the_command_line_applies_it_with_its_settings_and_judges_it(talk, tmp_path):
    out = tmp_path / "out.wav"
    done = run(COMMAND, tmp_path, "clean", str(talk), "-o", str(out), "--treat", "dim=100", "--set", "dim.depth_db=20")
    assert done.returncode == 0 and "Dim" in done.stdout and "→" in done.stdout, done.stderr
    (x, _), (y, _) = sf.read(talk), sf.read(out)
    np.testing.assert_allclose(y, 0.1 * x, atol=1e-6)


def test_the_window_has_its_card_and_undo_and_recipes_carry_it(talk, tmp_path):
    done = run(WINDOW, tmp_path, str(talk))
    assert done.returncode == 0, done.stderr
    assert '"depth_db":12' in talk.with_suffix(".dubbin").read_text().replace(" ", "")
