"""Arrays in files: the same as NumPy reads, and nothing that is evaluated."""

from __future__ import annotations

import ast
import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from dubbin.core import array_files
from dubbin.core.sound.peaks import PeakPyramid, peaks_of
from dubbin.core.sound.source import Sound
from tests.conftest import noise

KINDS = st.sampled_from(["<f2", "<f4", "<f8", "|i1", "<i2", "<i8", "|u1", "|b1"])


def written(x: np.ndarray) -> bytes:
    out = io.BytesIO()
    np.save(out, x)
    return out.getvalue()


@given(arrays.arrays(KINDS, arrays.array_shapes(min_dims=0, max_dims=4, min_side=0, max_side=5)), st.booleans())
def test_what_numpy_writes_is_read_as_numpy_reads_it(x, turned):
    data = written(x.T if turned else x)
    found, known = array_files.array_in(data), np.load(io.BytesIO(data))
    assert (found.dtype, found.shape, found.tobytes()) == (known.dtype, known.shape, known.tobytes())


@given(st.binary(max_size=60), st.integers(0, 200))
def test_what_is_damaged_is_refused_or_has_the_size_it_says(other, at):
    whole = written(np.arange(12.0).reshape(3, 4))
    data = whole[:at] + other + whole[at + len(other) :]
    try:
        found = array_files.array_in(data)
    except ValueError:
        return
    assert found.nbytes <= len(data)


@pytest.mark.parametrize("kind", ["<f3", "<f4"])
@pytest.mark.parametrize("shape", ["9, 9", "3 4,", "4", "0, " + 24 * "9", 24 * "9" + ","])
def test_a_head_that_can_not_be_is_refused(kind, shape):
    head = f"{{'descr': '{kind}', 'fortran_order': False, 'shape': ({shape}), }}".ljust(117) + "\n"
    whole = written(np.arange(12, dtype=np.float32).reshape(3, 4))
    with pytest.raises(ValueError):
        array_files.array_in(whole[:10] + head.encode() + whole[128:])
    usual = head.replace(kind, "<f4").replace(f"({shape})", "(3, 4)").rstrip().ljust(117) + "\n"
    assert array_files.array_in(whole[:10] + usual.encode() + whole[128:]).shape == (3, 4)


@pytest.mark.parametrize("x", [np.array([{}]), np.array(["a"]), np.zeros(2, [("a", "<f4")]), np.zeros(2, ">f4"), np.zeros(2, "<c8")])
def test_only_numbers_as_they_stand_in_memory_are_read(x):
    out = io.BytesIO()
    np.save(out, x, allow_pickle=True)
    with pytest.raises(ValueError):
        array_files.array_in(out.getvalue())


def test_nothing_is_parsed_as_python(tmp_path, monkeypatch):
    """Python's parser counts its depth with one number for all threads, so that two files read at once could fail."""
    peaks = peaks_of(Sound(noise(1, -20)[None].astype(np.float32), 48000))
    peaks.save(tmp_path / "a.peaks")
    monkeypatch.setattr(ast, "parse", lambda *_, **__: pytest.fail("parsed"))
    assert PeakPyramid.load(tmp_path / "a.peaks", 1, 48000).levels[0].tobytes() == peaks.levels[0].tobytes()
    for part, name in (("measure", "clicks"), ("treat", "room-mask"), ("speech", "two-at-once"), ("speech", "speaker-encoder")):
        assert array_files.weights(f"dubbin.core.{part}", name)
