"""Compiles what is compiled at first use, from reading files to their masters: `python -m dubbin.core.batch.warm_up`."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import soundfile

from dubbin.core.batch.inputs import find_inputs
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.steps import Work, run_one
from dubbin.core.deliver.recipe import Recipe
from dubbin.core.folders import Folders
from dubbin.core.speech.warm_up import main as warm_up_speech

RATE, SECONDS = 48000, 12
FILES = (("PCM_16", 1), ("PCM_24", 2), ("FLOAT", 1))  # what samples are written as, and channels: each is read in a way of its own


def main() -> None:
    """Treatments and speech one by one, then a short episode as everybody works on one: from files of several kinds, by the card, through the caches, to masters."""
    warm_up_speech()
    with TemporaryDirectory() as folder:
        short_episode(Path(folder))


def short_episode(folder: Path) -> Outcome:
    """Make one in a folder, with all its files, from recordings of noise that comes and goes, with clicks, hum and an outburst for the limiter."""
    talk, out = folder / "talk", folder / "out"
    talk.mkdir()
    out.mkdir()
    n = np.arange(SECONDS * RATE)
    for seed, (subtype, channels) in enumerate(FILES):
        rng = np.random.default_rng(seed)
        loud = np.abs(np.sin(2 * np.pi * 1.5 * n / RATE)) * (np.sin(2 * np.pi * 0.2 * n / RATE + 2 * np.pi * seed / len(FILES)) > 0)
        loud[-RATE // 10 :] = 6.0
        x = 0.1 * (0.01 + loud)[:, None] * rng.standard_normal((len(n), channels)) + 0.02 * np.sin(2 * np.pi * 50 * n / RATE)[:, None]
        x[RATE // 3 :: RATE] += 0.7
        soundfile.write(talk / f"{subtype}.wav", np.clip(x, -0.9, 0.9).astype(np.float32), RATE, subtype=subtype)
    (item,) = find_inputs([talk], out)
    return run_one(
        Work(item, "talk", Recipe(fillers=False, retakes=False)), out, Folders(folder / "cache", folder / "state", folder / "documents")
    )


if __name__ == "__main__":
    main()
