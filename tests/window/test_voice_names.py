"""Voices remembered in the real window and named by their sound in another episode."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtWidgets import QInputDialog

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.speech.known_voices import FILE
from dubbin.demo.episode import EPISODE_FILE
from tests.window.conftest import put_down, settle
from tests.window.test_editing import edit

__all__ = ["edit"]


@pytest.fixture
def said(edit):
    sentences: list[str] = []
    edit.session.said.connect(sentences.append)
    (edit.session.folders.state / FILE).unlink(missing_ok=True)
    yield sentences
    edit.session.said.disconnect(sentences.append)
    (edit.session.folders.state / FILE).unlink(missing_ok=True)


def test_voices_that_are_remembered_name_the_lanes_and_speakers_of_another_episode(edit, qtbot, said, monkeypatch):
    edit.actions_by_id["name-voices"].run()
    assert "No voice is remembered yet" in said[-1]
    names = [lane.voice for lane in edit.session.episode.session_voices]
    edit.actions_by_id["remember-voices"].run()
    settle(qtbot, edit)
    assert "Remembered on this computer" in said[-1] and all(name in said[-1] for name in names)
    for lane, strange in zip(edit.session.episode.session_voices, ("Track 1", "Track 2"), strict=True):
        edit.session.do(name_voice(edit.session.episode, lane.id, strange))
    before = edit.session.episode
    edit.actions_by_id["name-voices"].run()
    settle(qtbot, edit)
    assert [lane.voice for lane in edit.session.episode.session_voices] == names
    edit.actions_by_id["undo"].run()
    assert edit.session.episode == before, "one step"
    lane = edit.session.episode.session_voices[0]
    transcript = edit.session.episode.transcript(lane.id)
    words = tuple(replace(w, speaker=k % 2) if w.start_frame < 0 else w for k, w in enumerate(transcript.words))
    edit.session.do(set_transcript(edit.session.episode, replace(transcript, words=words, speakers=("Speaker 1", "Speaker 2"))))
    edit.actions_by_id["name-voices"].run()
    settle(qtbot, edit)
    assert edit.session.episode.transcript(lane.id).speakers == (names[0], "Speaker 2"), "who says nothing is nobody"
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: (names[0], True))
    edit.actions_by_id["forget-voice"].run()
    assert "no longer" in said[-1] and edit.pages and names[0] not in (edit.session.folders.state / FILE).read_text()


def test_voices_without_words_and_those_that_nobody_knows_stay_as_they_are(edit, qtbot, said, short_demo, tmp_path):
    edit.actions_by_id["forget-voice"].run()
    assert said[-1] == "No voice is remembered."
    from dubbin.core.speech.known_voices import KnownVoices
    from dubbin.core.speech.speaker_encoder import SIZE

    stranger = np.random.default_rng(3).standard_normal(SIZE).astype(np.float32)
    KnownVoices(edit.session.folders.state).remember("Somebody else", stranger / np.linalg.norm(stranger))
    before = edit.session.episode
    edit.actions_by_id["name-voices"].run()
    settle(qtbot, edit)
    assert edit.session.episode is before and "clearly one of those" in said[-1]
    edit.session.do(Change("No words", replace(before, transcripts=())))
    edit.actions_by_id["remember-voices"].run()
    edit.actions_by_id["name-voices"].run()
    assert all("written down first" in s for s in said[-2:])
    put_down(qtbot, edit, short_demo / EPISODE_FILE)
