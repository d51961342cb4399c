"""The model: time maps, commands and history, file and journal."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import strategies as st

from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.commands.cuts import (
    cut_pause,
    cut_stretch,
    put_back,
    set_pauses,
)
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.episode.model import Cut, CutKind, Episode, Lane, Recording
from dubbin.core.errors import BadEpisode
from dubbin.core.speech.pauses import Pause

LENGTH = 100_000


def episode(**fields) -> Episode:
    recording = Recording("r", "/tmp/a.wav", "f", LENGTH, 48000, 1)
    return replace(new_episode(), recordings=(recording,), lanes=(Lane("l", "r", (0,), "Ines"),), **fields)


frames = st.integers(0, LENGTH)
stretches = st.tuples(frames, frames).filter(lambda s: s[0] != s[1]).map(sorted)


def test_a_pause_that_was_put_back_stays_whatever_the_settings():
    pause = Pause(0.5, 1.5, 0.6, 1.4)
    start = set_pauses(episode(), episode().pauses, [pause], on=True).episode
    assert [c.kind for c in start.cuts] == [CutKind.PAUSE]
    kept = put_back(start, start.cuts[0]).episode
    wider = Pause(0.5, 1.5, 0.55, 1.45)
    again = set_pauses(kept, replace(kept.pauses, leave_after_s=0.05), [wider], on=True).episode
    assert again.cuts == ()
    assert cut_pause(again, wider).episode.kept_pauses == ()


def test_hand_cuts_survive_a_change_of_the_pauses():
    start = cut_stretch(episode(), 1000, 2000).episode
    after = set_pauses(start, start.pauses, [Pause(1, 2, 1.1, 1.9)], on=True).episode
    assert Cut(1000, 2000) in after.cuts and len(after.cuts) == 2
    assert set_pauses(after, after.pauses, [], on=False).episode.cuts == start.cuts


@pytest.mark.parametrize("text", ["", "{", "[]", '{"schema": "other"}', '{"schema": "dubbin-episode", "version": 99}',
                                  '{"schema": "dubbin-episode", "version": 1, "episode": {"id": 5}}'])  # fmt: skip
def test_a_wrong_episode_file_is_said_in_a_sentence(tmp_path, text):
    path = tmp_path / "e.dubbin"
    path.write_text(text)
    with pytest.raises(BadEpisode, match=r"\.$"):
        load_episode(path)


def test_after_a_crash_everything_is_there(tmp_path):
    document = Document(tmp_path, episode())
    document.do(cut_stretch(document.episode, 10, 20))
    document.do(cut_stretch(document.episode, 30, 40))
    document.undo()
    document.do(set_level(document.episode, "l", 3.0))
    document._journal.abandon()
    with open(document._journal.path, "ab") as f:
        f.write(b'{"kind": "do", "half')  # the crash tore the last line
    (item,) = left_over(tmp_path)
    assert item.steps == 4 and item.last_step.startswith("Level")
    again = Document.recovered(tmp_path, item)
    assert again.episode == document.episode
    assert [s.title for s in again.history.done] == [s.title for s in document.history.done]
    again.close()
