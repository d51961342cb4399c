"""The dialog of speech model, language and names, in the real window."""

from __future__ import annotations

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.speech.byte_pairs import LIST
from dubbin.core.speech.models import NEEDED
from dubbin.core.speech.transcript import Spoken
from dubbin.window.edit.listening_dialog import ListeningDialog
from tests.window.test_editing import edit

__all__ = ["edit"]


@pytest.fixture(autouse=True)
def preference(edit):
    """What a person prefers is left as it was found."""
    before = edit.preferences.get("speech_model", "")
    yield
    edit.preferences.set("speech_model", before)


@pytest.fixture
def answered(edit, monkeypatch):
    """Opens the dialog by its action; a person acts in it and presses OK."""

    def answer(act, accepted: int = 1) -> ListeningDialog:
        shown: list[ListeningDialog] = []

        def run(dialog: ListeningDialog) -> int:
            shown.append(dialog)
            dialog.show()
            act(dialog)
            dialog.hide()
            return accepted

        monkeypatch.setattr(ListeningDialog, "exec", run)
        edit.actions_by_id["listening"].run()
        return shown[0]

    return answer


def test_model_language_and_names_are_taken_over_and_undone(edit, answered):
    before = edit.session.episode.spoken
    assert "The Slow Ferry" in before.terms  # the demo brings its own

    def act(dialog):
        dialog.buttons["thorough"].click()
        dialog.language.setCurrentIndex(dialog.language.findText("French"))
        dialog.terms.clear()
        dialog.terms.setFocus()
        QTest.keyClicks(dialog.terms, "Slow Ferry")

    answered(act)
    assert edit.speech.transcribing.models.choice == "thorough"
    assert edit.session.episode.spoken == Spoken("fr", ("Slow Ferry",))
    again = answered(lambda dialog: None)  # what was chosen is what it shows
    assert again.choice() == "thorough" and again.spoken() == Spoken("fr", ("Slow Ferry",))
    edit.actions_by_id["undo"].run()
    assert edit.session.episode.spoken == before


def test_cancelled_it_changes_nothing(edit, answered):
    before = edit.session.document.history.episode
    answered(lambda dialog: (dialog.buttons["thorough"].click(), dialog.terms.setPlainText("Ferry")), accepted=0)
    assert edit.session.document.history.episode is before and edit.speech.transcribing.models.choice in ("", "quick")


def test_names_are_offered_from_tags_and_speakers_once(edit, answered):
    lane = edit.session.episode.session_voices[0]
    edit.session.do(name_voice(edit.session.episode, lane.id, "Ines Calder"))

    def act(dialog):
        dialog.terms.setPlainText("ines calder")
        assert dialog.take.isEnabled()
        dialog.take.click()
        assert not dialog.take.isEnabled()

    dialog = answered(act)
    names = dialog.spoken().terms
    assert names[0] == "ines calder" and "Ines Calder" not in names and "Tobias" in names and len(set(names)) == len(names)


def test_a_folder_of_ones_own_is_looked_at_before_it_is_taken(edit, answered, monkeypatch, tmp_path):
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path))
    said: list[str] = []
    edit.session.said.connect(said.append)
    dialog = answered(lambda dialog: dialog._choose_folder())
    assert "holds no speech model" in said[-1] and dialog.choice() == "quick"
    for name in (*NEEDED, LIST):
        (tmp_path / name).touch()
    dialog = answered(lambda dialog: dialog._choose_folder())
    assert dialog.choice() == str(tmp_path) == edit.speech.transcribing.models.choice and tmp_path.name in dialog.buttons[""].text()
    for name in (*NEEDED, LIST):
        (tmp_path / name).unlink()
    tmp_path.rmdir()
    assert edit.speech.transcribing.models.choice == ""  # a folder that is gone gives way to the model that comes with the program


def test_hearing_again_is_asked_for_and_begins(edit, answered, monkeypatch):
    begun: list[bool] = []
    monkeypatch.setattr(edit.speech.transcribing, "start", lambda again=False: begun.append(again))
    answered(lambda dialog: None)
    assert begun == []
    answered(lambda dialog: dialog.again.click())
    assert begun == [True]


@pytest.mark.parametrize(("chosen", "count"), [("as many as are found", 0), ("3", 3)])
def test_the_number_of_speakers_is_given_or_found(edit, monkeypatch, chosen, count):
    asked: list[int] = []
    monkeypatch.setattr(edit.speech.transcribing, "split_speakers", lambda lane, n: asked.append(n))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *arguments: (chosen, True) if chosen in arguments[3] else ("", False))
    edit.session.pick_lane(edit.session.episode.session_voices[0].id)
    edit.actions_by_id["split-speakers"].run()
    assert asked == [count]
