"""Reads journals: what a program that ended without warning has left, and the steps of an episode that was closed in order.

Journals of earlier versions, and those that hold whole parts of the episode instead of what changed, are read state by state.
"""

from __future__ import annotations

import fcntl
import shutil
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.delta import applied
from dubbin.core.episode.file import from_plain
from dubbin.core.episode.history import History, Step, redone
from dubbin.core.episode.journal import GoesOn, digest, kept_path
from dubbin.core.episode.migrations import VERSION
from dubbin.core.episode.model import Episode
from dubbin.core.errors import BadEpisode, CannotWrite
from dubbin.core.texts import tr

BEFORE_VERSIONS = 3  # of the format, in journals that do not say
NOT_JSON = (msgspec.DecodeError, UnicodeDecodeError, RecursionError)
STEPS = ("do", "undo", "redo")


class Line(msgspec.Struct):
    """A line of a journal: the first one (base), a step, or that the episode was saved or closed."""

    kind: str = ""
    title: str = ""
    merge: str | None = None
    joins: bool = False
    there: msgspec.Raw = msgspec.Raw(b"")
    back: msgspec.Raw = msgspec.Raw(b"")
    path: str | None = None
    digest: str = ""
    base: msgspec.Raw = msgspec.Raw(b"")
    version: int = BEFORE_VERSIONS
    deltas: bool = False
    set: dict[str, Any] = {}


@dataclass(frozen=True)
class LeftOver:
    """What a journal holds that was never saved."""

    journal: Path
    episode_path: Path | None
    title: str
    last_step: str
    steps: int
    changed_at: float


@dataclass(frozen=True)
class Recovered:
    """A history with the present episode, and the episode as it was at the journal's begin (None: not read). goes_on: the journal, where it can go on;
    is_damaged: steps behind the last one of the history can't be read."""

    history: History
    base: Episode | None
    goes_on: GoesOn | None
    is_damaged: bool = False


def kept_history(folder: Path, episode: Episode) -> Recovered | None:
    """The steps that led to an episode that was closed in order; None when none are kept, or they lead elsewhere."""
    path = kept_path(folder, episode.id)
    try:
        lines, end = _whole(path.read_bytes())
        if lines and _is_present(lines[0]):
            if lines[-1].kind != "saved" or lines[-1].digest != digest(episode):
                return None
            return Recovered(History(episode, *_steps(lines)), None, GoesOn(path, end))
        history, base = _replayed(lines)
    except (OSError, BadEpisode):
        return None
    return Recovered(history, base, None) if history.episode == episode else None


def left_over(folder: Path) -> list[LeftOver]:
    """Journals with unsaved steps whose program no longer runs, the latest first. Those without are kept with those that were closed in order."""
    found = []
    for path in folder.glob("*.jsonl") if folder.is_dir() else ():
        with suppress(OSError):  # its program is alive, another one was quicker, or nothing can be done to it
            with open(path, "rb") as f:
                fcntl.flock(f, fcntl.LOCK_SH | fcntl.LOCK_NB)
                lines = _lines(f.read())
            last_saved = _last_saved(lines)
            unsaved = [line for line in lines[last_saved + 1 :] if line.kind in STEPS]
            if not unsaved:
                _put_away(folder, path, has_steps=last_saved > 1)
                continue
            kept_at = next((line.path for line in reversed(lines) if line.path), None)
            last = next((line.title for line in reversed(lines) if line.title), "")
            found.append(LeftOver(path, Path(kept_at) if kept_at else None, _title(lines), last, len(unsaved), path.stat().st_mtime))
    return sorted(found, key=lambda item: -item.changed_at)


def discard(item: LeftOver) -> None:
    """Throw what a program has left away, for good. Raises BadEpisode: another program has taken it up; CannotWrite."""
    try:
        with open(item.journal, "rb") as f:
            fcntl.flock(f, fcntl.LOCK_EX | fcntl.LOCK_NB)
            item.journal.unlink()
    except FileNotFoundError:
        pass  # another program has done so
    except BlockingIOError as error:
        raise _taken_up(item) from error
    except OSError as error:
        raise CannotWrite(tr("The journal can't be taken away: {strerror}.").format(strerror=error.strerror)) from error


def _taken_up(item: LeftOver) -> BadEpisode:
    return BadEpisode(tr("“{title}” has been taken up in another window of Dubbin.").format(title=item.title))


def _put_away(folder: Path, path: Path, has_steps: bool) -> None:
    """Keep a journal whose program ended without warning but with everything saved: its steps can still be undone."""
    target = kept_path(folder, path.stem.rsplit("-", 1)[0])
    if has_steps and not (target.exists() and target.stat().st_mtime > path.stat().st_mtime):
        target.parent.mkdir(exist_ok=True)
        path.replace(target)
    else:
        path.unlink(missing_ok=True)


def recover(item: LeftOver) -> Recovered:
    """The history as it was when the program ended, the present episode included. Raises BadEpisode."""
    try:
        with open(item.journal, "rb") as f:
            fcntl.flock(f, fcntl.LOCK_SH | fcntl.LOCK_NB)
            data = f.read()
    except (FileNotFoundError, BlockingIOError) as error:
        raise _taken_up(item) from error
    except OSError as error:
        raise BadEpisode(tr("The journal can't be read: {strerror}.").format(strerror=error.strerror)) from error
    lines, end = _whole(data)
    history, base = _replayed(lines)
    if not _is_present(lines[0]):
        return Recovered(history, base, None)
    is_cut_short = len(history.done) < len(_steps(lines)[0])
    was_saved = is_cut_short and len(history.done) < _steps_saved(lines)
    if was_saved or any(line.kind == "saved" for line in _readable(data[end:])):
        raise BadEpisode(tr("The journal was damaged before the episode was saved last: open the episode itself, which holds more."))
    # The last line may have been torn by the crash; one that is whole and can't be read was harmed since.
    return Recovered(history, base, None if is_cut_short else GoesOn(item.journal, end), is_cut_short or b"\n" in data[end:])


def keep_aside(journal: Path) -> Path | None:
    """Copy a damaged journal to a place where nothing is done to it: what can't be read of it is not gone. None where there is no room for it."""
    try:
        return Path(shutil.copyfile(journal, journal.with_suffix(".damaged")))
    except OSError:
        return None


def _is_present(first: Line) -> bool:
    return first.deltas and first.version == VERSION


def _steps(lines: list[Line]) -> tuple[list[Step], list[Step]]:
    """Steps that are done, and steps that were undone, as a history holds them."""
    done: list[Step] = []
    undone: list[Step] = []
    for line in lines[1:]:
        if line.kind == "do":
            if line.joins and done:
                done.pop()
            done.append(Step(line.title, bytes(line.there), bytes(line.back), line.merge))
            undone.clear()
        elif line.kind == "undo" and done:
            undone.append(done.pop())
        elif line.kind == "redo" and undone:
            done.append(undone.pop())
    return done, undone


def _steps_saved(lines: list[Line]) -> int:
    """How many steps were done when the episode was saved last."""
    return len(_steps(lines[: _last_saved(lines) + 1])[0])


def _last_saved(lines: list[Line]) -> int:
    """The line that tells of the last save; the first one where there was none."""
    return max((k for k, line in enumerate(lines) if line.kind == "saved"), default=0)


def _replayed(lines: list[Line]) -> tuple[History, Episode]:
    """The history as far as its steps fit, and the episode at its begin. Raises BadEpisode where not one does."""
    if not lines:
        raise BadEpisode(tr("The journal can't be read."))
    plain = _decoded(lines[0].base)
    base = from_plain(plain, lines[0].version)
    if _is_present(lines[0]):
        done, undone = _steps(lines)
        episode = base
        for k, step in enumerate(done):
            try:
                episode = redone(step, episode)
            except BadEpisode:
                if k == 0:
                    raise
                return History(episode, done[:k]), base  # all that comes later stands on this one
        return History(episode, done, undone), base
    history = History(base)
    for line, state in _states(lines, plain):
        if line.kind == "undo":
            history.undo()
        elif line.kind == "redo":
            history.redo()
        else:
            after = _shared(from_plain(state, lines[0].version), history.episode)
            history.add(Change(line.title, after, line.merge), line.joins and bool(history.done))
    return history, base


def _states(lines: list[Line], base: dict[str, Any]) -> Iterator[tuple[Line, dict[str, Any]]]:
    """Every step with the plain episode after it, of the version that wrote the journal. Raises BadEpisode."""
    done, undone = [base], []
    for line in lines[1:]:
        if line.kind == "undo" and len(done) > 1:
            undone.append(done.pop())
        elif line.kind == "redo" and undone:
            done.append(undone.pop())
        elif line.kind == "do":
            joins = line.joins and len(done) > 1
            if bytes(line.there):
                state = applied(_decoded(line.there), done[-2] if joins else done[-1])
            else:
                state = {**done[-1], **line.set}
            done[len(done) - joins :] = [state]
            undone.clear()
        else:
            continue
        yield line, done[-1]


def _title(lines: list[Line]) -> str:
    """What the episode is called after the last step that named it; nothing where that can't be read."""
    with suppress(BadEpisode):
        return _named(lines)
    return ""


def _named(lines: list[Line]) -> str:
    for line in reversed(lines[1:]):
        if "title" in line.set:
            return str(line.set["title"])
        if b'"title"' in bytes(line.there):
            named = _decoded(line.there).get("f", {}).get("title", {})
            if "v" in named:
                return str(named["v"])
    return str(_decoded(lines[0].base).get("title", ""))


def _decoded(data: msgspec.Raw) -> dict[str, Any]:
    """Raises BadEpisode."""
    try:
        plain = msgspec.json.decode(data)
    except NOT_JSON as error:
        raise BadEpisode(tr("The journal can't be read.")) from error
    if not isinstance(plain, dict):
        raise BadEpisode(tr("The journal can't be read."))
    return plain


def _shared(new: Episode, old: Episode) -> Episode:
    """The same episode with the parts that it has in common with another one kept only once."""
    values = {}
    for name in new.__dataclass_fields__:
        mine, theirs = getattr(new, name), getattr(old, name)
        values[name] = theirs if mine == theirs else mine
    return Episode(**values)


def _lines(data: bytes) -> list[Line]:
    """Whole lines only: the last one may have been cut off by the crash."""
    return _whole(data)[0]


def _readable(data: bytes) -> Iterator[Line]:
    """Lines that can be read behind one that can't."""
    for text in data.split(b"\n")[:-1]:
        with suppress(*NOT_JSON):
            yield msgspec.json.decode(text, type=decodable(Line))


def _whole(data: bytes) -> tuple[list[Line], int]:
    """The whole lines, and the byte at which they end."""
    decoder, out, end = msgspec.json.Decoder(decodable(Line)), list[Line](), 0
    for text in data.split(b"\n")[:-1]:
        try:
            text.decode()  # what the decoder leaves for later it does not look into
            line = decoder.decode(text)
        except NOT_JSON:
            break
        if not (line.kind if out else bytes(line.base)):
            break
        out.append(line)
        end += len(text) + 1
    return out, end
