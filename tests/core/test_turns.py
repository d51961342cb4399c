"""Whoever goes on when: the same work comes to the same."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
import soundfile as sf

from dubbin.core.card.run import run_card
from dubbin.core.card.state import CardResources
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.importing import ImportedFile, import_file
from dubbin.core.episode.model import Role
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, at_length, noise
from tests.turns import turns_anywhere


def from_recordings_to_masters(recordings: list[Path], home: Path) -> list[bytes]:
    """A program's whole work from nothing; what is in its masters."""
    copies, tiles, kept = WorkingCopies(home / "copies"), DiskTileCache(home / "tiles"), KeptResults(home / "figures")
    taken: dict[Path, ImportedFile] = {}

    def take(path: Path) -> None:
        taken[path] = import_file(path, copies, RATE)

    in_parallel(take, recordings, Task())
    lanes = [replace(taken[path].lanes[0], id=path.stem, role=Role.VOICE) for path in recordings]
    episode = add_recordings(new_episode(), [taken[path].recording for path in recordings], lanes).episode
    for change in run_card(episode, CardResources(copies, tiles, kept)).changes:
        episode = change(episode).episode
    program = balanced_program(episode, episode_sounds(episode, copies, tiles), kept=kept)
    (home / "out").mkdir()
    formats = [find_format(name) for name in ("wav", "flac", "mp3", "m4a")]
    masters = make_masters(program, home / "out", "m", [find_target("podcast-stereo")], formats)
    assert not masters.failed
    return [sf.read(home / "out" / "m.podcast-stereo.wav")[0].tobytes(), (home / "out" / "m.podcast-stereo.mp3").read_bytes()]


@pytest.mark.parametrize("k", at_length(1, 2))
def test_whoever_goes_on_when_the_masters_are_the_same(speech, tmp_path, k):
    said = speech[: 12 * RATE]
    one, two = said.copy(), said.copy()
    one[len(said) // 2 :] *= 0.02
    two[: len(said) // 2] *= 0.02
    sf.write(tmp_path / "one.flac", one + noise(12, -50, 1), RATE)
    sf.write(tmp_path / "two.wav", 0.4 * two + noise(12, -60, 2), RATE)
    recordings = [tmp_path / "one.flac", tmp_path / "two.wav"]
    usual = from_recordings_to_masters(recordings, tmp_path / "usual")
    with turns_anywhere():
        assert from_recordings_to_masters(recordings, tmp_path / f"other {k}") == usual
