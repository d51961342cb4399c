"""From a recording to its transcript: recognised, put to the sound, hesitations and other sounds added, speakers told apart."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import KeptVoicing, find_voicing
from dubbin.core.sound.long_recordings import OneAtATime
from dubbin.core.sound.source import Source
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.align_text import TextWord, align_text
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.edges_in_parts import edges_in
from dubbin.core.speech.fillers import add_unheard, mark_kinds, speech_without_words
from dubbin.core.speech.fitting import fitting_words, is_known_language
from dubbin.core.speech.hearing_again import hear_again
from dubbin.core.speech.models import LANGUAGES, Models, built_in_model
from dubbin.core.speech.recogniser import LanguageNotKnown, Recogniser, recognise, recogniser
from dubbin.core.speech.speakers import tell_apart, with_speakers
from dubbin.core.speech.transcript import UNKNOWN, Spoken, Transcript, Word
from dubbin.core.speech.two_at_once import find_together
from dubbin.core.texts import tr


@dataclass(frozen=True)
class Transcription:
    """A transcript and what was seen of the voice on the way."""

    transcript: Transcript
    voicing: KeptVoicing


_one_at_a_time = OneAtATime()


def transcribe(
    source: Source, lane: str, activity: Activity, own: NDArray[np.bool_], model: Recogniser, *, language: str | None = None, terms: Sequence[str] = (),
    speakers: int = 1, rt60_s: float | None = None, text: Sequence[TextWord] = (), text_name: str = "", keep: Path | None = None,
    probe: bool = False, task: Task | None = None,
) -> Transcription:  # fmt: skip
    """Words of a source with all that belongs to them.

    own: marks, 100 a second, of what this voice says (bleed of others left out). language: None: found by itself. terms: names that may come up. speakers: how many share the recording; 0: as many as are found. text: a transcript from
    elsewhere, whose words are kept as they are written. keep: where finished parts are noted, so that broken-off work goes on. probe: whether a few pages of a long
    recording are heard first; then LanguageNotKnown is raised where the model understands hardly a word of them.
    """
    task = task or Task()
    several = speakers != 1 or any(w.speaker for w in text)
    task, voices_task = (task.part(0.0, 0.75), task.part(0.75, 1.0)) if several else (task, Task())
    heard, found = recognise(
        source,
        own,
        model,
        language=language,
        terms=terms,
        keep=keep,
        is_known=is_known_language if probe else None,
        task=task.part(0.0, 0.75),
    )
    heard = hear_again(heard, source, own, model, language=language or found, terms=terms, task=task.part(0.75, 0.85))
    if text:
        heard = align_text(text, heard, source.frames / source.rate)
    with _one_at_a_time.through(source, task):
        heard = edges_in(source, heard, activity, rt60_s, task.part(0.85, 0.95))
    voicing = find_voicing(source, task.part(0.95, 1.0))
    if not text:
        heard, found = (
            (fitting_words(heard, own, voicing.voiced), found)
            if is_known_language(heard, own, of_many=model.is_multilingual)
            else ([], UNKNOWN)
        )
    words: Sequence[Word]
    if found == UNKNOWN:
        words = speech_without_words(own, voicing, source.rate)
    else:
        words = add_unheard(mark_kinds([word_of(w, source.rate) for w in heard], found), own, activity, voicing, source.rate, rt60_s, found)
    names: tuple[str, ...] = ()
    if text and any(w.speaker for w in text):
        words, names = _named(words, text)
    elif speakers != 1:
        words = with_speakers(words, tell_apart(source, voicing, own, speakers or None, voices_task.part(0.0, 0.4)), source.rate)
        names = tuple(tr("Speaker {k}").format(k=k + 1) for k in range(max(w.speaker for w in words) + 1)) if words else ()
    together: list[tuple[float, float]] = []
    if len(names) > 1:
        together = find_together(source, own, recogniser(built_in_model()), voices_task.part(0.4, 1.0))
    else:
        names = ()
    spans = tuple((round(a * source.rate), round(b * source.rate)) for a, b in together)
    return Transcription(Transcript(lane, tuple(words), found, text_name or model.name, names, spans), voicing.kept())


def transcribe_with(
    models: Models, source: Source, lane: str, activity: Activity, own: NDArray[np.bool_], spoken: Spoken, *, speakers: int = 1,
    rt60_s: float | None = None, text: Sequence[TextWord] = (), text_name: str = "", keep: Path | None = None, task: Task | None = None,
) -> Transcription:  # fmt: skip
    """The same with a model that comes with the program or with another one, and what is known of the show.

    Where the quick model understands hardly a word, the thorough one is asked: it knows other languages. Of a long recording it is asked after a few pages. keep: the
    beginning of names of files.
    """
    task = task or Task()
    if spoken.language not in LANGUAGES:  # none, or one that a file names and nobody knows
        spoken = replace(spoken, language="")
    model = models.for_language(spoken.language)

    def listen(model: Recogniser, part: Task, *, probe: bool = False) -> Transcription:
        notes = None if keep is None else keep.with_name(f"{keep.name}-{_digest(model.name, spoken)}.jsonl")
        return transcribe(
            source, lane, activity, own, model, language=spoken.language or None, terms=spoken.terms, speakers=speakers, rt60_s=rt60_s,
            text=text, text_name=text_name, keep=notes, probe=probe, task=part,
        )  # fmt: skip

    if spoken.language or not models.has_other:
        return listen(model, task)
    heard = None
    with suppress(LanguageNotKnown):
        heard = listen(model, task.part(0.0, 0.9), probe=True)
    if heard is None or heard.transcript.language == UNKNOWN:
        first, heard = heard, listen(models.other() or model, task.part(0.1, 0.9))
        if heard.transcript.language == UNKNOWN and first is None:
            heard = listen(model, task.part(0.9, 1.0))  # a few pages may mislead
    task.step(1.0)
    return heard


def _digest(name: str, spoken: Spoken) -> str:
    return hashlib.blake2b(repr((name, spoken)).encode(), digest_size=6).hexdigest()


def remark_on(transcript: Transcript, voice: str) -> str | None:
    """What somebody should know of a transcript that was made; None where all is well."""
    if transcript.language != UNKNOWN:
        return None
    return tr(
        "Hardly a word of {voice} was understood, so none is written down. Set the language, use another "
        "speech model, or import a transcript."
    ).format(voice=voice)


def word_of(heard: HeardWord, rate: int) -> Word:
    """A word as it was heard, in seconds, as one of a transcript, in frames at `rate` Hz."""
    return Word(heard.text, round(heard.start_s * rate), round(heard.end_s * rate), confidence=round(heard.confidence, 3))


def _named(words: Sequence[Word], text: Sequence[TextWord]) -> tuple[list[Word], tuple[str, ...]]:
    """Words with the speakers that a text names; a line without a name goes on with the last."""
    names: list[str] = []
    numbers: list[int] = []
    for item in text:
        if item.speaker and item.speaker not in names:
            names.append(item.speaker)
        numbers.append(names.index(item.speaker) if item.speaker else (numbers[-1] if numbers else 0))
    out, k, last = [], 0, 0
    for word in words:
        if k < len(text) and word.text.strip(" ,.…") == text[k].text.strip(" ,.…"):
            last = numbers[k]
            k += 1
        out.append(replace(word, speaker=last))
    return out, tuple(names)
