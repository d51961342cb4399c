"""How masters are made: what the encoder is told, what is rendered and looked for once, how far it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dubbin.core.deliver import master as master_module
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import FLAC, M4A, MP3, WAV
from dubbin.core.deliver.levels import Levels
from dubbin.core.deliver.master import Failure, make_masters
from dubbin.core.deliver.publication import Chapter, Publication
from dubbin.core.deliver.targets import Target
from dubbin.core.errors import Cancelled, CannotWrite, UnusableSound
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, noise

TARGET = Target("own", "Own", -1.0, 0, 2, 24, 96, integrated_lufs=-20.0)
CHAPTERS = Publication(chapters=(Chapter(0.5, 4.0, "One"), Chapter(4.0, 40.0, "Two")), duration_s=40.0)


def program(seconds: float = 6.0) -> Sound:
    x = noise(seconds, -32.0) * (1.0 + np.sin(np.arange(round(seconds * RATE)) / 9000.0)).astype(np.float32)
    return Sound(np.stack([x, 0.9 * x]), RATE)


@pytest.fixture
def told(monkeypatch) -> list[tuple[str, dict[str, object]]]:
    """What the encoder was told of each file, by its name; a wave comes out whatever was asked for, of what is lossy half a dB softer."""
    calls: list[tuple[str, dict[str, object]]] = []

    def instead(source, path, format, **rest) -> None:
        calls.append((path.name, rest))
        if format.is_lossy:
            source = Sound(source.read(0, source.frames) * np.float32(10 ** (-0.5 / 20)), source.rate)
        encode(source, path, WAV, bits=32, kbps=0)

    monkeypatch.setattr(master_module, "encode", instead)
    monkeypatch.setattr(master_module, "publish", lambda *_: None)
    return calls


@pytest.mark.parametrize(("asked", "of_the_target"), [(False, False), (True, False), (False, True)])
def test_the_encoder_is_told_of_the_target_and_the_bit_rate_varies_where_either_asks_for_it(told, tmp_path, asked, of_the_target):
    make_masters(program(), tmp_path, "a", [replace(TARGET, vbr=of_the_target, kbps=80, bits=16)], [MP3], vbr=asked)
    rest = told[0][1]
    assert (rest["bits"], rest["kbps"], rest["vbr"]) == (16, 80, asked or of_the_target)


@pytest.mark.parametrize(("format", "first"), [(MP3, 0.5), (M4A, 0.0)])
def test_chapters_go_into_the_file_and_not_into_what_only_tells_the_loss(told, tmp_path, monkeypatch, format, first):
    monkeypatch.setattr(master_module, "SHORTEST_S", 5.0)
    make_masters(program(40.0), tmp_path, "a", [TARGET], [format], CHAPTERS)
    probe, whole = (rest["chapters"] for _, rest in told)
    assert told[0][0].startswith("probe") and not probe
    assert whole[0][0] == first and [title for *_, title in whole][-2:] == ["One", "Two"] and whole[-1][:2] == (4.0, 40.0)


@pytest.mark.parametrize(("format", "coded"), [(WAV, ["a.own.wav"]), (MP3, ["probe.mp3", "a.own.mp3"])])
def test_a_level_by_rms_is_aimed_at_as_such(told, tmp_path, monkeypatch, format, coded):
    monkeypatch.setattr(master_module, "SHORTEST_S", 20.0)
    target = replace(TARGET, integrated_lufs=None, rms_low_dbfs=-23.0, rms_high_dbfs=-19.0)
    (master,) = make_masters(program(20.0), tmp_path, "a", [target], [format]).made
    assert master.proof.passes and master.proof.measured.rms_dbfs == pytest.approx(-21.0, abs=0.08)
    assert [name for name, _ in told] == coded, "by loudness it would have to be corrected"


def test_what_can_not_be_made_is_told_and_the_rest_is_made(told, tmp_path, monkeypatch):
    before = master_module.encode

    def encode_some(source, path, format, **rest) -> None:
        if format is FLAC:
            raise CannotWrite("No room for it.")
        before(source, path, format, **rest)

    monkeypatch.setattr(master_module, "encode", encode_some)
    done = make_masters(program(), tmp_path, "a", [TARGET], [WAV, FLAC, MP3])
    assert [m.format for m in done.made] == [WAV, MP3] and done.failed == (Failure("own", FLAC, "No room for it."),)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.own.mp3", "a.own.wav"]


def test_what_can_not_be_prepared_is_told_for_every_format_of_the_target_and_the_next_target_is_made(told, tmp_path, monkeypatch):
    class Refusing(Levels):
        def __init__(self, source, task=None) -> None:
            if source.channels == 1:
                raise UnusableSound("It breaks off.")
            super().__init__(source, task)

    monkeypatch.setattr(master_module, "Levels", Refusing)
    done = make_masters(program(), tmp_path, "a", [replace(TARGET, channels=1), replace(TARGET, name="two")], [WAV, MP3])
    assert done.failed == (Failure("own", WAV, "It breaks off."), Failure("own", MP3, "It breaks off."))
    assert [(m.proof.target, m.format) for m in done.made] == [("two", WAV), ("two", MP3)]
    assert not any("own" in name for name, _ in told)


@pytest.mark.parametrize(
    ("changes", "formats", "shapes"),
    [
        ([{}], [WAV], [(RATE, 2)]),
        ([{"channels": 1}, {"channels": 1}], [WAV, FLAC], [(RATE, 1)]),
        ([{"rate": 44100, "channels": 1}], [WAV], [(44100, 1)]),
        ([{}, {"channels": 1}], [WAV], [(RATE, 2), (RATE, 1)]),
        ([{"rate": 44100, "head_s": (0.0, 9.0)}], [WAV], [(RATE, 2), (44100, 2)]),
    ],
)
def test_it_is_rendered_once_for_all_masters_of_one_rate_and_as_many_channels(told, tmp_path, monkeypatch, changes, formats, shapes):
    """Where masters differ, or ends are looked at, the program is written down as it is, and what differs goes on from there."""
    real, made = master_module.render, []

    def render(source, path, rate, channels, task):
        if not path.name.startswith(("limited", f"{rate}-", f"{rate}+")):
            made.append((rate, channels))
        return real(source, path, rate, channels, task)

    monkeypatch.setattr(master_module, "render", render)
    targets = [replace(TARGET, name=f"t{k}", **change) for k, change in enumerate(changes)]
    assert len(make_masters(program(2.0), tmp_path, "a", targets, formats).made) == len(targets) * len(formats)
    assert made == shapes


def test_a_master_that_can_not_be_put_in_its_place_is_told_with_the_reason(told, tmp_path, monkeypatch):
    def full(source, target) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("dubbin.core.deliver.master.shutil.move", full)
    done = make_masters(program(), tmp_path, "a", [TARGET], [WAV])
    assert not done.made and [f.reason for f in done.failed] == [f"{tmp_path / 'a.own.wav'} could not be written: No space left on device."]
    assert list(tmp_path.iterdir()) == []


def test_whoever_gives_up_gets_nothing_and_waits_for_no_encoder(tmp_path):
    task = Task(lambda share: task.cancel() if share > 0.45 else None)
    with pytest.raises(Cancelled):
        make_masters(program(20.0), tmp_path, "a", [TARGET], [WAV, FLAC], task=task)
    assert list(tmp_path.iterdir()) == []
