"""Where a cut falls, how its two sides are joined, and what may be heard of it; stretches that are covered."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.episode.commands.lanes import cover
from dubbin.core.episode.model import Cover, CoverKind, Episode, FrameRange, Lane, Recording, SeamShape
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.mix.cover import Covered, fade_frames
from dubbin.core.mix.program import Program
from dubbin.core.mix.seam import plan_seam
from dubbin.core.mix.seam_check import check_seam
from dubbin.core.sound.source import Sound
from dubbin.core.speech.edges import cut_around, in_step
from tests.conftest import RATE, noise, rms_db, tone


def mono(x: np.ndarray) -> Sound:
    return Sound(np.ascontiguousarray(x, np.float32)[None], RATE)


def test_a_seam_in_one_and_the_same_tone_has_no_bump():
    sound = tone(200.0, 3.0, -20)
    program = Program(sound, TimeMap([(0, 48_000), (96_000, 140_000)]), None)  # a whole number of periods apart
    x = program.read(0, program.frames)[0]
    assert program.plan(1).shape is SeamShape.GAIN
    assert np.max(np.abs(x[46_000:50_000])) == pytest.approx(np.max(np.abs(sound.samples)), rel=0.01)


def test_length_and_shape_can_be_set_by_hand():
    sound = mono(noise(3.0, -50, 2))
    plan = plan_seam(sound, 40_000, 90_000, 10_000, 20.0, SeamShape.GAIN)
    assert plan.half == 480 and plan.shape is SeamShape.GAIN
    program = Program(sound, TimeMap([(0, 40_000), (90_000, 120_000)]), None, {(40_000, 90_000): (80.0, SeamShape.AUTO)})
    assert program.plan(1).half == 1920


def words(gaps_s: list[float], length_s: float = 0.3) -> tuple[np.ndarray, list[tuple[int, int]]]:
    """Bursts of a voiced sound with gaps between, over a little noise; where they lie."""
    parts, spans, at = [np.zeros(RATE // 2)], [], RATE // 2
    n = np.arange(round(length_s * RATE))
    burst = 0.2 * np.sign(np.sin(2 * np.pi * 120 * n / RATE)) * np.hanning(len(n)) ** 0.3
    for gap in [*gaps_s, 0.5]:
        parts += [burst, np.zeros(round(gap * RATE))]
        spans.append((at, at + len(burst)))
        at += len(burst) + round(gap * RATE)
    x = np.concatenate(parts)
    return x + noise(len(x) / RATE + 1, -62, 3)[: len(x)], spans


@pytest.mark.parametrize("before,after", [(0.1, 0.25), (0.4, 0.1), (0.6, 0.7), (0.05, 0.05)])
def test_a_cut_of_a_word_leaves_its_neighbours_whole_and_a_natural_pause(before, after):
    x, spans = words([before, after])
    cut = cut_around(mono(x), *spans[1], spans[0][1], spans[2][0])
    assert cut.start_frame >= spans[0][1] - 1 and cut.end_frame <= spans[2][0] + 1
    assert cut.start_frame <= spans[1][0] + RATE // 500 and cut.end_frame >= spans[1][1] - RATE // 500
    left = (spans[2][0] - spans[0][1] - (cut.end_frame - cut.start_frame)) / RATE
    assert 0.5 * min(max(before, after), 0.3) <= left <= 0.45
    assert not cut.is_tight


def test_words_that_are_joined_on_both_sides_are_marked():
    n = np.arange(2 * RATE)
    x = mono(0.1 * np.sign(np.sin(2 * np.pi * 110 * n / RATE)))
    assert cut_around(x, 40_000, 50_000, 40_000, 50_000).is_tight


def test_waves_meet_in_step():
    sound = tone(130.0, 2.0, -20)
    end = in_step(sound, 40_000, 60_123)
    period = RATE / 130.0
    off = (end - 40_000) % period
    assert min(off, period - off) < 4


def test_doubtful_seams_are_those_that_jump():
    quiet, loud = noise(4.0, -62, 4), noise(4.0, -50, 5)
    voiced = tone(120.0, 4.0, -20).samples[0], tone(210.0, 4.0, -20).samples[0]
    x = mono(np.concatenate([quiet, loud, voiced[0], voiced[1]]))
    assert not check_seam(x, RATE, 2 * RATE).is_doubtful
    even = mono(np.concatenate([quiet + _talk(4.0), loud + _talk(4.0)]))
    assert any("noise" in p for p in check_seam(even, 3 * RATE, 5 * RATE).problems)
    assert any("pitch" in p for p in check_seam(x, 10 * RATE, 13 * RATE).problems)
    assert not check_seam(x, 9 * RATE, 10 * RATE).is_doubtful


def _talk(seconds: float) -> np.ndarray:
    """Syllables of a voice with silence between."""
    n = np.arange(round(seconds * RATE))
    return (0.15 * np.sin(2 * np.pi * 140 * n / RATE) * (np.sin(2 * np.pi * 0.9 * n / RATE) > 0.3)).astype(np.float32)


@pytest.mark.parametrize("kind", list(CoverKind))
def test_a_cover_hides_its_stretch_and_nothing_else(kind):
    x = tone(300.0, 3.0, -12).samples[0].copy()
    x[100_000:] = noise(3.0, -55, 6)[: len(x) - 100_000]
    source = mono(x)
    cover = Cover(40_000, 60_000, kind, -12.0, FrameRange(105_000, 140_000))
    covered = Covered(source, [cover])
    y = covered.read(0, source.frames)[0]
    fade = fade_frames(kind, RATE)
    assert np.array_equal(y[: 40_000 - fade], x[: 40_000 - fade]) and np.array_equal(y[60_000 + fade :], x[60_000 + fade :])
    lowered = {CoverKind.LOWER: -27, CoverKind.OTHER: -27}
    expected = {CoverKind.SILENCE: -300, CoverKind.TONE: -26, CoverKind.NOISE: -55, **lowered}[kind]
    assert rms_db(y[42_000:58_000]) == pytest.approx(expected, abs=0.7)
    parts = [covered.read(k, min(k + 1777, source.frames)) for k in range(0, source.frames, 1777)]
    assert np.array_equal(np.concatenate(parts, axis=1)[0], y)


def test_covers_that_begin_together_are_in_order_of_their_ends():
    recording = Recording("r", "/tmp/a.wav", "f", 10 * RATE, RATE, 1)
    episode = Episode("e", recordings=(recording,), lanes=(Lane("l", "r", (0,), "Ines"),))
    for end in (9_000, 5_000, 7_000):
        episode = cover(episode, "l", Cover(1_000, end, CoverKind.OTHER), "Cover").episode
    assert [c.end_frame for c in episode.lane("l").covers] == [5_000, 7_000, 9_000]
