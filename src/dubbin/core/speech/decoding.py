"""Windows of up to half a minute through a Whisper model, several at once and on all cores.

The model looks at thirty seconds of sound, however little is in them, and then writes one piece of text after the other. Windows that are written side by
side read the model's weights once for all; the text of each is what it would be alone. How far a window was heard is told with it: what the model left
unfinished at its end is for another window.

Source: Radford et al. 2023 (recogniser.py); decoding after its section 4.5 without sampling, through CTranslate2, word times from the
attention by dynamic time warping (faster-whisper).
"""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr

MODEL_RATE = 16000
# The recogniser leaves hesitations out unless its text so far has some.
PROMPT = tr(" Um, so, uh, I, I think, er, we, um, hmm.")
MOST_TERM_TOKENS = 120  # of names before it: the model can hold 223 of what was said before
BEAM = 3
# A window in which the model goes round in circles or guesses is written a second time, with a wider search that may not repeat itself.
SECOND_TRY = {"beam_size": 5, "no_repeat_ngram_size": 5, "repetition_penalty": 1.1}
LEAST_LOGPROB = -1.0
REPETITIVE = 2.4  # how far a text can be compressed
# A model that understands nothing says the same over and over. So does somebody who takes a sentence again; but then it is surely speech.
NO_SPEECH, SILENT, UNSURE = (
    0.85,
    0.6,
    0.2,
)  # likelihood of no speech: none is there; none, if the text is a guess; a repetitive text is no speech
MOST_TOKENS = 224  # of a window's text: somebody who speaks fast needs 180, a loop would go on to the end of what the model can hold
FIRST_STAMP = 50  # the latest at which a text may begin, in steps of 20 ms
UNSPACED = frozenset(("zh", "ja", "th", "lo", "my", "yue", "km", "bo"))  # languages that are written without spaces
OPENING, CLOSING = "\"'“¿([{-", "\"'.。,，!！?？:：”)]}、"


@dataclass(frozen=True)
class HeardWord:
    """A word as recognised; times in seconds."""

    text: str
    start_s: float
    end_s: float
    confidence: float


@dataclass(frozen=True)
class Heard:
    """The words of a window, in seconds of it, and until when it was heard."""

    words: tuple[HeardWord, ...]
    until_s: float


@dataclass(frozen=True)
class _Text:
    """What the model wrote for a window. logprob: mean of its tokens; ratio: how far it can be compressed."""

    tokens: list[int]
    logprob: float
    ratio: float
    no_speech: float

    @property
    def is_poor(self) -> bool:
        """Whether it goes round in circles or is a guess."""
        return self.ratio > REPETITIVE or self.logprob < LEAST_LOGPROB

    @property
    def is_speech(self) -> bool:
        """Whether somebody speaks there, by the model's own doubts and by whether its text goes round in circles."""
        silent = self.no_speech > SILENT and self.logprob <= LEAST_LOGPROB
        return not silent and self.no_speech < NO_SPEECH and not (self.ratio > REPETITIVE and self.no_speech > UNSURE)


class Decoder:
    """A loaded model. `hear` may be called from several threads; nothing is drawn by lot, so that the same sound gives the same words."""

    def __init__(self, folder: Path) -> None:
        """Raises DubbinError."""
        logging.getLogger("faster_whisper").setLevel(logging.WARNING)
        from dubbin.core.speech.loaded_model import LoadedModel

        try:
            self._model: Any = LoadedModel(folder)
        except (RuntimeError, ValueError, OSError) as error:
            raise DubbinError(tr("The speech model in {folder} can't be used: {error}.").format(folder=folder, error=error)) from error
        self.multilingual = bool(self._model.model.is_multilingual)

    def language_of(self, x: NDArray[np.float32]) -> tuple[str, float]:
        """The language that is spoken in x, mono (frames,) at MODEL_RATE, and how likely it is that."""
        if not self.multilingual:
            return "en", 1.0
        language, likely, _ = self._model.detect_language(audio=x)
        return str(language), float(likely)

    def encode(self, x: NDArray[np.float32]) -> NDArray[np.float32]:
        """What the model's encoder makes of x, mono (frames,) at MODEL_RATE, half a minute at most: (1500, size), 50 a second; beyond the end of x it is that of silence."""
        from dubbin.core.speech.loaded_model import pad_or_trim

        found = self._model.feature_extractor(x)
        out: NDArray[np.float32] = np.array(self._model.encode(pad_or_trim(found[:, : found.shape[1] - 1])[None]))[0]
        return out

    def hear(self, windows: Sequence[NDArray[np.float32]], language: str, terms: Sequence[str] = ()) -> list[Heard]:
        """The words of windows, mono (frames,) at MODEL_RATE, each of half a minute at most. terms: names that may come up, written as the model is to write them."""
        from dubbin.core.speech.loaded_model import Tokenizer, pad_or_trim

        model = self._model
        tokenizer = Tokenizer(model.hf_tokenizer, self.multilingual, task="transcribe", language=language if self.multilingual else "en")
        found = [model.feature_extractor(x) for x in windows]
        # One after the other: the attention over half a minute takes fifty megabytes a window, and shares no weights.
        encoded = np.concatenate([np.array(model.encode(pad_or_trim(f[:, : f.shape[1] - 1])[None])) for f in found])
        texts = self._written(encoded, tokenizer, terms, {"beam_size": BEAM})
        poor = [k for k, text in enumerate(texts) if text.is_poor]
        for k, again in zip(poor, self._written(encoded[poor], tokenizer, terms, SECOND_TRY) if poor else [], strict=True):
            texts[k] = texts[k] if again.is_poor else again
        return [self._placed(encoded[k : k + 1], text, tokenizer, found[k].shape[1] - 1) for k, text in enumerate(texts)]

    def _written(self, encoded: NDArray[np.float32], tokenizer: Any, terms: Sequence[str], search: dict[str, Any]) -> list[_Text]:
        from dubbin.core.speech.loaded_model import get_compression_ratio, get_suppressed_tokens

        model = self._model
        said = tokenizer.encode(PROMPT) if not self.multilingual or tokenizer.language_code == "en" else []
        if terms:
            said = [*tokenizer.encode(f" {', '.join(terms)}.")[:MOST_TERM_TOKENS], *said]
        prompt = model.get_prompt(tokenizer, said, without_timestamps=False)
        results = model.model.generate(
            _view(encoded), [list(prompt)] * len(encoded), max_length=min(len(prompt) + MOST_TOKENS, model.max_length), return_scores=True, return_no_speech_prob=True,
            suppress_blank=True, suppress_tokens=get_suppressed_tokens(tokenizer, [-1]), max_initial_timestamp_index=FIRST_STAMP, **search,
        )  # fmt: skip
        out = []
        for result in results:
            tokens = list(result.sequences_ids[0])
            ratio = get_compression_ratio(tokenizer.decode(tokens).strip())
            out.append(_Text(tokens, result.scores[0] * len(tokens) / (len(tokens) + 1), ratio, result.no_speech_prob))
        return out

    def _segments(self, text: _Text, tokenizer: Any, frames: int) -> tuple[list[dict[str, Any]], bool]:
        """The parts of a text with their times, and whether it is finished."""
        segments, _, finished = self._model._split_segments_by_timestamps(
            tokenizer=tokenizer, tokens=text.tokens, time_offset=0.0, segment_size=frames,
            segment_duration=frames * self._model.feature_extractor.time_per_frame, seek=0,
        )  # fmt: skip
        return segments, bool(finished)

    def _placed(self, encoded: NDArray[np.float32], text: _Text, tokenizer: Any, frames: int) -> Heard:
        """The words of a text at their times."""
        length_s = frames * self._model.feature_extractor.time_per_frame
        if not text.is_speech:
            return Heard((), length_s)
        segments, finished = self._segments(text, tokenizer, frames)
        self._model.add_word_timestamps([segments], tokenizer, _view(encoded), frames, OPENING, CLOSING, 0.0)
        written = [w for s in segments if s["start"] != s["end"] and tokenizer.decode(s["tokens"]).strip() for w in s["words"]]
        words = tuple(_joined(written, tokenizer.language_code not in UNSPACED))
        return Heard(words, length_s if finished or not words else words[-1].end_s)


def _joined(written: Sequence[dict[str, Any]], spaced: bool) -> list[HeardWord]:
    """The words that a model wrote. spaced: in a language that parts its words, what follows without a space belongs to the word before: l'instant."""
    out: list[HeardWord] = []
    for w in written:
        text, start, end, sure = w["word"], float(w["start"]), float(w["end"]), float(w["probability"])
        if out and spaced and not text[:1].isspace() and text.strip():
            last = out[-1]
            out[-1] = HeardWord(last.text + text.strip(), last.start_s, max(end, last.end_s), min(sure, last.confidence))
        else:
            out.append(HeardWord(text.strip(), start, end, sure))
    return out


def _view(encoded: NDArray[np.float32]) -> Any:
    from dubbin.core.speech.loaded_model import StorageView

    return StorageView.from_array(np.ascontiguousarray(encoded))
