"""What a file is found to be, what a target says to that, and how a master comes to pass: by signals whose figures are known before."""

from __future__ import annotations

import shutil
from collections import namedtuple
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver import master as master_module
from dubbin.core.deliver.codec_probe import Stretches, level_lost
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import FLAC, FORMATS, M4A, MP3, WAV
from dubbin.core.deliver.master import (
    HEADROOM_DB,
    LOSSY_HEADROOM_DB,
    LOUDNESS_ERROR_LU,
    ROOM_S,
    make_masters,
    master_path,
    safe_name,
)
from dubbin.core.deliver.prediction import FOLD_LU, measure_program, predict
from dubbin.core.deliver.proof import FileMeter, _floor_between, file_hash, judge, measure_file, prove
from dubbin.core.deliver.rendered import Limited, fold_channels
from dubbin.core.deliver.targets import Reading, Target, all_targets, check_target, problems, rules
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.jobs import Task
from dubbin.core.measure.loudness import Loudness
from dubbin.core.sound.source import Samples, Sound, Source
from tests.conftest import noise

RATE = 8000
F32 = np.float32
TARGET = Target("own", "Own", -1.0, 0, 2, 24, 96, integrated_lufs=-20.0)
LOUDNESS = Loudness(-20.0, 5.0, -10.0, -15.0, -2.0, -2.5)


def hum(seconds: float, level_dbfs: float, rate: int = RATE) -> np.ndarray:
    """A tone of an RMS in dBFS, (frames,)."""
    n = np.arange(round(seconds * rate))
    return (np.sqrt(2) * 10.0 ** (level_dbfs / 20.0) * np.sin(2 * np.pi * 400 * n / rate)).astype(F32)


def read_by(meter: FileMeter, x: np.ndarray, block: int = 3333):
    for k in range(0, x.shape[1], block):
        meter.push(x[:, k : k + block])
    return meter.result("codec", "hash", 7)


class TestFileMeter:
    def test_the_highest_places_each_half_second_whatever_the_blocks(self):
        x = np.zeros((1, 10 * RATE), F32)
        heights = {0: 0.1, 3: 0.9, 4: 0.5, 19: -0.7}
        for place, height in heights.items():
            x[0, place * RATE // 2 + 77] = height
            x[0, place * RATE // 2 + 78] = height / 2
        for block in (RATE // 2, 777, 10 * RATE):
            found = read_by(FileMeter(RATE, 1), x, block).peaks
            expected = [(k / 2, 20 * np.log10(abs(h))) for k, h in sorted(heights.items())]
            np.testing.assert_allclose(found, expected, atol=1e-5)

    @pytest.mark.parametrize(("right", "loss"), [(1.0, 0.0), (0.0, 3.0103), (-1.0, 90.0), (0.5, 10 * np.log10(0.625 / 0.5625))])
    def test_what_one_channel_loses_of_two(self, right, loss):
        one = hum(2.0, -20.0)
        found = read_by(FileMeter(RATE, 2), np.stack([one, F32(right) * one]))
        assert found.mono_loss_db == pytest.approx(loss, abs=1e-3)

    def test_mono_and_silence_lose_nothing_and_have_no_level(self):
        assert read_by(FileMeter(RATE, 1), hum(1.0, -20.0)[None]).mono_loss_db is None
        silent = read_by(FileMeter(RATE, 2), np.zeros((2, RATE), F32))
        assert (silent.mono_loss_db, silent.rms_dbfs, silent.noise_floor_dbfs, silent.head_s, silent.tail_s) == (None,) * 5
        assert silent.peaks == ()
        empty = FileMeter(RATE, 2).result()
        assert (empty.rms_dbfs, empty.duration_s, empty.codec, empty.sha256, empty.bytes) == (None, 0.0, "", "", 0)

    def test_ends_and_floor_between_words(self):
        gap = noise(1.0, -60.0, rate=RATE)
        talk = [hum(1.0, -20.0), gap, hum(1.0, -20.0)]
        x = np.concatenate([noise(1.5, -60.0, 1, RATE), *talk, noise(0.75, -60.0, 2, RATE)])[None]
        found = read_by(FileMeter(RATE, 1), x)
        assert (found.head_s, found.tail_s) == (pytest.approx(1.5), pytest.approx(0.75))
        assert found.noise_floor_dbfs == pytest.approx(-60.0, abs=0.5)

    def test_too_little_has_no_floor(self):
        assert read_by(FileMeter(RATE, 1), hum(0.34, -20.0)[None]).noise_floor_dbfs is None
        assert read_by(FileMeter(RATE, 1), hum(0.46, -20.0)[None]).noise_floor_dbfs is not None

    @pytest.mark.parametrize(
        ("others_db", "floor_db"), [((-112.0,) * 20, -60.0), ((-108.0,) * 20, -108.0), ((-55.2,) * 20, -56.97), ((-54.8,) * 20, -60.0)]
    )
    def test_the_floor_is_of_what_lies_within_5_db_of_the_quietest_and_is_no_digital_silence(self, others_db, floor_db):
        power = 10.0 ** (np.array((-60.0,) * 20 + others_db) / 10.0)
        assert _floor_between(power) == pytest.approx(floor_db, abs=0.01)
        assert _floor_between(power[:7]) is None and _floor_between(power[:8]) == pytest.approx(-60.0)

    def test_a_file_is_held_against_a_target_as_it_is_measured(self, tmp_path):
        sf.write(tmp_path / "a.wav", hum(3.0, -20.0), RATE, subtype="FLOAT")
        told: list[float] = []
        proof = prove(tmp_path / "a.wav", TARGET, Task(told.append))
        again = judge(tmp_path / "a.wav", TARGET, measure_file(tmp_path / "a.wav"))
        assert (proof.file, proof.target, proof.problems, proof.rules) == (again.file, "own", again.problems, again.rules) and told
        assert proof.measured.loudness == again.measured.loudness


class TestRules:
    """Each limit is kept up to what rounds to it, and named where it is not."""

    @staticmethod
    def said(target: Target, loudness: Loudness = LOUDNESS, **reading: object) -> list[str]:
        made = Reading(loudness, **{"channels": target.channels, **reading})
        found = rules(made, target)
        assert [r.problem for r in found if not r.passes] == problems(made, target)
        assert all(bool(r.problem) != r.passes and r.name and r.asked and r.found for r in found)
        return problems(made, target)

    @pytest.mark.parametrize(
        ("lufs", "text"),
        [
            (-21.04, None), (-18.96, None), (-21.06, "−21.1 LUFS is 1.1 LU quieter than −20.0 LUFS (±1.0 LU allowed)."),
            (-18.94, "−18.9 LUFS is 1.1 LU louder than −20.0 LUFS (±1.0 LU allowed)."),
        ],
    )  # fmt: skip
    def test_loudness(self, lufs, text):
        assert self.said(TARGET, replace(LOUDNESS, integrated_lufs=lufs)) == ([text] if text else [])

    @pytest.mark.parametrize(
        ("limit", "value", "within", "beyond", "text"),
        [
            ({"true_peak_dbtp": -1.0}, "true_peak_dbtp", -0.96, -0.94, "True peak −0.9 dBTP is above the ceiling of −1.0 dBTP."),
            ({"range_lu": 8.0}, "range_lu", 8.04, 8.06, "Loudness range 8.1 LU is above 8.0 LU."),
            ({"short_term_lufs": -18.0}, "max_short_term_lufs", -17.96, -17.94, "Short-term loudness −17.9 LUFS is above −18.0 LUFS."),
            ({"momentary_lufs": -15.0}, "max_momentary_lufs", -14.96, -14.94, "Momentary loudness −14.9 LUFS is above −15.0 LUFS."),
        ],
    )
    def test_what_loudness_must_not_pass(self, limit, value, within, beyond, text):
        calm = replace(LOUDNESS, max_momentary_lufs=-20.0, max_short_term_lufs=-20.0)
        target = replace(TARGET, **limit)
        assert self.said(target, replace(calm, **{value: within})) == []
        assert self.said(target, replace(calm, **{value: beyond})) == [text]
        assert self.said(target, replace(calm, **{value: None})) == []

    def test_a_noise_floor(self):
        target = replace(TARGET, noise_floor_dbfs=-60.0)
        assert self.said(target, noise_floor_dbfs=-59.96) == [] == self.said(target, noise_floor_dbfs=None)
        assert self.said(target, noise_floor_dbfs=-59.94) == ["Noise floor −59.9 dBFS is above −60.0 dBFS."]

    @pytest.mark.parametrize(("end", "name"), [("head_s", "Room tone before"), ("tail_s", "Room tone after")])
    def test_room_tone(self, end, name):
        target = replace(TARGET, **{end: (0.5, 1.0)})
        for good in (0.46, 0.7, 1.04, None):
            assert self.said(target, **{end: good}) == []
        for bad in (0.44, 1.06):
            assert self.said(target, **{end: bad}) == [f"{name} the words lasts {bad:.2f} s; 0.5 to 1.0 s are asked for."]

    def test_rms(self):
        target = replace(TARGET, integrated_lufs=None, rms_low_dbfs=-23.0, rms_high_dbfs=-18.0)
        assert target.by_rms and target.aim == -20.5 and "−20.5 dB RMS" in target.aim_text
        for good in (-23.04, -17.96):
            assert self.said(target, rms_dbfs=good) == []
        for bad in (-23.06, -17.94):
            assert self.said(target, rms_dbfs=bad) == [f"RMS is −{abs(bad):.1f} dBFS; −23 to −18 dBFS are asked for."]
        assert self.said(target) == ["RMS is –; −23 to −18 dBFS are asked for."]

    def test_channels(self):
        assert self.said(TARGET, channels=1) == ["1 channel; the target asks for 2."]
        assert self.said(replace(TARGET, channels=1), channels=2) == ["2 channels; the target asks for 1."]

    def test_silence_says_nothing_else(self):
        found = problems(Reading(replace(LOUDNESS, integrated_lufs=None, true_peak_dbtp=3.0), 1), TARGET)
        assert found == ["There is nothing to measure: the file is silent or shorter than 0.4 s."]

    def test_what_keeps_its_level_has_no_ceiling(self):
        kept = replace(TARGET, integrated_lufs=None, keeps_level=True)
        assert self.said(kept, replace(LOUDNESS, true_peak_dbtp=2.0)) == [] and kept.aim is None and kept.aim_text == "as it is"
        assert [r.name for r in rules(Reading(LOUDNESS, 2), kept)] == ["Channels"]

    def test_every_rule_says_what_it_asks_and_what_was_found(self):
        target = replace(
            TARGET, range_lu=8.0, short_term_lufs=-14.0, momentary_lufs=-9.0, noise_floor_dbfs=-60.0, head_s=(0.5, 1.0), tail_s=(1.0, 5.0),
            rms_low_dbfs=-23.0, rms_high_dbfs=-18.0,
        )  # fmt: skip
        found = rules(Reading(LOUDNESS, 2, -20.5, -65.0, 0.7, 1.25), target)
        assert [(r.name, r.asked, r.found, r.passes) for r in found] == [
            ("Integrated loudness", "−20.0 LUFS ±1.0", "−20.0 LUFS", True),
            ("RMS", "−23 to −18 dBFS", "−20.5 dBFS", True),
            ("True peak", "at most −1.0 dBTP", "−2.0 dBTP", True),
            ("Loudness range", "at most 8.0 LU", "5.0 LU", True),
            ("Short-term loudness", "at most −14.0 LUFS", "−15.0 LUFS", True),
            ("Momentary loudness", "at most −9.0 LUFS", "−10.0 LUFS", True),
            ("Noise floor", "at most −60.0 dBFS", "−65.0 dBFS", True),
            ("Room tone before", "0.5 to 1.0 s", "0.70 s", True),
            ("Room tone after", "1.0 to 5.0 s", "1.25 s", True),
            ("Channels", "2", "2", True),
        ]
        (silent,) = rules(Reading(replace(LOUDNESS, integrated_lufs=None), 2), target)
        assert (silent.name, silent.asked, silent.found) == ("Sound", "something to measure", "silence")

    def test_a_proof_is_all_of_it(self):
        measured = read_by(FileMeter(RATE, 1), hum(2.0, -20.0)[None])
        proof = judge(Path("a.wav"), TARGET, measured)
        assert not proof.passes and proof.problems == tuple(problems(measured.reading, TARGET))
        assert proof.rules == tuple(rules(measured.reading, TARGET)) and (proof.file, proof.target) == (Path("a.wav"), "own")
        assert judge(Path("a.wav"), replace(TARGET, channels=1, tolerance_lu=9.0), measured).passes

    @pytest.mark.parametrize(
        ("wrong", "text"),
        [
            ({"integrated_lufs": None}, "no loudness to aim at"), ({"integrated_lufs": 0.1}, "a loudness that can't be"),
            ({"integrated_lufs": -60.1}, "a loudness that can't be"), ({"true_peak_dbtp": 0.1}, "a true peak that can't be"),
            ({"true_peak_dbtp": -30.1}, "a true peak that can't be"), ({"rate": 7999}, "a rate that can't be"), ({"rate": 192001}, "a rate that can't be"),
            ({"channels": 3}, "neither one channel nor two"), ({"channels": 0}, "neither one channel nor two"), ({"bits": 20}, "neither 16, 24 nor 32 bits"),
            ({"kbps": 15}, "a bit rate that can't be"), ({"kbps": 513}, "a bit rate that can't be"),
        ],
    )  # fmt: skip
    def test_a_target_that_can_not_be_is_refused_by_its_name(self, wrong, text):
        with pytest.raises(DubbinError, match=rf"t\.toml can't be used: own has {text}\.$"):
            check_target(replace(TARGET, **wrong), Path("t.toml"))

    def test_the_furthest_that_can_be_is_not(self):
        for fields in ({"integrated_lufs": 0.0, "true_peak_dbtp": 0.0, "rate": 8000, "kbps": 16}, {"integrated_lufs": -60.0, "true_peak_dbtp": -30.0, "rate": 192000, "kbps": 512, "bits": 32}):  # fmt: skip
            check_target(replace(TARGET, **fields), Path("t.toml"))


class TestPrediction:
    def program(self, *, level: float = -30.0) -> Sound:
        x = hum(10.0, level, 48_000)
        return Sound(np.stack([x, x]), 48_000)

    def test_gain_and_what_follows_from_it(self):
        figures = measure_program(self.program())
        level = figures.history.loudness.integrated_lufs
        found = predict(figures, TARGET)
        assert (
            found.target is TARGET
            and found.gain_db == pytest.approx(-20.0 - level)
            and not found.problems
            and not found.advice
            and found.reduction.deepest_db == 0
        )
        mono = predict(figures, replace(TARGET, channels=1))
        assert mono.gain_db == pytest.approx(found.gain_db + FOLD_LU) and not mono.problems
        assert predict(figures, replace(TARGET, short_term_lufs=-20.2)).problems, "what is moved by the gain is held against its limit"
        assert not predict(figures, replace(TARGET, short_term_lufs=-19.9)).problems
        assert not predict(figures, replace(TARGET, channels=1, momentary_lufs=-19.9)).problems
        assert predict(figures, replace(TARGET, channels=1, momentary_lufs=-20.2)).problems
        floor = figures.measured.noise_floor_dbfs + mono.gain_db  # which two sides that are folded do not lose
        assert not predict(figures, replace(TARGET, channels=1, noise_floor_dbfs=floor + 0.1)).problems
        assert predict(figures, replace(TARGET, channels=1, noise_floor_dbfs=floor - 0.1)).problems

    def test_rms_and_floor_move_with_the_gain_and_do_not_fold(self):
        target = replace(TARGET, integrated_lufs=None, rms_low_dbfs=-23.0, rms_high_dbfs=-18.0, noise_floor_dbfs=-20.6)
        figures = measure_program(self.program())
        found = predict(figures, replace(target, channels=1))
        assert found.gain_db == pytest.approx(9.5, abs=0.01)
        assert len(found.problems) == 1 and found.problems[0].startswith("Noise floor −20.5")

    def test_a_limiter_that_is_heard_is_told(self):
        x = self.program().samples.copy()
        x[:, :: 48_000 // 4] = 0.9
        found = predict(measure_program(Sound(x, 48_000)), TARGET)
        deepest = 20 * np.log10(0.9) + found.gain_db + 1.0 + HEADROOM_DB
        assert found.reduction.deepest_db == pytest.approx(deepest, abs=0.01)
        assert (
            len(found.advice) == 1
            and f"turn down by up to {deepest:.1f} dB" in found.advice[0]
            and f"+{found.gain_db:.1f} dB" in found.advice[0]
        )

    def test_what_mono_loses_is_told_where_mono_is_asked_for(self):
        x = hum(5.0, -30.0, 48_000)
        figures = measure_program(Sound(np.stack([x, np.zeros_like(x)]), 48_000))
        assert predict(figures, replace(TARGET, channels=1)).advice == (
            "3.0 dB of the program are lost when both sides are folded into one.",
        )
        assert predict(figures, TARGET).advice == ()

    def test_what_keeps_its_level_is_judged_as_it_is(self):
        kept = replace(TARGET, integrated_lufs=None, keeps_level=True)
        found = predict(measure_program(self.program()), kept)
        assert (found.target, found.gain_db, found.problems, found.advice, found.reduction.deepest_db) == (kept, 0.0, (), (), 0.0)
        assert predict(measure_program(self.program()), replace(kept, channels=1)).problems == (), "it will be folded"
        assert predict(measure_program(Sound(np.zeros((2, RATE), F32), RATE)), TARGET).problems[0].startswith("There is nothing to measure")


class TestOnTheWay:
    def test_channels_are_folded_by_their_mean_and_doubled_as_they_are(self):
        x = np.array([[1.0, 2.0], [3.0, -2.0]], F32)
        assert fold_channels(x, 2) is x
        assert fold_channels(x, 1).tolist() == [[2.0, 0.0]]
        assert fold_channels(x[:1], 2).tolist() == [[1.0, 2.0], [1.0, 2.0]]

    def test_behind_the_gain_alone_nothing_else_is_done(self):
        x = Sound(hum(1.0, -3.0)[None], RATE)
        np.testing.assert_allclose(Limited(x, 6.0206, None).read(10, 5000), 2.0 * x.samples[:, 10:5000], rtol=1e-5)

    def test_stretches_follow_one_another(self):
        whole = Sound(np.arange(100, dtype=F32)[None], RATE)
        found = Stretches(whole, [(10, 20), (50, 55), (90, 100)])
        expected = [*range(10, 20), *range(50, 55), *range(90, 100)]
        assert (found.frames, found.rate, found.channels) == (25, RATE, 1) and found.read(0, 25)[0].tolist() == expected
        for a, b in ((0, 10), (9, 11), (10, 15), (14, 25), (12, 12)):
            assert found.read(a, b)[0].tolist() == expected[a:b]

    def test_what_a_codec_takes_is_the_difference(self, tmp_path):
        x = Sound(noise(20.0, -30.0)[None], 48_000)

        def softer(source: Source, path: Path) -> None:
            sf.write(path, 0.5 * source.read(0, source.frames).T, source.rate, subtype="FLOAT", format="WAV")

        spans = [(0, 96_000), (480_000, 576_000)]
        assert level_lost(x, spans, tmp_path / "p.wav", softer) == pytest.approx(6.0206, abs=0.01)
        assert list(tmp_path.iterdir()) == []
        assert level_lost(Sound(np.zeros((1, 96_000), F32), 48_000), [(0, 96_000)], tmp_path / "p.wav", softer) == 0.0


class Codec:
    """Instead of an encoder: takes some dB of what comes to it and lets its highest sample grow, into a float file."""

    def __init__(self, lost_db: float = 0.0, grown_db: float = 0.0) -> None:
        self.gain, self.grown = 10.0 ** (-lost_db / 20.0), 10.0 ** (grown_db / 20.0)
        self.coded: list[tuple[str, int]] = []

    def __call__(self, source: Source, path: Path, format, **rest: object) -> None:
        self.coded.append((path.name, source.frames))
        x: Samples = source.read(0, source.frames) * F32(self.gain)
        at = int(np.argmax(np.max(np.abs(x), axis=0)))
        x[:, max(at - 40, 0) : at + 40] *= F32(self.grown)
        encode(Sound(x, source.rate), path, WAV, bits=32, kbps=0)


class TestMasters:
    @staticmethod
    def program(seconds: float = 6.0) -> Sound:
        x = noise(seconds, -32.0) * (1.0 + np.sin(np.arange(round(seconds * 48_000)) / 9000.0)).astype(F32)
        x[100_000:100_480] += 0.8 * np.hanning(480).astype(F32)
        return Sound(np.stack([x, 0.9 * x]), 48_000)

    @staticmethod
    def made(program: Source, folder: Path, codec: Codec, monkeypatch, target: Target = TARGET, format=MP3):
        monkeypatch.setattr(master_module, "encode", codec)
        monkeypatch.setattr(master_module, "publish", lambda *_: None)
        (master,) = make_masters(program, folder, "a", [target], [format]).made
        return master

    def test_what_comes_out_right_is_coded_once(self, tmp_path, monkeypatch):
        codec = Codec()
        master = self.made(self.program(), tmp_path, codec, monkeypatch)
        assert codec.coded == [("a.own.mp3", 6 * 48_000)] and master.proof.passes
        assert master.proof.measured.loudness.integrated_lufs == pytest.approx(-20.0, abs=LOUDNESS_ERROR_LU)
        assert master.proof.measured.loudness.true_peak_dbtp <= -1.0 - LOSSY_HEADROOM_DB + 0.1, "a codec's own headroom"
        assert master.file == tmp_path / "a.own.mp3" == master_path(tmp_path, "a", TARGET, MP3)

    def test_what_a_codec_takes_from_the_level_is_given_before_it(self, tmp_path, monkeypatch):
        plain = self.made(self.program(), tmp_path, Codec(), monkeypatch)
        codec = Codec(lost_db=0.5)
        master = self.made(self.program(), tmp_path, codec, monkeypatch)
        assert len(codec.coded) == 2 and master.proof.passes
        assert master.gain_db == pytest.approx(plain.gain_db + 0.5, abs=0.1)
        assert master.proof.measured.loudness.integrated_lufs == pytest.approx(-20.0, abs=LOUDNESS_ERROR_LU)

    def test_of_a_long_program_it_is_known_from_a_few_stretches(self, tmp_path, monkeypatch):
        monkeypatch.setattr(master_module, "SHORTEST_S", 5.0)
        codec = Codec(lost_db=0.5)
        master = self.made(self.program(40.0), tmp_path, codec, monkeypatch)
        assert [name for name, _ in codec.coded] == ["probe.mp3", "a.own.mp3"] and codec.coded[0][1] < 40 * 48_000
        assert master.proof.passes and master.proof.measured.loudness.integrated_lufs == pytest.approx(-20.0, abs=LOUDNESS_ERROR_LU)

    def test_a_crest_that_grows_lowers_the_ceiling(self, tmp_path, monkeypatch):
        plain = self.made(self.program(), tmp_path, Codec(), monkeypatch)
        codec = Codec(grown_db=1.5)
        master = self.made(self.program(), tmp_path, codec, monkeypatch)
        assert 2 <= len(codec.coded) <= 3 and master.proof.passes and master.proof.measured.loudness.true_peak_dbtp <= -1.0
        assert master.reduction.deepest_db > plain.reduction.deepest_db + 0.5 > 1.0

    def test_what_never_comes_out_right_is_proven_wrong_and_not_tried_for_ever(self, tmp_path, monkeypatch):
        class Worse(Codec):
            def __call__(self, source: Source, path: Path, format, **rest: object) -> None:
                self.grown *= 1.6
                super().__call__(source, path, format, **rest)

        codec = Worse(grown_db=3.0)
        master = self.made(self.program(), tmp_path, codec, monkeypatch)
        assert len(codec.coded) == master_module.CODEC_TRIES and not master.proof.passes
        assert any("True peak" in p for p in master.proof.problems)
        assert master.proof.measured.sha256 == file_hash(master.file) and master.proof.measured.bytes == master.file.stat().st_size

    def test_what_keeps_its_level_is_written_once_as_it_is(self, tmp_path, monkeypatch):
        codec = Codec()
        master = self.made(self.program(), tmp_path, codec, monkeypatch, replace(TARGET, integrated_lufs=None, keeps_level=True), FLAC)
        assert len(codec.coded) == 1 and (master.gain_db, master.reduction, master.head_s) == (0.0, None, 0.0)
        np.testing.assert_allclose(sf.read(master.file, dtype="float32")[0].T, self.program().samples, atol=1e-6)

    @pytest.mark.parametrize(
        ("head", "tail", "asked", "head_s", "tail_s"),
        [
            (0.2, 0.2, (0.5, 1.0), 0.5 + ROOM_S, 0.5 + ROOM_S),
            (2.0, 2.0, (0.5, 1.0), 1.0 - ROOM_S, 1.0 - ROOM_S),
            (0.2, 2.0, (0.5, 0.6), 0.6, 0.5),
            (0.75, 0.2, (0.5, 1.0), 0.75, 0.5 + ROOM_S),
        ],
    )
    def test_ends_become_as_long_as_is_asked(self, tmp_path, head, tail, asked, head_s, tail_s):
        hiss = [noise(s, -72.0, k) for k, s in enumerate((head, 1.0, tail))]
        word = noise(2.0, -25.0, 9)
        x = np.concatenate([hiss[0], word, hiss[1], word, hiss[2]])
        target = replace(TARGET, head_s=asked, tail_s=asked)
        (master,) = make_masters(Sound(np.stack([x, x]), 48_000), tmp_path, "a", [target], [WAV]).made
        assert master.proof.passes, master.proof.problems
        assert (master.proof.measured.head_s, master.proof.measured.tail_s) == (
            pytest.approx(head_s, abs=0.06),
            pytest.approx(tail_s, abs=0.06),
        )
        assert master.head_s == pytest.approx(head_s - head, abs=0.06)

    def test_each_format_has_the_rate_that_it_needs_and_all_of_a_target_one_level(self, tmp_path):
        target = replace(TARGET, rate=44_100, channels=1)
        masters = make_masters(self.program(), tmp_path, "a", [target, replace(TARGET, name="two")], [WAV, M4A]).made
        assert [(m.proof.target, m.format, m.proof.measured.sample_rate, m.proof.measured.channels) for m in masters] == [
            ("own", WAV, 44_100, 1), ("own", M4A, 44_100, 1), ("two", WAV, 48_000, 2), ("two", M4A, 48_000, 2),
        ]  # fmt: skip
        assert all(m.proof.passes for m in masters)

    def test_a_disk_that_has_too_little_room_is_told_before_anything_is_made(self, tmp_path, monkeypatch):
        usage = namedtuple("usage", "total used free")
        frames, megabyte = 6 * 48_000, 1_000_000
        needed = frames * 8 * 4 + 2 * frames * 6
        monkeypatch.setattr(shutil, "disk_usage", lambda _: usage(0, 0, needed - 1))
        with pytest.raises(CannotWrite) as told:
            make_masters(self.program(), tmp_path, "a", [TARGET], [WAV, FLAC])
        assert f"has {(needed - 1) / megabyte:.0f} MB free; the masters need about {needed / megabyte:.0f} MB" in str(told.value)
        assert list(tmp_path.iterdir()) == []
        monkeypatch.setattr(shutil, "disk_usage", lambda _: usage(0, 0, needed))
        assert len(make_masters(self.program(), tmp_path, "a", [TARGET], [WAV, FLAC]).made) == 2

    @pytest.mark.parametrize(
        ("title", "name"),
        [
            ("A Title: one/two", "a-title-one-two"), ("  -- ", "episode"), ("", "episode"), ("Ümläut № 7", "ümläut-7"), ("_under_score_", "under_score"),
            ("x" * 90, "x" * 80), ("../../etc", "etc"),
        ],
    )  # fmt: skip
    def test_a_title_becomes_a_name(self, title, name):
        assert safe_name(title) == name

    @pytest.mark.parametrize("letter", ["x", "ü", "船", "𠮷"])
    def test_the_longest_name_leaves_room_for_what_goes_with_a_master(self, tmp_path, letter):
        name = safe_name(letter * 300)
        assert set(name) == {letter} and len(name.encode()) > 75
        target = max(all_targets(tmp_path).values(), key=lambda t: len(t.name))
        paths = [master_path(tmp_path, f"{name}.clip-1h02m03s-1h02m04s", target, f) for f in FORMATS.values()]
        assert max(len(f"{p.name}.proof.html".encode()) for p in paths) + 30 <= 255
