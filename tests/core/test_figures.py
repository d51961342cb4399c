"""The figure that a treatment is judged by: one definition, the same on the card, the command line and the proof sheet."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dubbin.core.deliver.work_done import work_rows
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.measure.hum import Hum
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from dubbin.core.treat.figure import Figure, crest_db
from dubbin.core.treat.registry import REPAIRS, TREATMENTS, VOICE
from tests.conftest import RATE, noise, tone


@pytest.fixture(scope="module")
def report(request):
    x = request.getfixturevalue("speech")[: 6 * RATE] + noise(6, -50)
    return measure_recording(Sound(x[None], RATE))


def test_what_can_not_be_measured_is_said_so(report):
    figure = Figure("a", "hum", "dBFS", 1, lambda r: None, absent="none")
    assert figure.text(report) == "none" and figure.change_text(report, report) == "none → none"


def test_while_nothing_is_measured_there_are_dots(report):
    figure = Figure("a", "clicks", "clicks", 0, lambda r: 7.0)
    assert figure.text(None) == "…" and figure.change_text(report, None) == "7 → …"


def test_a_floor_that_may_lie_lower_is_said_to(report):
    (floor, _) = TREATMENTS["denoise"].figures
    below = replace(report, noise=replace(report.noise, floor_dbfs=-72.0, at_most=True))
    assert floor.text(below) == "at most −72.0 dBFS" == below.noise.floor_text and "at most" not in floor.text(report)
    assert floor.change_text(below, report) == f"at most −72.0 → {floor.text(report)}"


def test_a_change_has_the_unit_once(report):
    figure = Figure("a", "echo", "s", 2, lambda r: 0.5)
    assert figure.change_text(report, report) == "0.50 → 0.50 s"


@pytest.mark.parametrize("treatment", REPAIRS, ids=lambda t: t.name)
def test_every_repair_has_figures_with_names_of_their_own(treatment, report):
    assert treatment.figures
    for figure in treatment.figures:
        assert figure.label and figure.text(report)
    names = [f.name for t in (*REPAIRS, *VOICE) for f in t.figures]
    assert len(set(names)) == len(names)


def test_the_crest_is_the_peak_over_the_loudness():
    loudness = measure_recording(tone(997, 3, -20)).loudness
    assert crest_db(loudness) == pytest.approx(loudness.sample_peak_dbfs - loudness.integrated_lufs)
    assert crest_db(measure_recording(Sound(np.zeros((1, RATE), np.float32), RATE)).loudness) is None


def test_hard_and_soft_clipping_count_together(report):
    (figure,) = TREATMENTS["declip"].figures
    bent = replace(report, saturation=replace(report.saturation, times_s=(0.1, 0.2)))
    assert figure.read(bent) == figure.read(report) + 2


def test_the_proof_sheet_has_the_figures_of_the_repairs(report):
    after = replace(report, noise=replace(report.noise, floor_dbfs=-80.0), hum=Hum(False, None, None, 0, None))
    episode = Episode("e", recordings=(Recording("r", "x.wav", "f", RATE, RATE, 1),), lanes=(Lane("l", "r", (0,), "Ines"),))
    rows = dict(work_rows(episode, {"l": (report, after)}))["Recordings, before and after"]
    floor = TREATMENTS["denoise"].figures[0]
    assert ("Ines", floor.label, floor.change_text(report, after)) in rows
    assert all(label != "mains hum" for _, label, _ in rows), "what was measured neither before nor after is left out"
