"""Names of files are any bytes: what is no text in UTF-8 is read, and refused in a sentence where an episode would have to hold it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
import soundfile as sf

from dubbin.cli.json_output import json_text
from dubbin.cli.main import main
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.report import Standing, write_report
from dubbin.core.batch.run import run_batch
from dubbin.core.deliver.recipe import recipe_of
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.errors import UnusableSound
from dubbin.core.sound.apart import look
from dubbin.core.sound.working_copy import WorkingCopies
from tests.conftest import RATE, tone

NAME = os.fsdecode(b"k\xe4se")


@pytest.fixture(params=["wav", "flac", "mp3"])
def recording(request, tmp_path) -> Path:
    path = tmp_path / f"cheese.{request.param}"
    sf.write(path, tone(440, 1, -20).samples.T, RATE)
    return path.rename(path.with_stem(NAME))


def test_a_file_is_read_whatever_its_name(recording, tmp_path):
    assert look(recording).path == recording
    assert WorkingCopies(tmp_path / "cache").obtain(recording).frames >= RATE


def test_an_episode_refuses_it_in_a_sentence(recording, tmp_path):
    with pytest.raises(UnusableSound, match=r"k\ufffdse.* is no text in UTF-8"):
        import_file(recording, WorkingCopies(tmp_path / "cache"), RATE)


@pytest.mark.parametrize("recording", ["flac"], indirect=True)
def test_it_is_checked_and_told_as_any_other(recording, tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    assert main(["check", str(recording), "--json"]) == 0
    (found,) = json.loads(capsys.readouterr().out)["files"]
    assert found["file"] == str(recording)
    told = subprocess.run([sys.executable, "-m", "dubbin", "check", recording], capture_output=True, check=True)
    assert os.fsencode(recording.name) in told.stdout


def test_a_batch_says_it_does_the_others_and_reports_on_all(recording, tmp_path, folders):
    other, out = tmp_path / "other.wav", tmp_path / "out"
    sf.write(other, tone(440, 1, -20).samples.T, RATE)
    out.mkdir()
    delivery = replace(new_episode().delivery, targets=("podcast-mono",), formats=("flac",), extras=())
    recipe = replace(recipe_of(new_episode()), pauses_on=False, fillers=False, retakes=False, delivery=delivery)
    outcomes = tuple(run_batch([BatchInput(recording), BatchInput(other)], out, recipe, folders))
    by_name = {o.file: o.error for o in outcomes}
    assert "is no text in UTF-8" in by_name[str(recording)] and not by_name[str(other)]
    write_report(Standing(outcomes, 2), out)
    assert all("k?se" in (out / f"batch.{ending}").read_text(encoding="utf-8") for ending in ("csv", "html"))


def test_a_transcript_names_the_file_as_json_does(recording):
    assert json.loads(json_text({"file": str(recording)}, 1))["file"] == str(recording)
