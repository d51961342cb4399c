"""Run the card: the suggested work of every step up to Balance in one go, as ordinary changes, and a list of what was done.

What is suggested is what the pages suggest: treatments that answer findings, no further than the voice allows; the voice treatments that each voice asks for;
fillers that can be cut unheard, the last take of what was said again, pauses; levels, bleed and music. Every entry of the list has its own switch.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from enum import StrEnum

from dubbin.core.card.balance import set_balance
from dubbin.core.card.cuts import find_cuts, make_cuts
from dubbin.core.card.entry import Entry
from dubbin.core.card.plan import PlanKey
from dubbin.core.card.repairs import measure, repair
from dubbin.core.card.state import CardResources, CardRun, Step
from dubbin.core.card.voices import set_voices
from dubbin.core.card.words import NO_WORDS, listen
from dubbin.core.episode.model import Episode
from dubbin.core.jobs import Task
from dubbin.core.memory import give_back
from dubbin.core.speech.recogniser import release as release_recogniser
from dubbin.core.texts import tr


class CardPart(StrEnum):
    """What is done one after the other."""

    MEASURE = "measure"
    REPAIR = "repair"
    WORDS = "words"
    VOICES = "voices"
    BALANCE = "balance"


@dataclass(frozen=True)
class CardResult:
    """What came of it. changes: to be done one after the other, each from an episode as it is then; entries: what they are; remarks: sentences on what could not
    be done."""

    changes: tuple[Step, ...]
    entries: tuple[Entry, ...]
    remarks: tuple[str, ...] = ()


def run_card(
    episode: Episode, resources: CardResources, task: Task | None = None, say: Callable[[str], None] = lambda _: None, *,
    skip: Collection[PlanKey] = (), told: Callable[[PlanKey, float], None] = lambda _, __: None, until: CardPart = CardPart.BALANCE,
) -> CardResult:  # fmt: skip
    """Work out all that is suggested for an episode. Raises UnusableSound when a recording can't be read. say: is told which step is being done. skip: lines of
    the plan that are left out. told: is told how far each line is, 0 to 1, from any thread. until: the last part that is done; a later run finds what is kept of it."""

    def next_step(text: str) -> None:
        give_back()  # what the step before has freed: the next one asks for other sizes
        say(text)

    run = CardRun(episode, resources, task or Task(), frozenset(skip), told)
    for part in _parts(run, next_step):
        if part is until:
            break
    run.task.step(1.0)
    return CardResult(tuple(run.changes), tuple(run.entries), tuple(run.remarks))


def _parts(run: CardRun, say: Callable[[str], None]) -> Iterator[CardPart]:
    """Does one part after the other, and names each when it is done."""
    say(tr("Measuring"))
    measured = measure(run)
    yield CardPart.MEASURE
    if run.voices:
        say(tr("Repairing"))
        reports = repair(run, {lane_id: found.report for lane_id, found in measured.items()})
        yield CardPart.REPAIR
        words = NO_WORDS
        if run.resources.words:
            say(tr("Transcribing"))
            words = listen(run, measured)
        yield CardPart.WORDS
        say(tr("Finding pauses"))
        make_cuts(run, find_cuts(run, measured, words), words)
        release_recogniser()
        del words  # what was heard of hours takes room
        say(tr("Setting the voices"))
        set_voices(run, reports)
        yield CardPart.VOICES
    say(tr("Balancing"))
    set_balance(run)
    yield CardPart.BALANCE
