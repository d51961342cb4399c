"""A program that edits an episode, tells each step once it is taken, and is killed while it does."""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator
from pathlib import Path

from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.episode.commands.words import correct_word
from dubbin.core.episode.document import Document
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.speech.transcript import Transcript, Word

STEPS = 150
WORDS = 300


def first_episode(seed: int) -> Episode:
    """What the program begins with."""
    return Episode(
        id=f"victim{seed}",
        recordings=(Recording("r", "/nowhere/a.wav", "f", 4_800_000, 48000, 1),),
        lanes=(Lane("l", "r", (0,), "Ines"),),
        transcripts=(Transcript("l", tuple(Word(f"word{k}", k * 4000, k * 4000 + 3000) for k in range(WORDS))),),
    )


def states(document: Document, seed: int, folder: Path) -> Iterator[Episode]:
    """Take steps of all kinds, by chance but the same for a seed; the episode after each."""
    chance = random.Random(seed)
    for k in range(STEPS):
        kind, at = chance.random(), chance.randrange(4_000_000)
        if kind < 0.4:
            document.do(cut_stretch(document.episode, at, at + 1 + chance.randrange(20_000)))
        elif kind < 0.6:
            document.do(correct_word(document.episode, "l", chance.randrange(WORDS), f"other{k}"))
        elif kind < 0.7:
            document.do(add_marker(document.episode, at, f"marker {k}"))
        elif kind < 0.75:
            document.do(name_voice(document.episode, "l", f"Voice {k}"))
        elif kind < 0.85:
            document.undo()
        elif kind < 0.95:
            document.redo()
        else:
            document.save(folder / "victim.dubbin")
        yield document.episode


def main() -> None:
    folder, seed = Path(sys.argv[1]), int(sys.argv[2])
    document = Document(folder / "journals", first_episode(seed))
    for count, _ in enumerate(states(document, seed, folder), 1):
        print(count, flush=True)
    print("end", flush=True)
    sys.stdin.read()


if __name__ == "__main__":
    main()
