"""What the command line says when something goes wrong: whose fault it is, in one sentence, with the exit code that belongs to it."""

from __future__ import annotations

import json
import logging

import pytest
import soundfile as sf

from dubbin.cli import libraries, sound_commands
from dubbin.cli.libraries import missing_library
from dubbin.cli.main import main
from dubbin.core.errors import DubbinError, WrongUse
from tests.conftest import RATE, noise


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    yield tmp_path / "home"
    logging.getLogger().setLevel(logging.WARNING)


@pytest.fixture
def talk(speech, tmp_path):
    sf.write(tmp_path / "talk.wav", speech[: 3 * RATE] + noise(3, -50), RATE)
    return str(tmp_path / "talk.wav")


def failing_with(error):
    def check(args, folders):
        raise error

    return check


@pytest.mark.parametrize(
    ("error", "code"),
    [(DubbinError("A thing can't be done."), 1), (WrongUse("A thing can't be meant."), 2), (ValueError("from the depths"), 1), (ZeroDivisionError("x"), 1),
     (OSError(28, "No space left on device"), 1), (KeyboardInterrupt(), 130)],
)  # fmt: skip
def test_each_kind_of_error_has_its_code_and_no_traceback(error, code, monkeypatch, capsys):
    monkeypatch.setattr(sound_commands, "check", failing_with(error))
    assert main(["check", "x.wav"]) == code
    said = capsys.readouterr()
    assert said.out == "" and said.err.count("\n") <= 2 and "Traceback" not in said.err


def test_a_fault_of_the_program_names_the_log_and_its_traceback_is_there(monkeypatch, capsys, home):
    monkeypatch.setattr(sound_commands, "check", failing_with(ValueError("from the depths")))
    main(["check", "x.wav"])
    said = capsys.readouterr().err
    path = home / "state" / "dubbin.log"
    assert str(path) in said and "of its own" in said
    assert "Traceback" in path.read_text() and "from the depths" in path.read_text()


def test_debug_shows_it_on_both_faces_of_the_flag(monkeypatch, capsys):
    monkeypatch.setattr(sound_commands, "check", failing_with(ValueError("from the depths")))
    for args in (["--debug", "check", "x.wav"], ["check", "x.wav", "--debug"]):
        main(args)
        assert "Traceback" in capsys.readouterr().err


@pytest.mark.parametrize("name", libraries.PACKAGES)
def test_a_missing_library_is_named_with_its_package(name):
    said = missing_library(ImportError(f"{name}: cannot open shared object file: No such file or directory"))
    assert said is not None and name in said and f"apt install {libraries.PACKAGES[name]}" in said


def test_an_unknown_library_is_named_too():
    said = missing_library(ImportError("libodd.so.3: cannot open shared object file: No such file or directory"))
    assert said is not None and "libodd.so.3" in said and "apt" not in said


def test_other_failed_imports_are_faults_of_the_program(monkeypatch, capsys):
    assert missing_library(ImportError("cannot import name 'x'")) is None
    monkeypatch.setattr(sound_commands, "check", failing_with(ImportError("libGL.so.1: cannot open shared object file: No such file")))
    assert main(["check", "x.wav"]) == 1
    assert "apt install libgl1" in capsys.readouterr().err


# -- settings ---------------------------------------------------------------------------


def test_finest_is_reached_from_the_command_line(talk, tmp_path, capsys):
    sounds = []
    for name, more in (("plain", []), ("finest", ["--set", "denoise.finest=on"])):
        assert main(["clean", talk, "-o", str(tmp_path / f"{name}.wav"), "--treat", "denoise=100", "--quiet", *more]) == 0
        sounds.append(sf.read(tmp_path / f"{name}.wav")[0])
    assert abs(sounds[0] - sounds[1]).max() > 1e-4


@pytest.mark.parametrize(
    "text",
    [
        "denoise.depth_db=99",
        "denoise.depth_db=deep",
        "denoise.engine=steam",
        "denoise.finest=maybe",
        "denoise.colour=red",
        "denoise",
        "paint.x=1",
    ],
)
def test_a_setting_that_can_not_be_is_wrong_usage(text, talk, tmp_path, capsys):
    assert main(["clean", talk, "-o", str(tmp_path / "x.wav"), "--treat", "denoise", "--set", text, "--quiet"]) == 2
    assert not (tmp_path / "x.wav").exists()


@pytest.mark.parametrize("text", ["dehum.colour=red", "declip.hardness=3"])
def test_a_slip_is_told_also_where_its_treatment_is_not_needed(text, talk, tmp_path, capsys):
    assert main(["clean", talk, "-o", str(tmp_path / "x.wav"), "--set", text, "--quiet"]) == 2
    assert text.split(".")[0] in capsys.readouterr().err and not (tmp_path / "x.wav").exists()


def test_a_setting_of_what_is_not_applied_is_told_to_do_nothing(talk, tmp_path, capsys):
    assert main(["clean", talk, "-o", str(tmp_path / "x.wav"), "--treat", "derumble", "--set", "denoise.depth_db=12", "--quiet"]) == 0
    assert capsys.readouterr().err == "dubbin: denoise is not applied, so that its settings do nothing; --treat denoise applies it.\n"


def test_what_was_removed_goes_to_a_file_and_is_measured(talk, tmp_path, capsys):
    assert (
        main(
            [
                "clean",
                talk,
                "-o",
                str(tmp_path / "o.wav"),
                "--removed",
                str(tmp_path / "r.wav"),
                "--treat",
                "denoise=80",
                "--json",
                "--quiet",
            ]
        )
        == 0
    )
    (entry,) = json.loads(capsys.readouterr().out)["treatments"]
    assert {"name", "strength", "before", "after", "speech_removed_db", "speech_is_damaged"} <= set(entry)
    assert set(entry["before"]) == {"floor_dbfs", "snr_db"}
    x, out, removed = (sf.read(p)[0] for p in (talk, tmp_path / "o.wav", tmp_path / "r.wav"))
    assert abs(out + removed - x).max() < 1e-4


def test_pauses_out_of_range_are_wrong_usage(talk, capsys):
    assert main(["pauses", talk, "--longer-than", "-3", "--quiet"]) == 2
    assert "must lie in" in capsys.readouterr().err
