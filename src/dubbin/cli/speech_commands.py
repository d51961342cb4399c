"""transcribe and edits: the commands about what is said and what is cut."""

from __future__ import annotations

import sys
from argparse import Namespace
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from dubbin.cli.json_output import json_text, print_json
from dubbin.cli.progress import end_progress, progress_task
from dubbin.core.deliver.captions import SpokenWord, caption_file, text_file, words_of_recording
from dubbin.core.deliver.edit_lists import write_edit_list
from dubbin.core.episode.file import load_episode
from dubbin.core.errors import CannotWrite
from dubbin.core.folders import Folders
from dubbin.core.measure.echo import measure_echo
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.sound.writing import check_output, write_text
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.align_text import read_text
from dubbin.core.speech.known_voices import KnownVoices
from dubbin.core.speech.models import Models
from dubbin.core.speech.transcribe import remark_on, transcribe_with
from dubbin.core.speech.transcript import Spoken, Transcript, WordKind
from dubbin.core.texts import tr, tr_count

ENDINGS = (".vtt", ".srt", ".txt", ".json")


def transcribe(args: Namespace, folders: Folders) -> int:
    if args.out:
        check_output(args.out, (args.input,))
        if args.out.suffix.lower() not in ENDINGS:
            raise CannotWrite(tr("{name}: words can be written as {endings}.").format(name=args.out.name, endings=", ".join(ENDINGS)))
    text = read_text(args.text) if args.text else []
    task = progress_task(tr("Transcribing {name}").format(name=args.input.name), args.quiet)
    copy = WorkingCopies(folders.copies).obtain(args.input, None, task.part(0.0, 0.05))
    models, spoken = Models(args.model or "", folders.cache), Spoken(args.language or "", tuple(args.names or ()))
    models.load()  # says what is wrong with it before anything is looked through
    activity = find_activity(copy, task.part(0.05, 0.08))
    rt60_s = measure_echo(copy, task.part(0.08, 0.1)).rt60_s
    heard = transcribe_with(
        models, copy, "one", activity, activity.audible, spoken, speakers=args.speakers, rt60_s=rt60_s,
        text=text, text_name=args.text.name if args.text else "", task=task.part(0.1, 1.0),
    )  # fmt: skip
    # Names that a text gives stay; voices that were told apart have none yet.
    transcript = heard.transcript if text else KnownVoices(folders.state).named(heard.transcript, copy)
    end_progress(args.quiet)
    if (remark := remark_on(transcript, args.input.name)) is not None:
        print(f"dubbin: {remark}", file=sys.stderr)
    words = words_of_recording(transcript.words, copy.rate, transcript.speakers, tr("Speaker 1"))
    document = _document(args.input, transcript, words, copy.rate)
    if args.out:
        _write(args.out, words, document)
    if args.json:
        print_json(document)
    elif args.out:
        _print_count(args.out, transcript, words)
    else:
        print(text_file(words), end="")
    return 0


def _document(path: Path, transcript: Transcript, words: Sequence[SpokenWord], rate: int) -> dict[str, object]:
    """The words as JSON; overlaps where voices were told apart."""
    document: dict[str, object] = {
        "file": str(path), "language": transcript.language,
        "words": [
            {"text": w.text, "start_s": round(w.start_s, 4), "end_s": round(w.end_s, 4), "speaker": w.speaker, "kind": w.kind.value, "confidence": w.confidence}
            for w in words
        ],
    }  # fmt: skip
    if len(transcript.speakers) > 1:
        document["overlaps"] = [{"start_s": round(a / rate, 4), "end_s": round(b / rate, 4)} for a, b in transcript.together]
    return document


def _write(path: Path, words: Sequence[SpokenWord], document: dict[str, object]) -> None:
    ending = path.suffix.lower()
    if ending == ".json":
        write_text(path, json_text(document, 1) + "\n")
    else:
        write_text(path, text_file(words) if ending == ".txt" else caption_file(words, ending[1:]))


def _print_count(path: Path, transcript: Transcript, words: Sequence[SpokenWord]) -> None:
    kinds = Counter(w.kind for w in words)
    print(tr("{out}: {words} words, {fillers} fillers").format(out=path, words=kinds[WordKind.WORD], fillers=kinds[WordKind.FILLER]))
    if len(transcript.speakers) > 1:
        print(
            tr_count(
                "{speakers} speakers, two at once in {count} place", "{speakers} speakers, two at once in {count} places",
                len(transcript.together), speakers=len(transcript.speakers),
            )
        )  # fmt: skip


def edits(args: Namespace, folders: Folders) -> int:
    episode = load_episode(args.episode)
    for path in args.out:
        write_edit_list(episode, Path(path), args.fps)
        print(path)
    return 0
