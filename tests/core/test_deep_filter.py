"""The network block by block and side by side is the network as a whole; parts of its graphs hold what lies between their tensors."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.treat import deep_filter
from dubbin.core.treat.onnx_part import part_of
from tests.conftest import noise

ort = pytest.importorskip("onnxruntime")
FRAMES = 2 * deep_filter.BLOCK + 17  # no whole number of blocks


@pytest.fixture(scope="module")
def stretches(speech):
    """Three stretches of noisy speech, each with the running means before it."""
    out = []
    for k in range(3):
        x = speech[k * 50_000 :][: (FRAMES - 1) * deep_filter.HOP] + noise((FRAMES - 1) * deep_filter.HOP / 48000, -50, k)
        X = deep_filter.analyse(x.astype(np.float32))
        out.append(deep_filter.Stretch(X, deep_filter.features(X, deep_filter.start_means())[2]))
    return out


def whole(X, means):
    """The gains and filters that the graphs give for a stretch in one go, as they were exported."""
    graphs = deep_filter._graphs()
    ends = {
        "enc": (("feat_erb", "feat_spec"), ("e0", "e1", "e2", "e3", "c0", "emb")),
        "erb_dec": (("emb", "e3", "e2", "e1", "e0"), ("m",)),
        "df_dec": (("emb", "c0"), ("coefs",)),
    }
    known = {}
    bands, bins, _ = deep_filter.features(X, means)
    known["feat_erb"] = np.pad(bands, ((0, deep_filter.LOOK_AHEAD), (0, 0)))[None, None, deep_filter.LOOK_AHEAD :]
    known["feat_spec"] = np.pad(bins, ((0, 0), (0, deep_filter.LOOK_AHEAD), (0, 0)))[None, :, deep_filter.LOOK_AHEAD :]
    for name, (takes, makes) in ends.items():
        session = ort.InferenceSession(part_of(graphs[name], takes, makes), providers=["CPUExecutionProvider"])
        known |= dict(zip(makes, session.run(makes, {n: np.ascontiguousarray(known[n]) for n in takes}), strict=True))
    return known["m"][0, 0], known["coefs"][0]


def test_block_by_block_is_the_whole(stretches):
    X, means, _ = stretches[0]
    expected = deep_filter._applied(X, *whole(X, means))
    ((found, _),) = deep_filter.deep_filter().enhance([stretches[0]])
    assert np.max(np.abs(found - expected)) < 1e-5 * np.max(np.abs(expected))


def test_side_by_side_each_is_as_it_is_alone(stretches):
    network = deep_filter.deep_filter()
    together = network.enhance(stretches)
    for one, (found, behind) in zip(stretches, together, strict=True):
        ((alone, behind_alone),) = network.enhance([one])
        assert np.array_equal(alone, found) and np.array_equal(behind_alone.back, behind.back)
        assert all(np.array_equal(a, b) for a, b in zip(behind_alone.recurrent, behind.recurrent, strict=True))


def test_behind_a_state_a_stretch_goes_on_as_it_does_within_the_whole(stretches):
    network, (X, means, _) = deep_filter.deep_filter(), stretches[0]
    half = FRAMES // 2
    ((whole_of_it, _),) = network.enhance([stretches[0]])
    ((_, state),) = network.enhance([deep_filter.Stretch(X[:half], means)])
    between = deep_filter.features(X[:half], means)[2]
    errors = []
    for known in (state, deep_filter.start_state(), None):
        ((rest, _),) = network.enhance([deep_filter.Stretch(X[half:], between, known)])
        errors.append(float(np.sum(np.abs(rest - whole_of_it[half:])[5:-2] ** 2)))  # its first layers look back, too
    assert errors[0] < 0.05 * errors[1], "it goes on"
    assert errors[1] == errors[2], "where nothing is known it begins anew"


def test_outputs_that_no_node_makes_are_refused():
    with pytest.raises(ValueError, match="makes no nothing"):
        part_of(deep_filter._graphs()["enc"], ("e0",), ("nothing",))


@given(st.binary(min_size=1, max_size=40))
def test_what_is_no_model_is_refused_or_left_as_it_is(data):
    try:
        part_of(data, (), ())
    except ValueError as error:
        assert str(error).endswith(".")


def test_a_model_that_is_cut_off_is_refused():
    model = deep_filter._graphs()["enc"]
    with pytest.raises(ValueError, match="ONNX model"):
        part_of(model[: len(model) // 2], ("e0",), ("e1",))


def test_the_network_leaves_the_processor_as_it_was():
    """Numbers too small for a full mantissa stay numbers: a library that sets the processor to drop them does so for all that a thread does later."""
    deep_filter.DeepFilter().enhance([deep_filter.Stretch(np.zeros((FRAMES, deep_filter.BINS), np.complex64), deep_filter.start_means())])
    assert np.float32(1e-40) * np.float32(1.0) > 0.0 and float(np.nextafter(0.0, 1.0)) > 0.0
