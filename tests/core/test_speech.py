"""Pauses: the silence goes, the words stay, at any noise floor."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.pauses import PauseSettings, find_pauses
from dubbin.demo.recordings import clean_lines
from tests.conftest import RATE, noise

GAP_S = 1.6


@pytest.fixture(scope="module")
def lines():
    """Clean lines with known silence between: the sound and the (start, end) in seconds of every line."""
    parts, spans, at = [], [], 0
    for x in clean_lines()[:16]:
        loud = np.flatnonzero(np.abs(x) > 10 ** (-52 / 20))
        x = x[loud[0] : loud[-1]]
        spans.append(((at) / RATE, (at + len(x)) / RATE))
        parts += [x, np.zeros(round(GAP_S * RATE))]
        at += len(x) + round(GAP_S * RATE)
    return np.concatenate(parts).astype(np.float32), spans


@pytest.mark.parametrize("floor_db", [-65, -58, -50, -42])
def test_silence_goes_and_no_word_is_clipped(lines, floor_db):
    x, spans = lines
    sound = Sound((x + noise(len(x) / RATE + 1, floor_db, 7)[: len(x)])[None], RATE)
    found = find_pauses([(0.0, find_activity(sound))], PauseSettings(), len(x) / RATE)
    gone = sum(p.cut_end_s - p.cut_start_s for p in found)
    inside = 0.0
    for p in found:
        for a, b in spans:
            lost = min(p.cut_end_s, b) - max(p.cut_start_s, a)
            if lost > 0:
                # Only what stands out of the noise counts as lost.
                part = x[round(max(p.cut_start_s, a) * RATE) : round(min(p.cut_end_s, b) * RATE)]
                frames = part[: len(part) // 240 * 240].reshape(-1, 240)
                level = 10 * np.log10(np.mean(frames**2, axis=1) + 1e-12)
                heard = np.count_nonzero(level > max(floor_db, -55)) * 0.005
                assert heard <= 0.015 or b - a - lost < 0.5, f"{heard:.3f} s of speech lost at {a:.2f} s"
                inside += lost
    silence = GAP_S * len(spans)
    assert gone - inside >= 0.9 * silence


def test_settings_leave_what_they_say(lines):
    x, _ = lines
    sound = Sound((x + noise(len(x) / RATE + 1, -60)[: len(x)])[None], RATE)
    activity = find_activity(sound)
    duration = len(x) / RATE
    wide = PauseSettings(leave_before_s=0.2, leave_after_s=0.3, keep_s=0.8)
    for pause in find_pauses([(0.0, activity)], wide, duration)[:-1]:
        if pause.start_s > 0:
            left = (pause.end_s - pause.start_s) - (pause.cut_end_s - pause.cut_start_s)
            assert left == pytest.approx(0.8, abs=1e-6)
            assert pause.cut_start_s - pause.start_s >= 0.3 - 1e-9 and pause.end_s - pause.cut_end_s >= 0.2 - 1e-9
    longer = find_pauses([(0.0, activity)], PauseSettings(longer_than_s=1.7), duration)
    assert len(longer) < len(find_pauses([(0.0, activity)], PauseSettings(), duration))


def test_one_voice_speaking_is_no_pause_for_the_other(lines):
    x, _ = lines
    first = find_activity(Sound(x[None], RATE))
    shifted = find_activity(Sound(np.roll(x, round(0.8 * RATE))[None], RATE))
    alone = sum(p.end_s - p.start_s for p in find_pauses([(0.0, first)], PauseSettings(), len(x) / RATE))
    both = sum(p.end_s - p.start_s for p in find_pauses([(0.0, first), (0.0, shifted)], PauseSettings(), len(x) / RATE))
    assert both < 0.7 * alone


def test_silence_alone_is_one_pause():
    sound = Sound(np.zeros((1, 5 * RATE), np.float32), RATE)
    found = find_pauses([(0.0, find_activity(sound))], PauseSettings(), 5.0)
    assert len(found) == 1 and found[0].cut_end_s - found[0].cut_start_s == pytest.approx(5.0)
