"""The cards of the Edit step: what is set on them changes the episode, and what the episode is shows on them."""

from __future__ import annotations

import pytest

from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.model import CutKind
from dubbin.core.speech.pauses import STARTING_POINTS
from dubbin.core.speech.transcript import Transcript, Word, WordKind
from dubbin.window.edit.pauses_card import CUSTOM
from dubbin.window.shell.step import Step
from tests.conftest import RATE
from tests.window.conftest import settle


@pytest.fixture
def page(little_window, qtbot):
    little_window.go_step(Step.EDIT)
    little_window.preferences.set("custom_pauses", {})
    settle(qtbot, little_window)
    yield little_window.pages[Step.EDIT]
    little_window.preferences.set("custom_pauses", {})


class TestCuts:
    def test_crossfades_are_of_one_length_where_they_are_not_automatic(self, page):
        cuts, session = page.cuts, page.session
        assert session.episode.seam_auto and not cuts.length.isEnabled()
        cuts.automatic.click()
        assert not session.episode.seam_auto and cuts.length.isEnabled()
        cuts.length.setValue(25.0)
        assert session.episode.seam_ms == 25.0
        session.document.undo()
        assert session.episode.seam_ms == cuts.length.value() != 25.0
        session.document.undo()
        assert session.episode.seam_auto and cuts.automatic.isChecked() and not cuts.length.isEnabled()


class TestPauses:
    def test_figures_of_ones_own_are_kept_under_custom_for_the_next_episode(self, page):
        card, session = page.pauses, page.session
        own = 1.7
        card.form.fields["longer_than_s"].setValue(own)
        assert session.episode.pauses.longer_than_s == own and card.point.current == CUSTOM
        card.point.chosen.emit("Brisk")
        assert session.episode.pauses.longer_than_s == STARTING_POINTS["Brisk"].longer_than_s and card.point.current == "Brisk"
        card.point.chosen.emit(CUSTOM)
        assert session.episode.pauses.longer_than_s == own and card.point.current == CUSTOM

    def test_where_there_are_none_of_ones_own_yet_it_is_said_how_there_are(self, page, qtbot):
        before = page.session.episode
        with qtbot.waitSignal(page.session.said) as said:
            page.pauses.point.chosen.emit(CUSTOM)
        assert "kept under Custom" in said.args[0] and page.session.episode is before
        assert page.pauses.form.fields["longer_than_s"].hasFocus()

    @pytest.mark.parametrize("kept", [{"longer_than_s": "long"}, {"longer_than_s": None}, {}])
    def test_figures_that_are_none_are_not_taken(self, page, kept, qtbot):
        page.shared.preferences.set("custom_pauses", kept)
        before = page.session.episode
        with qtbot.waitSignal(page.session.said):
            page.pauses.point.chosen.emit(CUSTOM)
        assert page.session.episode is before

    def test_the_level_of_a_pause_comes_from_the_noise_or_from_a_figure(self, page):
        card, session = page.pauses, page.session
        field = card.form.fields["quieter_than_db"]
        assert session.episode.pauses.quieter_than_db is None and not field.isVisible()
        card.automatic.click()
        assert session.episode.pauses.quieter_than_db == field.value() == -50.0 and field.isVisible()
        card.automatic.click()
        assert session.episode.pauses.quieter_than_db is None and not field.isVisible()

    def test_the_switch_cuts_all_pauses_and_puts_them_back(self, page, monkeypatch):
        from dubbin.core.speech.pauses import Pause

        found = [Pause(3.0, 6.0, 4.0, 5.0), Pause(10.0, 14.0, 11.0, 13.0)]
        monkeypatch.setattr(page.session.analyses, "pauses", lambda: found)
        page.refresh()
        rows = page.pauses.rows
        assert (rows.value("pauses"), rows.value("time saved")) == ("2 found, 0 cut", "−0:03.0")
        page.pauses.switch.click()
        cuts = page.session.episode.cuts
        assert [(c.start_frame, c.end_frame, c.kind) for c in cuts] == [
            (4 * RATE, 5 * RATE, CutKind.PAUSE),
            (11 * RATE, 13 * RATE, CutKind.PAUSE),
        ]
        assert rows.value("pauses") == "2 found, 2 cut"
        page.pauses.switch.click()
        assert page.session.episode.cuts == () and rows.value("pauses") == "2 found, 0 cut"


class TestWords:
    def test_what_is_missing_can_be_written_down_and_what_is_there_is_counted(self, page, qtbot):
        card, session = page.words_card, page.session
        assert card.rows.value("words") == "none yet" and card.write.isVisible()
        words = [Word("one", 2 * RATE, 3 * RATE, WordKind.WORD), Word("um", 5 * RATE, 6 * RATE, WordKind.FILLER)]
        for k, lane in enumerate(session.episode.lanes):
            session.do(set_transcript(session.episode, Transcript(lane.id, tuple(words[: k + 1]), language="en")))
            assert card.write.isVisible() == (k == 0), "while one of the two has no words"
        qtbot.waitUntil(lambda: card.rows.value("fillers") == "1 found, 0 cut")
        assert card.rows.value("words") == "2 · English"
