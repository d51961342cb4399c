"""Dialogs that ask for a file or a folder, as a person meets them: opened by their commands, answered by a typed name or left; and what came of it."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pytest
import soundfile as sf
from PIL import Image
from PyQt6.QtWidgets import QDialogButtonBox, QFileDialog, QPushButton, QWidget

from dubbin.core.deliver.recipe import recipe_of, save_recipe
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.model import PlacedKind, TreatmentUse
from dubbin.window.master import listening
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.conftest import settle
from tests.window.test_dialogs_by_hand import BUTTON, Hand, choosing, click, keys, leave, press, typing, unchanged, with_hands  # noqa: F401
from tests.window.test_editing import edit  # noqa: F401


def choosing_folder(path: Path) -> Hand:
    """A hand that goes into a folder, and takes it."""

    def hand(dialog: QWidget) -> None:
        assert isinstance(dialog, QFileDialog) and dialog.fileMode() is QFileDialog.FileMode.Directory
        dialog.setDirectory(str(path))
        box = dialog.findChild(QDialogButtonBox)
        (take,) = (b for b in box.buttons() if box.buttonRole(b) is QDialogButtonBox.ButtonRole.AcceptRole)
        click(take)

    return hand


@pytest.fixture
def said(edit):  # noqa: F811
    """What the program tells while a test goes on."""
    heard: list[str] = []
    edit.session.said.connect(heard.append)
    yield heard
    edit.session.said.disconnect(heard.append)


def run(window, name: str):
    return window.actions_by_id[name].run


def a_sound(path: Path, seconds: float = 1.5, channels: int = 1) -> Path:
    x = 0.1 * np.sin(np.arange(round(seconds * RATE)) * 0.05)
    sf.write(path, np.tile(x[:, None], (1, channels)), RATE, subtype="PCM_24")
    return path


LEFT = [
    "open", "open-folder", "save-as", "add-recordings", "apply-recipe", "insert-file", "export-edit", "export-words", "bring-text", "collect",
    "listening-page", "take-comments", "export", "stems",
]  # fmt: skip


@pytest.mark.parametrize("name", LEFT)
def test_a_dialog_that_is_left_does_nothing(edit, qtbot, tmp_path, said, unchanged, name):  # noqa: F811
    edit.session.document.save(tmp_path / "mine.dubbin")  # so that nothing else is asked for first
    before, files = edit.session.document.path, sorted(tmp_path.rglob("*"))
    with_hands(run(edit, name), leave)
    settle(qtbot, edit)
    unchanged()
    assert edit.session.document.path == before and sorted(tmp_path.rglob("*")) == files and said == []


class TestWhatIsRead:
    def test_an_episode(self, edit, tmp_path):  # noqa: F811
        edit.session.document.save(tmp_path / "mine.dubbin")
        other = tmp_path / "another.dubbin"
        other.write_bytes(edit.session.document.path.read_bytes())
        with_hands(run(edit, "open"), choosing(other))
        assert edit.session.document.path == other

    def test_a_recording(self, edit, qtbot, tmp_path):  # noqa: F811
        lanes = len(edit.session.episode.lanes)
        with_hands(run(edit, "add-recordings"), choosing(a_sound(tmp_path / "late guest.wav")))
        settle(qtbot, edit)
        assert len(edit.session.episode.lanes) == lanes + 1 and edit.session.episode.lanes[-1].voice == "Late Guest"

    def test_a_folder_of_recordings_as_an_episode_of_its_own(self, edit, qtbot, tmp_path):  # noqa: F811
        edit.session.document.save(tmp_path / "mine.dubbin")
        folder = tmp_path / "evening"
        folder.mkdir()
        for name in ("one.wav", "two.wav"):
            a_sound(folder / name)
        with_hands(run(edit, "open-folder"), choosing_folder(folder))
        settle(qtbot, edit)
        assert sorted(Path(r.path).name for r in edit.session.episode.recordings) == ["one.wav", "two.wav"]
        assert edit.session.document.path is None

    def test_a_sound_that_is_put_in_at_the_play_head(self, edit, qtbot, tmp_path):  # noqa: F811
        edit.selection.set_head(20 * RATE)
        with_hands(run(edit, "insert-file"), choosing(a_sound(tmp_path / "jingle.wav", 1.5, 2)))
        settle(qtbot, edit)
        (placed,) = (p for p in edit.session.episode.placed if p.kind is PlacedKind.INSERT)
        assert placed.at_frame == 20 * RATE and placed.frames == round(1.5 * RATE)

    def test_comments(self, edit, tmp_path):  # noqa: F811
        path = tmp_path / "ada.json"
        item = {"at_s": 4.0, "session_s": 4.0, "quote": "", "text": "Louder here"}
        page = {"format": "dubbin-comments", "version": 1, "episode": edit.session.episode.id, "title": "", "by": "Ada", "comments": [item]}
        path.write_text(json.dumps(page))
        with_hands(run(edit, "take-comments"), choosing(path))
        assert [m.frame for m in edit.session.episode.markers if "Louder here" in m.text] == [4 * RATE]

    @pytest.mark.parametrize(("text", "why"), [("", "holds no words"), ("Just as it was spoken.", "is not made of captions")])
    def test_a_transcript_that_is_none_is_said(self, edit, qtbot, tmp_path, said, unchanged, text, why):  # noqa: F811
        path = tmp_path / "talk.srt"
        path.write_text(text)
        with_hands(run(edit, "bring-text"), choosing(path))
        settle(qtbot, edit)
        assert len(said) == 1 and said[0].startswith(f"talk.srt {why}")
        unchanged()

    def test_a_recipe_of_which_all_is_taken(self, edit, qtbot, tmp_path):  # noqa: F811
        path = tmp_path / "show.recipe.json"
        wanted = replace(edit.session.episode.pauses, longer_than_s=edit.session.episode.pauses.longer_than_s + 0.7)
        save_recipe(recipe_of(replace(edit.session.episode, pauses=wanted)), path)
        with_hands(run(edit, "apply-recipe"), choosing(path), lambda dialog: press(dialog, BUTTON.Ok))
        settle(qtbot, edit)
        assert edit.session.episode.pauses == wanted

    def test_a_cover(self, edit, tmp_path):  # noqa: F811
        path = tmp_path / "cover.png"
        Image.new("RGB", (1400, 1400), (154, 78, 28)).save(path)
        with_hands(lambda: click(edit.pages[Step.MASTER].tags.cover), choosing(path))
        assert edit.session.episode.delivery.cover == str(path)


class TestPlacesThatAreKept:
    """A dialog from which another one asks for a folder."""

    @pytest.fixture
    def preferred(self, edit):  # noqa: F811
        """What the window prefers; as before when the test is over."""
        names = "speech_model", "cache_folder"
        before = {name: edit.preferences.get(name, "") for name in names}
        yield lambda name: edit.preferences.get(name, "")
        for name, value in before.items():
            edit.preferences.set(name, value)

    @staticmethod
    def of_another_model(dialog: QWidget) -> None:
        (choose,) = (b for b in dialog.findChildren(QPushButton) if "folder" in b.text())
        click(choose)
        press(dialog, BUTTON.Ok)

    def test_a_folder_with_a_model_of_ones_own(self, edit, tmp_path, preferred):  # noqa: F811
        for name in ("model.bin", "config.json", "tokenizer.json", "vocabulary.json"):
            (tmp_path / name).write_text("{}")
        with_hands(run(edit, "listening"), self.of_another_model, choosing_folder(tmp_path))
        assert preferred("speech_model") == str(tmp_path)

    def test_a_folder_without_a_model_is_said_and_the_one_before_stays(self, edit, tmp_path, said, preferred):  # noqa: F811
        before = preferred("speech_model")
        with_hands(run(edit, "listening"), self.of_another_model, choosing_folder(tmp_path))
        assert len(said) == 1 and str(tmp_path) in said[0] and "model.bin" in said[0]
        assert (preferred("speech_model") or "quick") == (before or "quick")

    @pytest.mark.parametrize("is_left", [False, True])
    def test_a_folder_for_the_cache(self, edit, tmp_path, preferred, is_left):  # noqa: F811
        told = []

        def choose(dialog: QWidget) -> None:
            (button,) = (b for b in dialog.findChildren(QPushButton) if b.text().startswith("Choose a place"))
            dialog.pages.setCurrentWidget(
                next(p for p in (dialog.pages.widget(i) for i in range(dialog.pages.count())) if p.isAncestorOf(button))
            )
            click(button)
            told.append(dialog.cache_said.text())

        before = preferred("cache_folder")
        with_hands(keys(edit, "Ctrl+,"), choose, leave if is_left else choosing_folder(tmp_path))
        assert preferred("cache_folder") == (before if is_left else str(tmp_path / "dubbin-cache"))
        assert [str(tmp_path) in text for text in told] == [not is_left]


class TestWhatIsWritten:
    def test_an_edit_list(self, edit, tmp_path):  # noqa: F811
        with_hands(run(edit, "export-edit"), choosing(tmp_path / "talk.otio"))
        timeline = otio.adapters.read_from_file(str(tmp_path / "talk.otio"))
        assert timeline.duration().to_seconds() == pytest.approx(edit.session.map.program_frames / RATE, abs=0.05)

    @pytest.mark.parametrize(("ending", "begins"), [(".srt", "1\n00:00:"), (".vtt", "WEBVTT"), (".txt", "Ines")])
    def test_a_transcript_by_its_ending(self, edit, tmp_path, ending, begins):  # noqa: F811
        path = tmp_path / f"talk{ending}"
        with_hands(run(edit, "export-words"), choosing(path))
        assert path.read_text(encoding="utf-8").startswith(begins)

    def test_an_ending_that_is_no_transcript_is_said(self, edit, tmp_path, said):  # noqa: F811
        with_hands(run(edit, "export-words"), choosing(tmp_path / "talk.odt"))
        assert len(said) == 1 and "talk.odt" in said[0] and not (tmp_path / "talk.odt").exists()

    def test_a_listening_page(self, edit, qtbot, tmp_path, monkeypatch):  # noqa: F811
        written = []
        monkeypatch.setattr(listening, "write_review", lambda program, episode, path, task: written.append((episode, path, program.frames)))
        with_hands(run(edit, "listening-page"), choosing(tmp_path / "talk.html"))
        settle(qtbot, edit)
        assert written == [(edit.session.episode, tmp_path / "talk.html", edit.session.map.program_frames)]

    def test_the_episode_with_all_its_files(self, edit, qtbot, tmp_path):  # noqa: F811
        with_hands(run(edit, "collect"), choosing(tmp_path / "away"))
        settle(qtbot, edit)
        (episode,) = (tmp_path / "away").rglob("*.dubbin")
        assert all(Path(r.path).is_relative_to(tmp_path / "away") for r in load_episode(episode).recordings)

    def test_stems_into_a_folder(self, edit, qtbot, tmp_path):  # noqa: F811
        with_hands(run(edit, "stems"), choosing_folder(tmp_path))
        settle(qtbot, edit)
        frames = {sf.info(str(path)).frames for path in tmp_path.glob("*.stem.*.wav")}
        assert frames == {edit.session.map.program_frames}

    def test_what_was_removed_from_a_lane(self, edit, qtbot, tmp_path):  # noqa: F811
        lane = edit.session.episode.lanes[0]
        edit.session.pick_lane(lane.id)
        edit.session.do(change_lane(edit.session.episode, lane.id, "Hum", repairs=(TreatmentUse("hum", on=True),)))
        settle(qtbot, edit)
        with_hands(run(edit, "write-removed"), choosing(tmp_path / "gone.wav"))
        settle(qtbot, edit)
        assert sf.info(str(tmp_path / "gone.wav")).frames == edit.session.episode.recordings[0].frames
