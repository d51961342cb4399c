"""Results that outlast the program: they come back as they were, or not at all."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import pytest

from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.report import RecordingReport
from dubbin.core.mix import kept_results, lane_results
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.mix.lane_results import Treated, measure_recorded
from dubbin.core.sound.peaks import peaks_of
from dubbin.core.sound.source import Sound
from dubbin.core.treat.guard import Guard
from tests.conftest import RATE, noise, tone

KEY = recorded_key("abc", RATE, 1)


@pytest.fixture
def kept(tmp_path):
    return KeptResults(tmp_path / "figures")


@pytest.fixture(scope="module")
def talk(speech):
    """Speech with hum, clicks and noise, so that a report on it has something in every part."""
    x = speech[: 12 * RATE] + tone(50, 12, -40).samples[0] + noise(12, -50)
    x[RATE :: 2 * RATE] += 0.6
    return Sound(np.clip(x, -0.5, 0.5).astype(np.float32)[None], RATE)


def test_the_picture_of_treated_sound_comes_back(kept, talk):
    treated = Treated(peaks_of(talk), {"denoise": Guard(-21.5), "declick": Guard(None)})
    kept.keep("treated", KEY, treated)
    again = kept.recall("treated", KEY, Treated)
    assert again is not None and again.guards == treated.guards and again.peaks.frames == talk.frames
    assert all(np.array_equal(a, b) for a, b in zip(again.peaks.levels, treated.peaks.levels, strict=True))


def test_what_is_known_is_not_measured_again(kept, talk, monkeypatch):
    measured = measure_recorded(talk, KEY, kept, Task())

    def never(*_: object) -> RecordingReport:
        raise AssertionError("measured again")

    monkeypatch.setattr(lane_results, "measure_recording", never)
    again = measure_recorded(talk, replace(KEY, repairs=b"other repairs"), kept, Task())  # of the recorded sound they have no say
    assert again.report == measured.report
    for other in (replace(KEY, fingerprint="abd"), replace(KEY, drift_ppm=1.0), replace(KEY, channels=(1,)), replace(KEY, rate=44100)):
        with pytest.raises(AssertionError, match="measured again"):
            measure_recorded(talk, other, kept, Task())


def test_other_code_finds_nothing(kept, monkeypatch):
    kept.keep("treated", KEY, Guard(-20.0))
    assert kept.recall("treated", KEY, Guard) == Guard(-20.0)
    assert kept.recall("repaired", KEY, Guard) is None
    monkeypatch.setattr(kept_results, "_code", lambda: "changed since")
    assert kept.recall("treated", KEY, Guard) is None


def test_code_is_what_is_written_and_what_networks_learnt(tmp_path, monkeypatch):
    """Either changes what is measured: each change gives the code another name."""
    (tmp_path / "measure" / "weights").mkdir(parents=True)
    monkeypatch.setattr(kept_results.dubbin.core, "__file__", str(tmp_path / "__init__.py"))
    files, names = (tmp_path / "measure" / "clicks.py", tmp_path / "measure" / "weights" / "clicks.npz"), []
    for k in range(3):
        for path in files:
            path.write_bytes(b"%d" % (k if path is files[k % 2] else 0))
        kept_results._code.cache_clear()
        names.append(kept_results._code())
    kept_results._code.cache_clear()
    assert len(set(names)) == 3


@pytest.mark.parametrize("harm", ["emptied", "cut off", "changed", "another shape"])
def test_a_damaged_result_is_none(kept, harm):
    kept.keep("treated", KEY, Guard(-20.0))
    (path,) = kept.folder.iterdir()
    data = path.read_bytes()
    if harm != "another shape":
        path.write_bytes({"emptied": b"", "cut off": data[:-2], "changed": data[:-1] + b"\x7f"}[harm])
    shape = RecordingReport if harm == "another shape" else Guard
    assert kept.recall("treated", KEY, shape) is None
    kept.keep("treated", KEY, Guard(-20.0))
    assert kept.recall("treated", KEY, Guard) == Guard(-20.0)


def test_a_folder_that_can_not_be_written_keeps_nothing_and_harms_nothing(tmp_path):
    (tmp_path / "figures").write_text("a file is in the way")
    kept = KeptResults(tmp_path / "figures")
    kept.keep("treated", KEY, Guard(-20.0))
    assert kept.recall("treated", KEY, Guard) is None
    kept.prune(0)


def test_what_was_used_longest_ago_goes_first(kept):
    import os

    for k in range(4):
        kept.keep("treated", k, Guard(-20.0 - k))
    paths = {k: kept._path("treated", k) for k in range(4)}
    for k, path in paths.items():
        os.utime(path, (1000 + k, 1000 + k))
    assert kept.recall("treated", 0, Guard) is not None  # used now
    size = paths[0].stat().st_size
    kept.prune(2 * size)
    assert [k for k, path in paths.items() if path.exists()] == [0, 3]


@dataclass
class Odd:
    what: object


def test_what_can_not_be_kept_is_a_fault_of_the_program(kept):
    with pytest.raises(TypeError, match="object can't be kept"):
        kept.keep("treated", KEY, Odd(object()))


def test_a_whole_report_has_nothing_that_can_not_be_kept(kept, talk):
    """Also of a stereo recording with faults in one channel."""
    x = np.concatenate([talk.samples, -talk.samples * 0.5])
    x[1, 3 * RATE : 5 * RATE] = 0.0
    report = measure_recording(Sound(np.ascontiguousarray(x), RATE))
    kept.keep("report", KEY, report)
    assert kept.recall("report", KEY, RecordingReport) == report
