"""Numbered backups: the latest is number 1, and no more are kept than were asked for."""

from __future__ import annotations

import itertools

from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.episode.backups import backups, keep_backup


def test_what_stood_there_before_each_saving_is_kept_the_latest_first(tmp_path):
    episode, folder = tmp_path / "talk.dubbin", tmp_path / "kept"
    keep_backup(episode, folder, 3)  # there is no file yet
    for text in ("one", "two", "three", "four", "five"):
        keep_backup(episode, folder, 3)
        episode.write_text(text)
    found = backups(folder)
    assert [b.number for b in found] == [1, 2, 3]
    assert [b.path.read_text() for b in found] == ["four", "three", "two"]


def test_saving_again_without_a_change_keeps_nothing_twice(tmp_path):
    episode, folder = tmp_path / "talk.dubbin", tmp_path / "kept"
    episode.write_text("same")
    for _ in range(4):
        keep_backup(episode, folder, 5)
    assert len(backups(folder)) == 1


def test_with_none_wanted_nothing_is_written(tmp_path):
    episode = tmp_path / "talk.dubbin"
    episode.write_text("one")
    keep_backup(episode, tmp_path / "kept", 0)
    assert not (tmp_path / "kept").exists() and backups(tmp_path / "kept") == []


@given(st.lists(st.text("ab", min_size=1, max_size=2), max_size=12), st.integers(1, 5))
def test_there_are_never_more_than_wanted_and_never_two_alike_in_a_row(texts, most):
    import tempfile
    from pathlib import Path

    with tempfile.TemporaryDirectory() as temporary:
        episode, folder = Path(temporary) / "talk.dubbin", Path(temporary) / "kept"
        for text in texts:
            keep_backup(episode, folder, most)
            episode.write_text(text)
        found = backups(folder)
        contents = [b.path.read_text() for b in found]
        assert len(found) <= most and [b.number for b in found] == list(range(1, len(found) + 1))
        assert all(a != b for a, b in itertools.pairwise(contents))
