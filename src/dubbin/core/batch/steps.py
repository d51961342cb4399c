"""The chain of one episode, cut into steps whose results are kept by content.

Each step can be done by another process or machine than the one before: what it needs of the former ones lies in the folders of working copies, treated sound and
figures, under names for what they were computed from. What is not there any more is computed again.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

from dubbin.core.batch.beside import put_aside, save_beside
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.naming import points_of, with_names
from dubbin.core.batch.outcome import Outcome
from dubbin.core.card.entry import CutSwitch, Entry
from dubbin.core.card.run import CardPart, CardResult, run_card
from dubbin.core.card.state import CardResources
from dubbin.core.deliver.delivery import deliver, order_of
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.recipe import Recipe, apply_recipe, balance_of, missing_music, voice_in, with_music
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import SUFFIX, load_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.lining_up import line_up, lined_up
from dubbin.core.episode.model import CutKind, Episode, Role, Tags
from dubbin.core.errors import Cancelled, DubbinError
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.log import program_error
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.known_voices import Point
from dubbin.core.speech.models import Models
from dubbin.core.texts import tr
from dubbin.core.treat.tiles import DiskTileCache, prune

RATE = 48000  # of a session


class Step(StrEnum):
    """What is done of an episode at a time, in this order."""

    TAKE_IN = "recordings"
    MEASURE = "measure"
    REPAIR = "repair"
    WORDS = "words"
    VOICES = "voices"
    MASTERS = "masters"


@dataclass(frozen=True)
class Need:
    """What a step takes at most. memory_mb: of an hour of two microphones, the program and its libraries included. threads: that it is spread over. share: of the
    time of the whole chain."""

    memory_mb: int
    threads: int
    share: float


CORES_A_PROCESS = 2  # of those that work on several episodes at a time
NEEDS: Mapping[Step, Need] = {
    Step.TAKE_IN: Need(500, 1, 0.03), Step.MEASURE: Need(700, 2, 0.07), Step.REPAIR: Need(1100, 2, 0.38), Step.WORDS: Need(1100, 2, 0.26),
    Step.VOICES: Need(900, 2, 0.1), Step.MASTERS: Need(700, 2, 0.16),
}  # fmt: skip
CARD_PARTS: Mapping[Step, CardPart] = {
    Step.MEASURE: CardPart.MEASURE, Step.REPAIR: CardPart.REPAIR, Step.WORDS: CardPart.WORDS,
    Step.VOICES: CardPart.BALANCE,  # levels are found in seconds: to part them from the voices costs more than it can save
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Work:
    """What is to be done. name: of the files that come out of it, without an ending. by_sound: whether voices may be named by what they sound like."""

    item: BatchInput
    name: str
    recipe: Recipe | None = None
    by_sound: bool = False

    @property
    def runs_the_card(self) -> bool:
        """Whether suggested work is done, or an episode is only delivered as it is."""
        return self.recipe is not None or self.item.path.suffix.lower() != SUFFIX

    @property
    def steps(self) -> tuple[Step, ...]:
        """Those that it needs."""
        return tuple(step for step in Step if self.runs_the_card or step not in CARD_PARTS)


@dataclass(frozen=True)
class Stand:
    """How far an episode is. entries, remarks: of what was done. points: what its voices sound like, by lane, once that is known. outcome: what came of it, at the end or
    where it could not go on. seconds: that it took."""

    episode: Episode | None = None
    entries: tuple[Entry, ...] = ()
    remarks: tuple[str, ...] = ()
    points: Mapping[str, Point] = field(default_factory=dict)
    outcome: Outcome | None = None
    seconds: float = 0.0


def do_step(step: Step, work: Work, stand: Stand, out: Path, folders: Folders, task: Task | None = None) -> Stand:
    """One step more. Errors become the outcome; raises Cancelled. out: where masters go. Only the last of the card's steps changes the episode: those before fill the folders."""
    task, started = task or Task(), time.monotonic()
    try:
        done = _done(step, work, stand, out, folders, task)
    except DubbinError as error:
        done = replace(stand, outcome=Outcome(str(work.item.path), error=str(error)))
    except OSError as error:
        done = replace(stand, outcome=Outcome(str(work.item.path), error=f"{work.item.path}: {error.strerror or error}."))
    seconds = stand.seconds + time.monotonic() - started
    if done.outcome is not None:
        return replace(done, outcome=replace(done.outcome, seconds=round(seconds, 1)), seconds=seconds)
    return replace(done, seconds=seconds)


def run_one(work: Work, out: Path, folders: Folders, task: Task | None = None) -> Outcome:
    """One input to its masters; the episode is kept beside them. Whatever goes wrong is its outcome, also a fault of the program: the others of a night go on.
    Raises Cancelled."""
    try:
        return _through_its_steps(work, out, folders, task or Task())
    except Cancelled:
        raise
    except Exception as error:
        return Outcome(str(work.item.path), error=f"{work.item.path}: {program_error(error, folders.state)}")


def _through_its_steps(work: Work, out: Path, folders: Folders, task: Task) -> Outcome:
    stand, done, reached = Stand(), 0.0, 0.0
    prune(folders.tiles, folders.most_tile_bytes)
    KeptResults(folders.results).prune()
    whole = sum(NEEDS[step].share for step in work.steps)
    for step in work.steps:
        reached += NEEDS[step].share / whole
        is_asked_for = step is Step.VOICES or (step is Step.MEASURE and work.by_sound)
        if step in CARD_PARTS and not is_asked_for:
            continue  # voices do what comes before them too
        stand = named_by_sound(work, do_step(step, work, stand, out, folders, task.part(done, reached)), folders.state)
        if stand.outcome is not None:
            return stand.outcome
        done = reached
    raise AssertionError("the last step has an outcome")


def _done(step: Step, work: Work, stand: Stand, out: Path, folders: Folders, task: Task) -> Stand:
    copies, tile_cache = WorkingCopies(folders.copies), DiskTileCache(folders.tiles)
    if step is Step.TAKE_IN:
        return replace(stand, episode=_taken_in(work, copies, task))
    assert stand.episode is not None
    if step is Step.MASTERS:
        return _delivered(work, stand, stand.episode, out, folders, task)
    kept = KeptResults(folders.results)
    resources = CardResources(copies, tile_cache, kept, Models(cache=folders.cache), _wants_words(work, stand.episode))
    ran = run_card(stand.episode, resources, task, until=CARD_PARTS[step])
    if step is Step.MEASURE and work.by_sound:
        return replace(stand, points=points_of(stand.episode, copies, kept))
    return _with_card(work, stand, stand.episode, ran) if step is Step.VOICES else stand


def named_by_sound(work: Work, stand: Stand, state: Path) -> Stand:
    """With the names of voices that are remembered on this computer, where a step has just told what they sound like."""
    if stand.episode is None or not stand.points:
        return stand
    episode, names = with_names(stand.episode, stand.points, state, work.recipe, work.item.voices)
    remarks = (tr("Named by sound: {names}.").format(names=", ".join(names)),) if names else ()
    return replace(stand, episode=episode, remarks=(*stand.remarks, *remarks), points={})


def _taken_in(work: Work, copies: WorkingCopies, task: Task) -> Episode:
    """The episode with its recordings, under the recipe's settings."""
    item, recipe = work.item, work.recipe
    episode = load_episode(item.path) if item.path.suffix.lower() == SUFFIX else _new(item, recipe, copies, task)
    if recipe is not None:
        episode = _tagged(apply_recipe(episode, recipe).episode, item.tags)  # what a table says of one episode counts more
    return episode


def _wants_words(work: Work, episode: Episode) -> bool:
    recipe = work.recipe
    return (
        recipe is None
        or any(recipe.cuts(kind) is not False for kind in (CutKind.FILLER, CutKind.RETAKE))
        or bool({"captions", "transcript", "notes"} & set(episode.delivery.extras))
    )


def _with_card(work: Work, stand: Stand, episode: Episode, ran: CardResult) -> Stand:
    """The episode with what the card did, but for what the recipe does not want."""
    for change in ran.changes:
        episode = change(episode).episode
    entries = ran.entries
    if work.recipe is not None:
        episode, entries = _as_the_recipe_says(episode, work.recipe, entries)
    return replace(stand, episode=episode, entries=entries, remarks=(*stand.remarks, *ran.remarks))


def _delivered(work: Work, stand: Stand, episode: Episode, out: Path, folders: Folders, task: Task) -> Stand:
    aside = put_aside(out / f"{work.name}{SUFFIX}")
    save_beside(episode, out / f"{work.name}{SUFFIX}")
    targets = [find_target(t, folders.state) for t in episode.delivery.targets]
    formats = [find_format(f) for f in episode.delivery.formats]
    sounds = episode_sounds(episode, WorkingCopies(folders.copies), DiskTileCache(folders.tiles))
    program = balanced_program(episode, sounds, task.part(0.0, 0.2), KeptResults(folders.results))
    done = deliver(program, out, order_of(episode, work.name, targets, formats), task.part(0.2, 1.0))
    masters: list[dict[str, Any]] = [{"file": str(m.file), "target": m.proof.target, "format": m.format.name, "pass": m.proof.passes, "problems": list(m.proof.problems),
                "integrated_lufs": m.proof.measured.loudness.integrated_lufs, "true_peak_dbtp": m.proof.measured.loudness.true_peak_dbtp} for m in done.masters]  # fmt: skip
    masters += [{"file": None, "target": f.target, "format": f.format.name, "pass": False, "problems": [f.reason]} for f in done.failed]
    told = tuple({"step": e.step.value, "title": e.title, "before": e.before, "after": e.after} for e in stand.entries)
    return replace(stand, outcome=Outcome(str(work.item.path), tuple(masters), told, remarks=(*stand.remarks, *aside)))


def _new(item: BatchInput, recipe: Recipe | None, copies: WorkingCopies, task: Task) -> Episode:
    """An episode of one recording, or of several microphones, lined up by their sound; with the names and tags of a table, and the recipe's names and music."""
    files = item.recordings
    shares = task.part(0.0, 0.6).shares(len(files))
    taken = [import_file(file, copies, RATE, share) for file, share in zip(files, shares, strict=True)]
    named = dict(zip((t.recording.id for t in taken), item.voices, strict=False))
    lanes = [lane for t in taken for lane in t.lanes]
    if len(files) == 1 or not any(lane.role is Role.VOICE for lane in lanes):
        lanes = [replace(lane, role=Role.VOICE) for lane in lanes]
    lanes = [replace(lane, voice=named[lane.recording], role=Role.VOICE) if named.get(lane.recording) else lane for lane in lanes]
    if recipe is not None:
        voices = [lane for lane in lanes if lane.role is Role.VOICE]
        lanes = [replace(lane, voice=voice_in(recipe, lane.voice, alone=len(voices) == 1)) if lane in voices else lane for lane in lanes]
    title = item.tags.title or item.path.stem.replace("_", " ").replace("-", " ").strip()
    episode = replace(add_recordings(new_episode(), [t.recording for t in taken], lanes).episode, title=title)
    episode = lined_up(episode, line_up(episode, copies, task.part(0.6, 1.0))).episode
    for music in missing_music(episode, recipe) if recipe else ():
        episode = with_music(episode, music, import_file(Path(music.path), copies, episode.rate)).episode
    return _tagged(episode, replace(item.tags, title=title))


def _tagged(episode: Episode, tags: Tags) -> Episode:
    """The episode with what is known of it written into its tags."""
    known = {name: value for name, value in asdict(tags).items() if value}
    return replace(episode, delivery=replace(episode.delivery, tags=replace(episode.delivery.tags, **known)))


def _as_the_recipe_says(episode: Episode, recipe: Recipe, entries: tuple[Entry, ...]) -> tuple[Episode, tuple[Entry, ...]]:
    """Undo what was suggested where the recipe says otherwise."""
    kept = []
    for entry in entries:
        if isinstance(entry.switch, CutSwitch) and recipe.cuts(entry.switch.kind) is False:
            episode = entry.switched(episode, False).episode
        else:
            kept.append(entry)
    return balance_of(recipe)(episode).episode, tuple(kept)


def steps_left(work: Work, stand: Stand) -> tuple[Step, ...]:
    """Those that are to be done from a stand on: an episode that is there is not taken in again."""
    return tuple(s for s in work.steps if s is not Step.TAKE_IN or stand.episode is None)


def gave_up(work: Work) -> Outcome:
    """Of work that ended its process every time."""
    error = tr("{path}: the work on it ended unexpectedly every time; perhaps there is too little memory.").format(path=work.item.path)
    return Outcome(str(work.item.path), error=error)
