"""Cuts, seams and findings that are too small to be told apart are shown as how much of them there is, and the sound stays in full ink."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor, QImage

from dubbin.core.episode.model import Cut
from dubbin.core.speech.pauses import Pause
from dubbin.window.lanes.density import covered_shares
from dubbin.window.lanes.marks import BAND_H, BAND_TOP, _apart
from dubbin.window.shell.step import Step

spans = st.lists(st.tuples(st.floats(-20, 60), st.floats(0, 30)), max_size=8)


@given(spans)
def test_shares_are_what_spans_cover_of_each_column(pairs):
    pairs = sorted((a, a + length) for a, length in pairs)
    left, right = _apart(np.array([a for a, _ in pairs]), np.array([b for _, b in pairs]))
    fine = (np.arange(40 * 100) + 0.5) / 100
    covered = np.zeros(len(fine), bool)
    for a, b in pairs:
        covered |= (fine >= a) & (fine < b)
    assert np.abs(covered_shares(left, right, 40) - covered.reshape(40, 100).mean(axis=1)).max() < 0.15


def test_the_whole_length_of_spans_is_shown():
    left = np.array([0.2, 3.7, 9.0])
    right = np.array([0.9, 4.1, 9.5])
    assert covered_shares(left, right, 12).sum() == pytest.approx(np.sum(right - left))


def picture_of(widget) -> np.ndarray:
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    data = image.constBits().asarray(image.sizeInBytes())
    return (
        np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].copy()
    )  # the picture goes


def has(picture: np.ndarray, colour: QColor) -> np.ndarray:
    wanted = np.array([colour.blue(), colour.green(), colour.red()])
    return (np.abs(picture.astype(int) - wanted) < 12).all(axis=-1)


def test_from_afar_cuts_leave_the_waves_and_stand_in_a_band_of_their_own(window):
    session, lanes = window.session, window.lanes
    whole = session.episode.frames
    session.document._preview = None
    window.view.show_all()
    lanes.clearFocus()  # whose frame is not what is looked at
    before = picture_of(lanes)
    step = whole // 400
    cuts = tuple(Cut(k * step, k * step + step // 3) for k in range(100, 200))
    session.preview(type("Change", (), {"episode": replace(session.episode, cuts=cuts)})())
    after = picture_of(lanes)
    bottom = int(lanes._bottom())
    assert np.array_equal(before[40 : bottom - 2], after[40 : bottom - 2]), "the sound is as it was"
    band = has(after[bottom + BAND_TOP : bottom + BAND_TOP + BAND_H], lanes._theme.colours.q("thread"))
    width = after.shape[1]
    marked = np.flatnonzero(band.any(axis=0))
    assert marked.min() > 0.2 * width and marked.max() < 0.55 * width
    session.end_preview()


def test_from_afar_pauses_that_would_go_stand_where_they_are_and_those_that_are_cut_do_not(window, monkeypatch):
    session, lanes = window.session, window.lanes
    rate, whole = session.episode.rate, session.episode.frames
    session.document._preview = None
    window.go_step(Step.EDIT)
    window.view.show_all()
    monkeypatch.setattr(session.analyses, "pauses", lambda: ())
    calm = picture_of(lanes)
    step = whole / rate / 300
    pauses = tuple(Pause(k * step, (k + 0.5) * step, k * step, (k + 0.5) * step) for k in range(100, 200))
    monkeypatch.setattr(session.analyses, "pauses", lambda: pauses)
    marked = picture_of(lanes)
    bottom = int(lanes._bottom())

    def columns(picture: np.ndarray) -> np.ndarray:
        return np.flatnonzero((picture[bottom + 2 : bottom + 6] != calm[bottom + 2 : bottom + 6]).any(axis=(0, 2))) / calm.shape[1]

    assert columns(marked).min() == pytest.approx(1 / 3, abs=0.02) and columns(marked).max() == pytest.approx(2 / 3, abs=0.02)
    gone = Cut(round(90 * step * rate), round(150 * step * rate))
    session.preview(type("Change", (), {"episode": replace(session.episode, cuts=(gone,))})())
    monkeypatch.setattr(session.analyses, "pauses", lambda: ())
    calm = picture_of(lanes)
    monkeypatch.setattr(session.analyses, "pauses", lambda: pauses)
    assert columns(picture_of(lanes)).min() == pytest.approx(1 / 2, abs=0.02)
    session.end_preview()
