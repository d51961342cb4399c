"""A state on its way to its file: what is written, what the document takes for saved, and what is never written over."""

from __future__ import annotations

import pytest

from dubbin.core.episode.commands.markers import add_marker
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.errors import CannotWrite, ChangedElsewhere


@pytest.fixture
def document(tmp_path):
    made = Document(tmp_path / "journals")
    made.save(tmp_path / "one.dubbin")
    yield made
    made.close()


def marked(document, frame):
    document.do(add_marker(document.episode, frame, f"at {frame}"))


def test_the_state_that_was_handed_out_is_written_whatever_comes_after_it(document, tmp_path):
    marked(document, 100)
    saving = document.saving()
    marked(document, 200)
    saved = saving.write()
    assert document.has_changes and [m.frame for m in load_episode(document.path).markers] == [100]
    document.note(saved)
    assert document.has_changes and not document.is_saved and not document.is_changed_elsewhere
    document.undo()
    assert document.is_saved and not document.has_changes


def test_steps_that_were_taken_while_it_was_written_come_back_after_a_crash(document, tmp_path):
    marked(document, 100)
    saving = document.saving()
    marked(document, 200)
    document.note(saving.write())
    document._journal.abandon()
    (item,) = left_over(tmp_path / "journals")
    again = Document.recovered(tmp_path / "journals", item)
    assert [m.frame for m in again.episode.markers] == [100, 200] and again.path == tmp_path / "one.dubbin" and again.has_changes
    again.close()


def test_nothing_is_left_over_where_all_was_saved_in_the_background(document, tmp_path):
    marked(document, 100)
    document.note(document.saving().write())
    document._journal.abandon()
    assert left_over(tmp_path / "journals") == []
    again = Document.opened(tmp_path / "journals", tmp_path / "one.dubbin")
    assert len(again.history.done) == 1, "and the step can be undone"
    again.close()


def test_what_another_program_wrote_stands_until_a_person_says_over(document, tmp_path):
    marked(document, 100)
    document.path.write_text("theirs")
    with pytest.raises(ChangedElsewhere, match=r"one\.dubbin was changed by another program"):
        document.saving().write()
    assert document.path.read_text() == "theirs" and document.has_changes
    document.note(document.saving(over=True).write())
    assert load_episode(document.path) == document.episode and not document.is_changed_elsewhere


def test_another_place_is_written_whatever_stands_there_and_becomes_the_place_only_once_it_is(document, tmp_path):
    other = tmp_path / "two.dubbin"
    other.write_text("older")
    marked(document, 100)
    saved = document.saving(other).write()
    assert document.path == tmp_path / "one.dubbin"
    document.note(saved)
    assert document.path == other and document.is_saved and load_episode(other) == document.episode
    with pytest.raises(CannotWrite):
        document.saving(tmp_path / "nowhere" / "three.dubbin").write()
    assert document.path == other


def test_a_file_that_is_gone_is_written_again(document):
    marked(document, 100)
    document.path.unlink()
    document.note(document.saving().write())
    assert load_episode(document.path) == document.episode
