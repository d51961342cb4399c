"""What menu and keys do to go by words and sentences, in every step."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.parts.action import Action, Menu
from dubbin.window.session.needs import Needs
from dubbin.window.session.session import Session
from dubbin.window.words.word_steps import WordSteps

PLAY = Menu.PLAY


def word_actions(session: Session, steps: WordSteps) -> list[Action]:
    has_words = Needs(session).words
    return [
        Action("previous-word", PLAY, "words", tr("Previous word"), ("Ctrl+Left",), lambda: steps.go_word(-1), has_words),
        Action("next-word", PLAY, "words", tr("Next word"), ("Ctrl+Right",), lambda: steps.go_word(1), has_words),
        Action("previous-sentence", PLAY, "words", tr("Previous sentence"), ("Ctrl+PgUp",), lambda: steps.go_sentence(-1), has_words),
        Action("next-sentence", PLAY, "words", tr("Next sentence"), ("Ctrl+PgDown",), lambda: steps.go_sentence(1), has_words),
    ]
