"""Many recordings through the whole chain: goes on after a failure, can be interrupted and continued, ends with what passed."""

from __future__ import annotations

import hashlib
import json
import os
import time
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from dubbin.core.deliver.batch_inputs import BatchInput
from dubbin.core.deliver.delivery import deliver, order_of
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.recipe import Recipe, apply_recipe, balance_of, missing_music, voice_in, with_music
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import SUFFIX, load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.lining_up import line_up, lined_up
from dubbin.core.episode.model import CutKind, Episode, Role, Tags
from dubbin.core.errors import DubbinError
from dubbin.core.folders import Folders
from dubbin.core.jobs import Task
from dubbin.core.mix.card_entry import CutSwitch, Entry
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.render import balanced_program, episode_sounds
from dubbin.core.mix.run_card import CardResources, run_card
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import replacing
from dubbin.core.speech.models import Models
from dubbin.core.texts import tr
from dubbin.core.treat.tiles import DiskTileCache, prune

STATE = "batch.json"
RATE = 48000  # of a session


@dataclass(frozen=True)
class Outcome:
    """Of one input. masters: (file, target, passes, problems); error: why nothing came of it. remarks: sentences on what could not be done. again: whether it was done before and is taken from then.
    seconds: that it took."""

    file: str
    masters: tuple[dict[str, Any], ...] = ()
    entries: tuple[dict[str, str], ...] = ()
    error: str | None = None
    remarks: tuple[str, ...] = ()
    again: bool = False
    seconds: float = 0.0

    @property
    def passes(self) -> bool:
        """Whether masters came of it, and all of them pass."""
        return self.error is None and bool(self.masters) and all(m["pass"] for m in self.masters)


def run_batch(
    inputs: Sequence[BatchInput], out: Path, recipe: Recipe | None, folders: Folders, task: Task | None = None, workers: int | None = None,
) -> Iterator[Outcome]:  # fmt: skip
    """The outcome of every input as it comes. What was done before with the same recipe and is still there is not done again.

    workers: inputs at a time; each uses two cores. Raises Cancelled; what was finished until then is kept. A worker that dies costs the input that it had in hand.
    """
    task = task or Task()
    state = _State(out / STATE)
    names = _names(inputs)
    waiting = []
    for item in inputs:
        key = _key(item, recipe)
        known = state.known(key)
        if known is not None:
            yield known
        else:
            waiting.append(_Job(item, key, names[item]))
    workers = workers or max(1, (os.cpu_count() or 2) // 2)
    if workers == 1 or len(waiting) < 2:
        for k, job in enumerate(waiting):
            outcome = run_one(job.item, out, job.name, recipe, folders, task.part(k / len(waiting), (k + 1) / len(waiting)))
            state.keep(job.key, outcome)
            yield outcome
        return
    for done, (job, outcome) in enumerate(_on_processes(waiting, out, recipe, folders, workers), 1):
        task.step(done / len(waiting))
        state.keep(job.key, outcome)
        yield outcome


@dataclass(frozen=True)
class _Job:
    item: BatchInput
    key: str
    name: str


def _on_processes(
    waiting: Sequence[_Job], out: Path, recipe: Recipe | None, folders: Folders, workers: int
) -> Iterator[tuple[_Job, Outcome]]:
    """Jobs side by side; where a process dies, all that it may have taken along are tried again one by one, and the one that ends it every time is given up."""
    left = list(waiting)
    for at_once in (workers, 1, 1):  # what never came to its turn beside the others has two tries of its own
        broken: list[_Job] = []
        for job, outcome in _on_pool(left, out, recipe, folders, at_once):
            if outcome is None:
                broken.append(job)
            else:
                yield job, outcome
        left = broken
    for job in left:
        error = tr("{path}: the work on it ended unexpectedly every time; perhaps there is too little memory.").format(path=job.item.path)
        yield job, Outcome(str(job.item.path), error=error)


def _on_pool(
    jobs: Sequence[_Job], out: Path, recipe: Recipe | None, folders: Folders, workers: int
) -> Iterator[tuple[_Job, Outcome | None]]:
    """The outcome of each; None where its process died. With one worker each has a process of its own."""
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor, as_completed
    from concurrent.futures.process import BrokenProcessPool

    for some in [jobs] if workers > 1 else [[job] for job in jobs]:
        with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn")) as pool:
            futures = {pool.submit(run_one, job.item, out, job.name, recipe, folders): job for job in some}
            try:
                for future in as_completed(futures):
                    try:
                        yield futures[future], future.result()
                    except BrokenProcessPool:
                        yield futures[future], None
            except BaseException:
                pool.shutdown(wait=False, cancel_futures=True)
                raise


def run_one(item: BatchInput, out: Path, name: str, recipe: Recipe | None, folders: Folders, task: Task | None = None) -> Outcome:
    """One input to its masters; the episode is kept beside them. Errors become the outcome."""
    started = time.monotonic()
    try:
        outcome = _masters_of(item, out, name, recipe, folders, task or Task())
    except DubbinError as error:
        outcome = Outcome(str(item.path), error=str(error))
    except OSError as error:
        outcome = Outcome(str(item.path), error=f"{item.path}: {error.strerror or error}.")
    return replace(outcome, seconds=round(time.monotonic() - started, 1))


def _masters_of(item: BatchInput, out: Path, name: str, recipe: Recipe | None, folders: Folders, task: Task) -> Outcome:
    path = item.path
    copies, tile_cache = WorkingCopies(folders.copies), DiskTileCache(folders.tiles)
    prune(folders.tiles, folders.most_tile_bytes)
    kept = KeptResults(folders.results)
    kept.prune()
    entries: tuple[Entry, ...] = ()
    remarks: tuple[str, ...] = ()
    if path.suffix.lower() == SUFFIX:
        episode = load_episode(path)
    else:
        episode = _new(item, recipe, copies, task.part(0.0, 0.05))
    if recipe is not None:
        episode = _tagged(apply_recipe(episode, recipe).episode, item.tags)  # what a table says of one episode counts more
    if path.suffix.lower() != SUFFIX or recipe is not None:
        wants_words = (
            recipe is None
            or any(recipe.cuts(kind) is not False for kind in (CutKind.FILLER, CutKind.RETAKE))
            or bool({"captions", "transcript", "notes"} & set(episode.delivery.extras))
        )
        ran = run_card(episode, CardResources(copies, tile_cache, kept, Models(cache=folders.cache), wants_words), task.part(0.05, 0.7))
        for change in ran.changes:
            episode = change(episode).episode
        entries, remarks = ran.entries, ran.remarks
        if recipe is not None:
            episode, entries = _as_the_recipe_says(episode, recipe, entries)
    save_episode(episode, out / f"{name}{SUFFIX}")
    targets = [find_target(t, folders.state) for t in episode.delivery.targets]
    formats = [find_format(f) for f in episode.delivery.formats]
    program = balanced_program(episode, episode_sounds(episode, copies, tile_cache), task.part(0.7, 0.75))
    done = deliver(program, out, order_of(episode, name, targets, formats), task.part(0.75, 1.0))
    masters = [{"file": str(m.file), "target": m.proof.target, "format": m.format.name, "pass": m.proof.passes, "problems": list(m.proof.problems),
                "integrated_lufs": m.proof.measured.loudness.integrated_lufs, "true_peak_dbtp": m.proof.measured.loudness.true_peak_dbtp} for m in done.masters]  # fmt: skip
    masters += [{"file": None, "target": f.target, "format": f.format.name, "pass": False, "problems": [f.reason]} for f in done.failed]
    told = tuple({"step": e.step.value, "title": e.title, "before": e.before, "after": e.after} for e in entries)
    return Outcome(str(path), tuple(masters), told, remarks=remarks)


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


def _names(inputs: Sequence[BatchInput]) -> dict[BatchInput, str]:
    """A name of its own for everything that comes out."""
    out: dict[BatchInput, str] = {}
    used: set[str] = set()
    for item in inputs:
        name = base = safe_name(item.path.stem)
        k = 2
        while name in used:
            name, k = f"{base}-{k}", k + 1
        used.add(name)
        out[item] = name
    return out


def _key(item: BatchInput, recipe: Recipe | None) -> str:
    try:
        seen = [(str(file.resolve()), file.stat().st_size, file.stat().st_mtime_ns) for file in item.recordings]
    except OSError:
        return ""
    known = (item.voices, item.tags) if item.files else ()
    return hashlib.blake2b(repr((seen, recipe, *known)).encode(), digest_size=16).hexdigest()


class _State:
    """What was finished, in a file beside the masters."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._known: dict[str, Any] = {}
        try:
            known = json.loads(path.read_text())
            self._known = known if isinstance(known, dict) else {}
        except (OSError, ValueError):
            pass

    def known(self, key: str) -> Outcome | None:
        """An outcome whose files are all still there."""
        plain: Any = self._known.get(key)
        if not isinstance(plain, dict):
            return None
        try:
            outcome = Outcome(
                plain["file"],
                tuple(plain["masters"]),
                tuple(plain["entries"]),
                plain["error"],
                tuple(plain["remarks"]),
                True,
                float(plain.get("seconds", 0.0)),
            )
            there = all(m["file"] is not None and Path(m["file"]).exists() for m in outcome.masters)
        except (KeyError, TypeError):
            return None
        return outcome if outcome.error is None and outcome.masters and there else None

    def keep(self, key: str, outcome: Outcome) -> None:
        if not key:
            return
        self._known[key] = asdict(outcome)
        with replacing(self._path) as temporary:
            temporary.write_text(json.dumps(self._known, indent=1))
