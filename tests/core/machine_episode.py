"""The episode that tests of documents and of programs that are killed begin with; a module of its own, which such a program imports in no time."""

from __future__ import annotations

from dubbin.core.episode.model import Episode, Lane, Recording, Role
from dubbin.core.speech.transcript import Transcript, Word, WordKind

RATE = 48000
LENGTH = 60 * RATE


def first_episode() -> Episode:
    """Two voices and music, with words and a few pauses to cut."""
    taken = tuple(Recording(r, f"/{r}.wav", r * 8, LENGTH, RATE, 1) for r in ("a", "b", "m"))
    on = (Lane("a", "a", (0,), "Ines"), Lane("b", "b", (0,), "Tobias", start_frame=RATE // 2), Lane("m", "m", (0,), "Music", Role.MUSIC))
    said = tuple(
        Transcript(
            lane,
            tuple(Word(f"{lane}{k}", k * RATE, k * RATE + RATE // 2, WordKind.FILLER if k % 7 == 3 else WordKind.WORD) for k in range(50)),
        )
        for lane in ("a", "b")
    )
    return Episode("e1", "Machine", RATE, taken, on, transcripts=said)
