"""Takes files into an episode: working copy, recording and lanes."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.episode.model import Lane, Recording, Role, new_id
from dubbin.core.errors import UnusableSound
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.measure.role import guess_role
from dubbin.core.sound.source import PickedChannels
from dubbin.core.sound.working_copy import WorkingCopies, WorkingCopy
from dubbin.core.texts import tr
from dubbin.core.there import is_there

MOST_LANES = 16


@dataclass(frozen=True)
class ImportedFile:
    """A recording ready to be added, its lanes, and what the person should know (plain sentences)."""

    recording: Recording
    lanes: tuple[Lane, ...]
    remarks: tuple[str, ...]


def import_file(path: Path, copies: WorkingCopies, rate: int, task: Task | None = None) -> ImportedFile:
    """Make the working copy of a file at the session's `rate` and describe it.

    One or two channels make one lane; more channels make a lane each, since that is how
    several microphones are recorded together. Raises UnusableSound, also of a file whose name is no text, and CannotWrite.
    """
    _check_name(path.resolve())
    copy = copies.obtain(path.resolve(), rate, task)
    facts = copy.facts
    recording = Recording(
        new_id(), str(path.resolve()), facts.fingerprint, facts.frames, facts.file_rate,
        facts.channels, facts.nan_count, facts.short_by,
    )  # fmt: skip
    name = voice_name(path.stem)
    if facts.channels <= 2:
        groups: list[tuple[int, ...]] = [tuple(range(facts.channels))]
    else:
        groups = [(c,) for c in range(min(facts.channels, MOST_LANES))]
    lanes = tuple(
        Lane(
            new_id(), recording.id, group, name if len(groups) == 1 else f"{name} {k + 1}",
            Role(guess_role(PickedChannels(copy, group), path.stem)),
        )
        for k, group in enumerate(groups)
    )  # fmt: skip
    return ImportedFile(recording, lanes, remarks_on(recording, rate))


def _check_name(path: Path) -> None:
    """Raise UnusableSound where an episode could not hold the name of a file: on Linux a name is any bytes."""
    try:
        str(path).encode()
    except UnicodeEncodeError:
        raise UnusableSound(
            tr(
                "{path} can't be taken into an episode: the name is no text in UTF-8. Give the file, or the folder that is named so, another name."
            ).format(path=os.fsencode(path).decode(errors="replace"))
        ) from None


def remarks_on(recording: Recording, rate: int) -> tuple[str, ...]:
    """Sentences about damage in a file that could be read all the same."""
    name, out = Path(recording.path).name, []
    if recording.nan_count:
        many = recording.nan_count != 1
        what = (
            tr("{nan_count} samples that are not numbers; they are").format(nan_count=recording.nan_count)
            if many
            else tr("a sample that is not a number; it is")
        )
        out.append(tr("{name} holds {what} read as silence.").format(name=name, what=what))
    if recording.short_by:
        missing = recording.short_by / recording.file_rate
        out.append(
            tr("{name} breaks off {missing} s before the end that it announces; what is there was read.").format(
                name=name, missing=number(missing, 2)
            )
        )
    if recording.frames < rate // 10:
        out.append(tr("{name} is only {frames} s long.").format(name=name, frames=number(recording.frames / rate, 3)))
    return tuple(out)


def recording_source(recording: Recording, copies: WorkingCopies, rate: int, task: Task | None = None) -> WorkingCopy:
    """The working copy of a recording of an episode. Raises UnusableSound when its file is gone or is another."""
    path = Path(recording.path)
    if not is_there(path):
        raise UnusableSound(tr("{path} was not found. If it was moved, say on its job card in Intake where it is now.").format(path=path))
    return copies.obtain(path, rate, task, drift_ppm=recording.drift_ppm)


def voice_name(stem: str) -> str:
    """A first guess at a voice's name from a file name: its words, capitalised."""
    words = [w for w in re.split(r"[\s_\-.]+", stem) if w]
    return " ".join(words[:3]).title() or tr("Voice")
