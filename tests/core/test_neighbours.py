"""Filters over neighbouring values give what SciPy's own give, to the bit, without loading what lies around them."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from dubbin.core.sound import neighbours

MODES = st.sampled_from(sorted(neighbours.MODES))
TYPES = st.sampled_from([np.float32, np.float64])


def drawn(seed: int, *shape: int, dtype=np.float64) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(shape).astype(dtype)


@settings(max_examples=60)
@given(st.integers(0, 99), st.integers(1, 60), st.integers(1, 30), MODES, TYPES)
def test_along_one_line(seed, count, size, mode, dtype):
    x = drawn(seed, count, dtype=dtype)
    for name in ("uniform_filter1d", "minimum_filter1d", "maximum_filter1d"):
        found, expected = getattr(neighbours, name)(x, size, mode=mode), getattr(ndimage, name)(x, size, mode=mode)
        assert found.dtype == expected.dtype == dtype
        np.testing.assert_array_equal(found, expected, err_msg=name)
    np.testing.assert_array_equal(neighbours.median_filter(x, size, mode=mode), ndimage.median_filter(x, size, mode=mode))
    for share in (0, 7, 25, 90, 100):
        found, expected = neighbours.percentile_filter(x, share, size, mode), ndimage.percentile_filter(x, share, size, mode=mode)
        np.testing.assert_array_equal(found, expected)


@settings(max_examples=40)
@given(st.integers(0, 99), st.integers(1, 60), st.floats(0.3, 9.0), st.sampled_from([3.0, 4.0]), MODES)
def test_weighted_means(seed, count, sigma, truncate, mode):
    x = drawn(seed, count)
    found, expected = (f.gaussian_filter1d(x, sigma, mode=mode, truncate=truncate) for f in (neighbours, ndimage))
    np.testing.assert_allclose(found, expected, rtol=1e-12, atol=1e-14)
    for width in (1, 4, 5):
        weights = np.hanning(width + 2)[1:-1]
        np.testing.assert_array_equal(neighbours.weighted_filter1d(x, weights, mode), ndimage.convolve1d(x, weights, mode=mode))


@settings(max_examples=40)
@given(st.integers(0, 99), st.integers(1, 9), st.integers(1, 12), st.integers(1, 7), MODES, TYPES)
def test_of_several_lines(seed, rows, columns, size, mode, dtype):
    x = drawn(seed, rows, columns, dtype=dtype)
    for axis in (0, 1, -1):
        np.testing.assert_array_equal(neighbours.uniform_filter1d(x, size, axis, mode), ndimage.uniform_filter1d(x, size, axis, mode=mode))
        for origin in (0, size // 2):
            if size // 2 + origin < size:
                found = neighbours.maximum_filter1d(x, size, axis, mode, origin)
                np.testing.assert_array_equal(found, ndimage.maximum_filter1d(x, size, axis, mode=mode, origin=origin))
    np.testing.assert_array_equal(neighbours.uniform_filter(x, (size, 3), mode), ndimage.uniform_filter(x, (size, 3), mode=mode))
    np.testing.assert_array_equal(neighbours.median_filter(x, 5, mode), ndimage.median_filter(x, (1, 5), mode=mode))


@settings(max_examples=80)
@given(st.lists(st.booleans(), min_size=1, max_size=60), st.integers(1, 12))
def test_yes_and_no(values, size):
    x, around = np.array(values), np.ones(size)
    np.testing.assert_array_equal(neighbours.dilated(x, size), ndimage.binary_dilation(x, around))
    np.testing.assert_array_equal(neighbours.closed(x, size), ndimage.binary_closing(x, around))
    np.testing.assert_array_equal(neighbours.opened(x, size), ndimage.binary_opening(x, around))
    np.testing.assert_array_equal(neighbours.dilated(x, 2 * size + 1), ndimage.binary_dilation(x, iterations=size))


def test_small_numbers_and_none():
    x = np.array([3, 250, 7, 7, 9], np.uint8)
    assert neighbours.median_filter(x, 3).dtype == np.uint8
    np.testing.assert_array_equal(neighbours.median_filter(x, 3), ndimage.median_filter(x, 3))
    assert neighbours.median_filter(np.zeros((0, 4)), 3).shape == (0, 4)


@pytest.mark.parametrize("first", ["neighbours.median_filter(np.arange(9.0), 3)", "import scipy.ndimage"])
def test_the_rest_of_scipys_is_not_loaded_and_can_be_later(first):
    code = f"""
import sys, numpy as np
from dubbin.core.sound import neighbours
{first}
print("scipy.ndimage._filters" in sys.modules)
a = neighbours.uniform_filter1d(np.arange(9.0), 3)
import scipy.ndimage
assert (a == scipy.ndimage.uniform_filter1d(np.arange(9.0), 3)).all() and neighbours.closed(np.ones(3, bool), 3).any()
"""
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=60).stdout
    assert said.strip() == str(first.startswith("import"))


def test_where_scipys_compiled_part_lies_elsewhere_all_of_it_is_loaded(monkeypatch, tmp_path):
    neighbours._compiled.cache_clear()
    monkeypatch.delitem(sys.modules, "scipy.ndimage._nd_image")
    monkeypatch.setattr("dubbin.core.compiled_module.folder_of", lambda package: tmp_path)
    for name in [name for name in sys.modules if name.startswith("scipy.ndimage")]:
        monkeypatch.delitem(sys.modules, name)
    try:
        np.testing.assert_array_equal(neighbours.uniform_filter1d(np.array([0.0, 3.0, 0.0]), 3), [1.0, 1.0, 1.0])
    finally:
        neighbours._compiled.cache_clear()


def test_what_checks_a_file_does_not_load_all_of_scipys_filters():
    code = (
        "import sys, numpy as np\n"
        "from dubbin.core.measure.measuring import measure_recording\n"
        "from dubbin.core.sound.source import Sound\n"
        "measure_recording(Sound(np.random.default_rng(0).standard_normal((1, 96000)).astype('f') / 9, 48000))\n"
        "print([m for m in ('scipy.ndimage', 'scipy.signal', 'scipy.special') if m in sys.modules])"
    )
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=120).stdout.strip() == "[]"
