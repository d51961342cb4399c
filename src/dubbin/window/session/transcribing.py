"""Writing down what is said: the recogniser in the background, voice by voice, when words are wanted."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

import numpy as np

from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.model import Lane
from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import KeptVoicing
from dubbin.core.mix.overlaps import own_marks
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.align_text import TextWord
from dubbin.core.speech.models import MODELS, Models
from dubbin.core.speech.transcribe import Transcription, remark_on, transcribe_with
from dubbin.core.texts import tr
from dubbin.core.there import is_folder_there
from dubbin.window.session.preferences import Preferences
from dubbin.window.session.session import Session


class Transcribing:
    """told: is called when what is written down, or whether somebody is at it, is another. voicings: by lane id, of voices that were heard in this session."""

    def __init__(self, session: Session, preferences: Preferences, told: Callable[[], None]) -> None:
        self._session, self._preferences, self._told = session, preferences, told
        self.automatic = True  # begin by itself when the words are wanted
        self.voicings: dict[str, KeptVoicing] = {}
        self._turned_off = False
        self._wanted = False

    def forget(self) -> None:
        """Another episode: nobody has asked for its words yet, nor stopped them."""
        self.voicings.clear()
        self._turned_off = self._wanted = False

    def activities(self) -> list[tuple[Lane, Activity]]:
        """The voices that are measured, with what is heard of each."""
        return [(lane, a) for lane in self.voices() if (a := self._session.analyses.activity(lane)) is not None]

    @property
    def models(self) -> Models:
        """The speech model that the person prefers; a folder that is gone gives way to the quick one."""
        chosen = self._preferences.get("speech_model", "")
        return Models(chosen if chosen in MODELS or is_folder_there(Path(chosen or "-")) else "", self._session.folders.cache)

    def voices(self) -> list[Lane]:
        return list(self._session.episode.session_voices)

    def is_busy(self) -> bool:
        return any(self._session.jobs.is_busy(("words", lane.id)) for lane in self.voices())

    @property
    def was_stopped(self) -> bool:
        """Whether somebody stopped the transcribing."""
        return self._turned_off

    def progress(self) -> float | None:
        """How far the recogniser is with all voices; None while it does not run."""
        lanes = self.voices()
        busy = [job.fraction for lane in lanes if (job := self._session.jobs.job(("words", lane.id))) is not None]
        if not busy:
            return None
        return (sum(busy) + sum(self._session.episode.transcript(lane.id) is not None for lane in lanes)) / len(lanes)

    def want_words(self) -> None:
        """A page that shows words was opened: begin, unless the person stopped it before."""
        self._wanted = True
        if self.automatic and not self._turned_off:
            self.start()

    def start(self, again: bool = False) -> None:
        """Write down what all voices say; again: also those that have words already."""
        wanted = [lane for lane in self.voices() if again or self._session.episode.transcript(lane.id) is None]
        tells = bool(wanted) or self._turned_off
        self._turned_off = False
        for lane in wanted:
            if not self._session.jobs.is_busy(("words", lane.id)):
                self._transcribe(lane)
        if tells:
            self._told()

    def stop(self) -> None:
        """Stop writing down; what is finished is kept and gone on with later."""
        self._turned_off = True
        for lane in self.voices():
            self._session.jobs.cancel(("words", lane.id))
        self._session.jobs.changed.emit()
        self._told()

    def bring_text(self, lane: Lane, words: list[TextWord], name: str) -> None:
        """Put a transcript from elsewhere to the sound of a lane."""
        self._transcribe(lane, text=words, text_name=name)

    def split_speakers(self, lane: Lane, count: int) -> None:
        """Tell apart the voices of a lane that holds several. count: 0: as many as are found."""
        self._transcribe(lane, speakers=count)

    def _transcribe(self, lane: Lane, speakers: int = 1, text: list[TextWord] | None = None, text_name: str = "") -> None:
        source, voices, report = self._session.recordings.source(lane), self.activities(), self._session.analyses.report(lane)
        if source is None or len(voices) < len(self.voices()):
            return  # until all voices are measured nobody knows what is whose
        models, episode = self.models, self._session.episode
        rt60_s = report.echo.rt60_s if report else None
        words = self._session.folders.cache / "words" / episode.recording(lane.recording).fingerprint[:20]

        def work(task: Task) -> Transcription:
            number = next(k for k, (voice, _) in enumerate(voices) if voice.id == lane.id)
            own, activity = own_marks(voices, episode.rate)[number], voices[number][1]
            keep = words.with_name(f"{words.name}-{hashlib.blake2b(np.packbits(own).tobytes(), digest_size=8).hexdigest()}")
            return transcribe_with(
                models, source, lane.id, activity, own, episode.spoken, rt60_s=rt60_s, speakers=speakers,
                text=text or (), text_name=text_name, keep=keep, task=task,
            )  # fmt: skip

        def done(heard: Transcription) -> None:
            if not any(other.id == lane.id for other in self._session.episode.lanes):
                return
            self.voicings[lane.id] = heard.voicing
            self._session.do(set_transcript(self._session.episode, heard.transcript))
            if (remark := remark_on(heard.transcript, lane.voice)) is not None:
                self._session.said.emit(remark)
            self._told()

        self._session.jobs.start(("words", lane.id), tr("Writing down what {voice} says").format(voice=lane.voice), work, done)

    def on_measured(self) -> None:
        """Begin what was asked for before the voices were measured."""
        if self._wanted and len(self.activities()) == len(self.voices()):
            self.want_words()
