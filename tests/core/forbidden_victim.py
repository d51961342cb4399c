"""Works in folders whose permission to be written, or read, is taken away meanwhile, and says what became of it. Run in a process that permissions bind:
the one who runs it need not be, as administrator of a test machine, one whom they bind."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np

from dubbin.core.deliver.collecting import collect
from dubbin.core.deliver.formats import find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import Document, new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import write_sound
from dubbin.core.treat.tiles import DiskTiles
from tests.core.machine_episode import first_episode

RATE = 48000


@contextmanager
def forbidden(path: Path, mode: int = 0o500):
    """Without permission to write in it (0o500) or even to look (0)."""
    before = path.stat().st_mode
    path.chmod(mode)
    yield
    path.chmod(before)


def said(work: Callable[[], object]) -> str:
    """The sentence in which the work was refused; empty where it was done."""
    try:
        work()
    except DubbinError as error:
        return str(error)
    return ""


def talk(seconds: float) -> Sound:
    return Sound(np.random.default_rng(1).normal(0, 0.05, (1, round(seconds * RATE))).astype(np.float32), RATE)


def is_bound(folder: Path) -> dict[str, object]:
    with forbidden(folder):
        return {"bound": not os.access(folder, os.W_OK)}


def episode(folder: Path) -> dict[str, object]:
    path = folder / "e.dubbin"
    save_episode(first_episode(), path)
    document = Document.opened(folder.parent / "journals", path)
    document.do(cut_stretch(document.episode, 0, RATE))
    with forbidden(folder):
        refused = said(document.save)
        as_it_was = load_episode(path) == first_episode() and document.has_changes
    document.save()
    return {"said": refused, "as_it_was": as_it_was, "saved_after": load_episode(path).cuts == document.episode.cuts}


def journal(folder: Path) -> dict[str, object]:
    told: list[str] = []
    with forbidden(folder):
        document = Document(folder / "journals", first_episode())
        document.watch_trouble(told.append)
        done = document.do(cut_stretch(document.episode, 0, RATE))
    return {"said": " ".join(told), "done": done}


def masters(folder: Path) -> dict[str, object]:
    """Taken away when a third is done."""

    def take_away(fraction: float) -> None:
        if fraction > 0.3:
            folder.chmod(0o500)

    reasons: list[str] = []
    work = lambda: reasons.extend(  # noqa: E731
        f.reason
        for f in make_masters(
            talk(30), folder, "m", [find_target("podcast-mono")], [find_format("wav"), find_format("mp3")], task=Task(take_away)
        ).failed
    )
    refused = said(work) or " ".join(reasons)
    folder.chmod(0o700)
    left = [p.name for p in folder.rglob("*") if p.is_file()]
    again = make_masters(talk(1), folder, "m", [find_target("podcast-mono")], [find_format("wav")])
    return {"said": refused, "left": left, "made_after": len(again.made)}


def recording(folder: Path) -> dict[str, object]:
    write_sound(talk(3), folder / "a.wav")
    open_one = WorkingCopies(folder.parent / "copies").obtain(folder / "a.wav", RATE)
    before = open_one.read(0, RATE)
    with forbidden(folder / "a.wav", 0), forbidden(folder, 0):
        same: list[bool] = []
        on = said(lambda: same.append(np.array_equal(open_one.read(0, RATE), before)))
        refused = said(lambda: WorkingCopies(folder.parent / "others").obtain(folder / "a.wav", RATE))
    return {"said": refused, "heard_on": bool(same and same[0]) or bool(on)}


def tiles(folder: Path) -> dict[str, object]:
    stage = DiskTiles(folder / "stage")
    stage.put(0, talk(2).samples)
    with forbidden(folder / "stage"):
        refused = said(lambda: stage.put(1, talk(2).samples))
        kept = stage.get(0, 0, RATE) is not None
    return {"said": refused, "kept": kept}


def collection(folder: Path) -> dict[str, object]:
    source = folder.parent / "a.wav"
    write_sound(talk(3), source)
    taken = import_file(source, WorkingCopies(folder.parent / "copies"), RATE)
    whole = add_recordings(replace(new_episode(), title="t"), [taken.recording], taken.lanes).episode
    with forbidden(folder):
        return {"said": said(lambda: collect(whole, folder / "all"))}


KINDS = (is_bound, episode, journal, masters, recording, tiles, collection)


def main(folder: Path) -> None:
    found = {}
    for kind in KINDS:
        place = folder / kind.__name__ / "place"
        place.mkdir(parents=True)
        result = kind(place)
        # An empty folder may stay where nothing may be taken away: the next program that writes there clears it.
        hidden = [p.name for p in place.rglob("*") if (p.name.startswith(".") or ".part" in p.name) and (p.is_file() or any(p.iterdir()))]
        found[kind.__name__] = result | {"hidden": hidden}
    print(json.dumps(found))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
