"""Builds the demo episode in a folder: recordings, truth, and the episode file."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np

from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Episode, Role, Tags
from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import replacing, write_sound
from dubbin.core.speech.transcript import Spoken
from dubbin.core.texts import tr
from dubbin.demo.music import harbour_theme
from dubbin.demo.recordings import RATE, build_sounds, script

EPISODE_FILE = "the-slow-ferry.dubbin"
FILES = {
    "ines": "ines-desk-microphone.wav",
    "tobias": "tobias-kitchen-table.wav",
    "music": "harbour-theme.flac",
}


def build_demo(folder: Path, copies: WorkingCopies, task: Task | None = None) -> Path:
    """The episode file of the demo in `folder`, made now if it is not there. Raises CannotWrite."""
    task = task or Task()
    path = folder / EPISODE_FILE
    if path.exists():
        return path
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(tr("The folder {folder} can't be made: {strerror}.").format(folder=folder, strerror=error.strerror)) from error
    sounds = build_sounds(task.part(0.0, 0.6))
    for k, (voice, x) in enumerate(sounds.recorded.items()):
        write_sound(Sound(x[None].astype(np.float32), RATE), folder / FILES[voice], 24, task.part(0.6 + 0.05 * k, 0.65 + 0.05 * k))
    write_sound(Sound(harbour_theme(RATE).astype(np.float32), RATE), folder / FILES["music"], 16)
    with replacing(folder / "truth.json") as temporary:
        temporary.write_text(json.dumps(asdict(sounds.truth), indent=1))
    task.step(0.7)
    text = script()
    episode = Episode(id="slow-ferry-demo", title=text["title"])
    parts = (task.part(low, low + 0.1) for low in (0.7, 0.8, 0.9))
    taken = [
        import_file(folder / FILES[key], copies, episode.rate, part) for key, part in zip(("ines", "tobias", "music"), parts, strict=True)
    ]
    names = ("Ines", "Tobias", "Music")
    lanes = [replace(t.lanes[0], voice=name) for t, name in zip(taken, names, strict=True)]
    lanes[2] = replace(lanes[2], role=Role.MUSIC)
    episode = add_recordings(episode, [t.recording for t in taken], lanes).episode
    tags = Tags(
        title=text["title"], author="Ines Calder", show=text["show"], year="2026",
        description="Ines Calder talks with the bell-founder's apprentice Tobias Wren.",
    )  # fmt: skip
    known = (*(voice["name"] for voice in text["voices"].values()), text["show"])
    episode = replace(episode, delivery=replace(episode.delivery, tags=tags), spoken=Spoken(terms=known))
    save_episode(episode, path)
    return path
