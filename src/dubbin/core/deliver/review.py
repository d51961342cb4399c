"""The listening page: one HTML file with the sound inside, to be heard, read and commented on by others.

It needs no server and sends nothing: a strict content policy forbids it (https://www.w3.org/TR/CSP3/). All that is filled in is escaped. Comments come back as a
file of their own: see `comments`.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from markupsafe import Markup

from dubbin.core.deliver.captions import Turn, turns
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import OPUS
from dubbin.core.deliver.levels import Levels
from dubbin.core.deliver.master import safe_name
from dubbin.core.deliver.proof_sheet import SHEETS, templates
from dubbin.core.deliver.publication import Publication, publication_of
from dubbin.core.deliver.rendered import Limited, render
from dubbin.core.episode.model import Episode
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import UnusableSound
from dubbin.core.figures import clock
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source, blocks
from dubbin.core.sound.writing import not_written, replacing, scratch_folder
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.written import are_joined
from dubbin.core.texts import language, tr

LOUDNESS_LUFS, CEILING_DBTP = -16.0, -1.5  # as it is heard elsewhere
RATE = 48000  # of Opus
KBPS_A_CHANNEL = 40  # of Opus, at which speech is as good as recorded
COLUMNS = 3000  # of the wave
SPEEDS = (0.75, 1, 1.25, 1.5, 2)


def write_review(program: Source, episode: Episode, out: Path, task: Task | None = None) -> None:
    """The listening page of an episode. program: its sound as it is delivered. Raises CannotWrite and UnusableSound."""
    task = task or Task()
    if program.frames == 0:
        raise UnusableSound(tr("There is nothing to listen to: the program is empty."))
    try:
        with scratch_folder(out.parent) as temporary:
            sound, peaks = _sound(program, temporary, task.part(0.0, 0.95))
            page = review_html(episode, sound, peaks)
        with replacing(out) as draft:
            draft.write_text(page, encoding="utf-8")
    except OSError as error:
        raise not_written(out, error) from error
    task.step(1.0)


def review_html(episode: Episode, sound: bytes, peaks: Sequence[int]) -> str:
    """The page as text. sound: an Ogg Opus file. peaks: highest samples of stretches of the program, 0 to 255."""
    time_map = program_map(episode)
    what = publication_of(episode, time_map)
    said = turns([w for w in what.words if w.kind is not WordKind.SOUND])
    title = what.tags.title or episode.title
    script, style = (_plain(SHEETS / name) for name in ("review.js", "review.css"))
    data = _data(episode, time_map, what, said) | {
        "peaks": list(peaks),
        "title": title,
        "name": safe_name(title),
        "texts": _spoken_by_script(),
    }
    about = " · ".join(part for part in (what.tags.show, what.tags.people or what.tags.author) if part)
    page = templates().get_template("review.html")
    return str(
        page.render(
            title=title, about=about, language=language(), texts=_shown(), speeds=SPEEDS, length=clock(what.duration_s), seconds=round(what.duration_s),
            has_words=bool(said), script=Markup(script), style=Markup(style), script_hash=_hash(script), style_hash=_hash(style),
            data=Markup(_in_script(data)), sound=Markup(base64.b64encode(sound).decode()), sound_type="audio/ogg; codecs=opus",
        )
    )  # fmt: skip


def _sound(program: Source, work: Path, task: Task) -> tuple[bytes, list[int]]:
    """The program as an Opus file, at the loudness at which people listen, and its peaks."""
    channels = min(program.channels, 2)
    whole = render(program, work / "program.f32", RATE, channels, task.part(0.0, 0.4))
    levels = Levels(whole, task.part(0.4, 0.5))
    heard = Limited(whole, levels.gain_to(LOUDNESS_LUFS, CEILING_DBTP), CEILING_DBTP)
    path = work / f"program{OPUS.suffix}"
    encode(heard, path, OPUS, bits=16, kbps=KBPS_A_CHANNEL * channels, task=task.part(0.5, 0.95))
    return path.read_bytes(), _peaks(whole)


def _peaks(source: Source) -> list[int]:
    """Highest samples of up to COLUMNS stretches, against the highest of all: 0 to 255."""
    count = min(COLUMNS, source.frames)
    highest = np.zeros(count, np.float32)
    for start, x in blocks(source):
        at = (start + np.arange(x.shape[1], dtype=np.int64)) * count // source.frames
        np.maximum.at(highest, at, np.max(np.abs(x), axis=0))
    top = float(np.max(highest, initial=0.0))
    return [round(255 * float(v) / top) for v in highest] if top > 0 else [0] * count


def _data(episode: Episode, time_map: TimeMap, what: Publication, said: Sequence[Turn]) -> dict[str, Any]:
    """What the page knows, in seconds of the program; map: (program, session, length) of every span."""
    rate, first, starts = episode.rate, 0, []
    for turn in said:
        starts.append([turn.speaker, first])
        first += len(turn.words)
    return {
        "id": episode.id, "seconds": what.duration_s, "turns": starts,
        "words": [word for turn in said for word in _words(turn)],
        "chapters": [[_s(c.start_s), c.title] for c in what.chapters],
        "map": [[_s(s.program / rate), _s(s.start / rate), _s((s.end - s.start) / rate)] for s in time_map.spans],
    }  # fmt: skip


def _words(turn: Turn) -> list[list[Any]]:
    """Of each word of a turn its beginning, its end, its text, and 1 where no space stands before it."""
    follows = [0, *(int(are_joined(a.text, b.text)) for a, b in pairwise(turn.words))]
    return [[_s(w.start_s), _s(w.end_s), w.text, joined] for w, joined in zip(turn.words, follows, strict=True)]


def _s(seconds: float) -> float:
    return round(seconds, 4)


def _plain(path: Path) -> str:
    return path.read_text(encoding="utf-8").strip()


def _hash(text: str) -> str:
    """As a content policy names what may run."""
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _in_script(data: object) -> str:
    """JSON that can't end the element in which it stands."""
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":"))
    for letter in "<>&\u2028\u2029":
        text = text.replace(letter, f"\\u{ord(letter):04x}")
    return text


def _shown() -> dict[str, str]:
    return {
        "page": tr("Listening page"), "player": tr("Player"), "play": tr("Play"), "speed": tr("Speed"), "wave": tr("Place in the program"),
        "chapters": tr("Chapters"), "comment": tr("Comment"), "comments": tr("Comments"), "name": tr("Your name"), "add": tr("Add comment"),
        "hint": tr("A click on a word or on the wave sets the place. Keys: Space plays, C comments at the play head, Ctrl+Return adds the comment, arrows move by words in the transcript and by 5 s on the wave."),
        "transcript": tr("Transcript: arrows move by words and turns, Return comments on a word"), "no_words": tr("This episode has no transcript."),
        "none": tr("None yet. They stay in this page until you save them."), "save": tr("Save my comments"), "open": tr("Open saved comments"),
        "no_script": tr("This page needs JavaScript to play and to take comments; it sends nothing anywhere."),
    }  # fmt: skip


def _spoken_by_script() -> dict[str, str]:
    return {
        "play": tr("Play"), "stop": tr("Stop"), "no_play": tr("This browser can't play the sound of this page."), "from_here": tr("Play from here"),
        "at": tr("Comment at {time}"), "at_word": tr("Comment at {time}, “{word}”"), "add": tr("Add comment"), "change": tr("Change comment"),
        "edit": tr("Edit"), "remove": tr("Remove"), "removed": tr("Comment removed."), "added": tr("Comment at {time} added; save them when you are done."),
        "ask_name": tr("Please write your name first."), "ask_text": tr("Please write the comment first."),
        "saved": tr("{file} was saved. Send it back to whoever sent you this page."), "opened": tr("Comments opened."),
        "not_comments": tr("This file holds no comments on this page."),
    }  # fmt: skip
