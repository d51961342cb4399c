"""Writes files of one kind over and over until it is killed. Run in a process of its own."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.file import save_episode
from dubbin.core.folders import Folders
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import write_sound
from dubbin.core.treat.tiles import DiskTiles
from tests.core.machine_episode import first_episode

RATE = 48000


def main(kind: str, folder: Path) -> None:
    x = np.random.default_rng(1).normal(0, 0.05, (1, 5 * RATE)).astype(np.float32)
    sound, k = Sound(x, RATE), 0
    print("ready", flush=True)
    while True:
        k += 1
        if kind == "save":
            save_episode(replace(first_episode(), title=f"{k} " * 2000), folder / "e.dubbin")
        elif kind == "sound":
            write_sound(sound, folder / "s.flac")
        elif kind == "masters":
            make_masters(sound, folder, "m", [find_target("podcast-mono")], [find_format("wav"), find_format("mp3")])
        elif kind == "tiles":
            DiskTiles(folder / "stage").put(k % 5, x[:, : RATE * (1 + k % 4)])
        elif kind == "figures":
            KeptResults(folder / "figures").keep("kind", k % 3, {"a": [float(k)] * 20_000})
        elif kind == "copies":
            write_sound(Sound(x * (1 + k % 7) / 10, RATE), folder / "in.flac")
            WorkingCopies(Folders(folder, folder, folder).copies).obtain(folder / "in.flac", 44100)


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]))
