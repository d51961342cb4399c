"""What a codec takes from the level is known before the whole is encoded."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.deliver import master as mastering
from dubbin.core.deliver.codec_probe import Stretches, level_lost
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Sound
from tests.conftest import RATE

COUNT = np.arange(1000, dtype=np.float32)[None]


@given(st.lists(st.tuples(st.integers(0, 500), st.integers(0, 500)), max_size=5), st.integers(0, 600), st.integers(0, 600))
def test_stretches_read_as_one(spans, a, b):
    spans = [(low, low + length) for low, length in spans]
    whole = np.concatenate([np.zeros((1, 0), np.float32), *(COUNT[:, low:high] for low, high in spans)], axis=1)
    source = Stretches(Sound(COUNT, RATE), spans)
    assert source.frames == whole.shape[1]
    a, b = sorted((min(a, source.frames), min(b, source.frames)))
    np.testing.assert_array_equal(source.read(a, b), whole[:, a:b])


@pytest.mark.parametrize("loss_db", [0.0, 0.7, -0.3])
def test_the_loss_of_level_is_what_the_codec_takes(speech, tmp_path, loss_db):
    source = Sound(np.stack([speech, speech]).astype(np.float32), RATE)

    def encode(what, path):
        sf.write(path, what.read(0, what.frames).T * db_to_gain(-loss_db), what.rate, "FLOAT")

    found = level_lost(source, [(0, 4 * RATE), (6 * RATE, 9 * RATE)], tmp_path / "probe.wav", encode)
    assert found == pytest.approx(loss_db, abs=0.005) and not list(tmp_path.iterdir())


def test_silence_loses_nothing(tmp_path):
    source = Sound(np.zeros((2, 10 * RATE), np.float32), RATE)
    assert (
        level_lost(source, [(0, 5 * RATE)], tmp_path / "p.wav", lambda what, path: sf.write(path, what.read(0, what.frames).T, RATE)) == 0.0
    )


def test_a_long_program_is_encoded_once(speech, tmp_path, monkeypatch):
    """The codec of this format takes several tenths of a LU: without a look beforehand it would be encoded twice."""
    monkeypatch.setattr(mastering, "SHORTEST_S", 25)  # of a program that is looked at: encoding two minutes takes longer than all else here
    x = np.resize(speech, 30 * RATE).astype(np.float32)
    program, counts = Sound(np.stack([x, x]), RATE), Counter()
    real = mastering.encode

    def counted(source, path, *args, **kwargs):
        counts["whole" if source.frames > 25 * source.rate else "probe"] += 1
        real(source, path, *args, **kwargs)

    monkeypatch.setattr(mastering, "encode", counted)
    masters = make_masters(program, tmp_path, "long", [find_target("podcast-stereo")], [find_format("mp3")])
    assert [m.proof.problems for m in masters.made] == [()] and counts == {"probe": 1, "whole": 1}
    assert masters.made[0].proof.measured.loudness.integrated_lufs == pytest.approx(-16.0, abs=0.1)
