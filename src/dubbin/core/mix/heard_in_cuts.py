"""What automatic cuts take away, heard once more as a whole: no speech may lie in it that is neither filler nor retake.

A filler that reaches over a sentence, or a take that takes somebody else's answer along, is not seen in the words that made it. So all that would go is given to
the recogniser by itself, without the takes that are said again and with nothing around it that stays.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Cut, Lane
from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import KeptVoicing, find_voicing
from dubbin.core.mix.word_cuts import FoundRetake
from dubbin.core.sound.source import Source
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.fitting import fitting_words
from dubbin.core.speech.hesitations import is_filler_text, is_laughter_text
from dubbin.core.speech.recogniser import Recogniser, recognise
from dubbin.core.speech.transcript import plain
from dubbin.core.speech.written import written

LEAST_S = 0.4  # of speech in a cut: a hesitation is shorter, and so is what a word leaves behind
AROUND_TAKE_S = 0.2
FEWEST_WORDS, SURE, FEWEST_LETTERS = 2, 0.6, 4  # what tells words from a hesitation that was heard as one


@dataclass(frozen=True)
class SpeechInCut:
    """Words of a voice in a cut."""

    voice: str
    cut: Cut
    text: str


def speech_in_cuts(
    cuts: Sequence[Cut], lanes: Sequence[Lane], sources: Mapping[str, Source], own: Mapping[str, NDArray[np.bool_]], retakes: Sequence[FoundRetake],
    model: Recogniser, task: Task | None = None, *, language: str | None = None, voicings: Mapping[str, KeptVoicing] | None = None,
) -> list[SpeechInCut]:  # fmt: skip
    """Speech that cuts would take away.

    cuts: on the session clock. lanes: the voices. sources, own: by the ids of the lanes, their sound as recorded and marks, 100 a second, of what they say.
    retakes: whose takes may go. language: None: found by itself. voicings: of lanes where it is known.
    """
    task = task or Task()
    out: list[SpeechInCut] = []
    for lane, part in zip(lanes, task.shares(len(lanes)), strict=True):
        source = sources[lane.id]
        gone = _marks_in_cuts(cuts, lane, own[lane.id], [r for r in retakes if r.lane == lane.id], source.rate)
        if not gone.any():
            continue
        heard, found = recognise(source, gone, model, language=language, task=part.part(0.0, 0.9))
        if not any(_is_speech(w, found) for w in heard):
            continue
        voicing = (voicings or {}).get(lane.id) or find_voicing(source, part.part(0.9, 1.0))
        words = [w for w in fitting_words(heard, gone, voicing.voiced) if _is_speech(w, found)]
        for cut in cuts:
            inside = [w for w in words if cut.start_frame <= lane.start_frame + _middle(w, source.rate) < cut.end_frame]
            if _are_words(inside):
                out.append(SpeechInCut(lane.voice, cut, written(w.text for w in inside)))
    return sorted(out, key=lambda s: s.cut.start_frame)


def _marks_in_cuts(cuts: Sequence[Cut], lane: Lane, own: NDArray[np.bool_], retakes: Sequence[FoundRetake], rate: int) -> NDArray[np.bool_]:
    """What a voice says in cuts, without takes that are said again."""
    takes = np.zeros(len(own), np.bool_)
    for retake in retakes:
        for start, end in retake.spans:
            takes[_span(start - lane.start_frame, end - lane.start_frame, rate, AROUND_TAKE_S)] = True
    out = np.zeros(len(own), np.bool_)
    for cut in cuts:
        span = _span(cut.start_frame - lane.start_frame, cut.end_frame - lane.start_frame, rate)
        marks = own[span] & ~takes[span]
        if np.count_nonzero(marks) >= LEAST_S * FRAMES_PER_S:
            starts, ends = runs(marks)
            for a, b in zip(starts, ends, strict=True):
                out[span.start + a : span.start + b] = True
    return out


def _span(start: int, end: int, rate: int, around_s: float = 0.0) -> slice:
    low, high = (frame * FRAMES_PER_S / rate for frame in (start, end))
    return slice(max(round(low - around_s * FRAMES_PER_S), 0), max(round(high + around_s * FRAMES_PER_S), 0))


def _middle(word: HeardWord, rate: int) -> int:
    return round((word.start_s + word.end_s) / 2 * rate)


def _are_words(words: Sequence[HeardWord]) -> bool:
    """Whether they are more than a hesitation that was heard as words."""
    if not words or float(np.mean([w.confidence for w in words])) < SURE:
        return False
    return len(words) >= FEWEST_WORDS or len(plain(words[0].text)) >= FEWEST_LETTERS


def _is_speech(word: HeardWord, language: str) -> bool:
    return not is_filler_text(word.text, language) and not is_laughter_text(word.text, language)
