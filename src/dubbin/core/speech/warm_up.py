"""Compiles what is compiled at first use, of treatments and of speech: `python -m dubbin.core.speech.warm_up`."""

from __future__ import annotations

import numpy as np

from dubbin.core.speech.activity import Activity
from dubbin.core.speech.beside_pauses import STEP_S
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.retakes import warped_distance
from dubbin.core.speech.speaker_encoder import BANDS, STEPS, points_of
from dubbin.core.speech.speakers_kernels import course
from dubbin.core.speech.word_edges import refine_edges
from dubbin.core.treat.warm_up import main as warm_up_treatments


def main() -> None:
    """Compile everything, treatments first."""
    warm_up_treatments()
    steps = round(2.0 / STEP_S)
    levels = np.random.default_rng(0).normal(-40.0, 10.0, (steps, 15)).astype(np.float32)
    activity = Activity(np.full(200, -30.0, np.float32), np.ones(200, np.float32))
    warped_distance(levels, levels)
    points_of(np.ones((1, STEPS, BANDS), np.float32))
    course(np.ones((4, 2)), np.ones(4), np.empty(4, np.int64))
    refine_edges([HeardWord("so", 0.5, 0.8, 1.0), HeardWord("then", 0.9, 1.3, 1.0)], levels, activity)


if __name__ == "__main__":
    main()
