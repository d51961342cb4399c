"""Hours of words without a single pause, as of a recording whose pauses somebody has cut: put to their sound in how much time and memory."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import FRAMES_PER_S, Activity, find_activity
from dubbin.core.speech.beside_pauses import STEP_S
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.word_edges import BANDS_HZ, refine_edges

HOURS = (0.5, 1.0, 3.0)
WORD_S, APART_S = 0.30, 0.45  # how long a word is, and from one to the next
MADE_AT_ONCE = 100_000


def put_to_its_sound(hours: float, peak_mb: Callable[[], int]) -> tuple[float, int]:
    """(seconds of one core, MB beside what was there) for so many hours; what is heard is made up, since time and memory do not depend on it."""
    draw, count = np.random.default_rng(0), round(hours * 3600 / STEP_S)
    levels = np.empty((count, len(BANDS_HZ) - 1), np.float32)
    for k in range(0, count, MADE_AT_ONCE):
        levels[k : k + MADE_AT_ONCE] = draw.normal(-60.0, 10.0, levels[k : k + MADE_AT_ONCE].shape)
    short = find_activity(Sound(draw.normal(0.0, 0.01, (1, 20 * 48000)).astype(np.float32), 48000))
    marks = round(hours * 3600 * FRAMES_PER_S)
    activity = Activity(np.resize(short.level_db, marks), np.resize(short.excess_db, marks))
    words = [HeardWord("hello", k * APART_S, k * APART_S + WORD_S, 0.9) for k in range(round(hours * 3600 / APART_S) - 3)]
    before, started = peak_mb(), time.process_time()
    refine_edges(words, levels, activity)
    return time.process_time() - started, peak_mb() - before
