"""A first look round: six sentences, a step each."""

from __future__ import annotations

from collections.abc import Callable

from dubbin.core.texts import tr
from dubbin.window.session.preferences import Preferences
from dubbin.window.shell.notices import Notices
from dubbin.window.shell.step import Step

SENTENCES: tuple[tuple[Step, str], ...] = (
    (Step.INTAKE, tr("Intake shows what each recording is like and what is wrong with it: a click on a finding plays it.")),
    (Step.REPAIR, tr("Repair takes hum, noise, clicks and echo away: press Q, W and E to hear recorded, treated and removed.")),
    (Step.EDIT, tr("Edit cuts by words: drag over some, press X; pauses, fillers and retakes are found for you, and B puts any cut back.")),
    (Step.VOICE, tr("Voice suggests EQ, de-esser and compressor from the measured voice, all taken back by one slider.")),
    (Step.BALANCE, tr("Balance brings everyone to the same loudness and music under the words.")),
    (
        Step.MASTER,
        tr("Master makes every file in one go and measures each again: Ctrl+R does the work of all steps before it, F1 opens the guide."),
    ),
)


class Tour:
    def __init__(self, notices: Notices, go_step: Callable[[Step], None], preferences: Preferences) -> None:
        self._notices, self._go_step, self._preferences = notices, go_step, preferences

    def offer(self) -> None:
        """Offer to begin, the first time; say nothing ever after."""
        if not self._preferences.get("toured", False):
            self._preferences.set("toured", True)
            self._notices.say(tr("New here? A look round takes a minute."), ((tr("Show me round"), self.start),))

    def start(self) -> None:
        """Begin with the first step."""
        self._show(0)

    def _show(self, number: int) -> None:
        step, sentence = SENTENCES[number]
        self._go_step(step)
        last = number + 1 == len(SENTENCES)
        choices = () if last else ((tr("Next"), lambda: self._show(number + 1)),)
        self._notices.say(tr("{number} of {count}: {sentence}").format(number=number + 1, count=len(SENTENCES), sentence=sentence), choices)
