"""Names of voices by their sound: remembered when somebody asks for it, and found again in other episodes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtWidgets import QInputDialog, QWidget

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.episode.commands.words import name_speaker
from dubbin.core.errors import DubbinError
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Source
from dubbin.core.speech.known_voices import KnownVoices, Point, Spans, spans_of_words, voice_point
from dubbin.core.texts import tr
from dubbin.window.session.session import Session

SLOT = "voices"


@dataclass(frozen=True)
class _Voice:
    """Who speaks on a lane: its only voice, or one of its speakers."""

    lane: str
    speaker: int | None
    name: str
    source: Source
    spans: Spans


class VoiceNames:
    def __init__(self, window: QWidget, session: Session, folder: Path) -> None:
        self._window, self._session, self._folder = window, session, folder

    def known(self) -> KnownVoices:
        """As they are on the disk now: another window may have remembered some."""
        return KnownVoices(self._folder)

    def _voices(self) -> list[_Voice]:
        """Everybody whose words are written down."""
        episode, out = self._session.episode, list[_Voice]()
        for lane in episode.session_voices:
            transcript, source = episode.transcript(lane.id), self._session.recordings.source(lane)
            if transcript is None or source is None:
                continue
            several = len(transcript.speakers) > 1
            for k in range(len(transcript.speakers) if several else 1):
                speaker = k if several else None
                spans = spans_of_words(transcript.words, episode.rate, speaker)
                out.append(_Voice(lane.id, speaker, transcript.speakers[k] if several else lane.voice, source, spans))
        return out

    # -- remembering ------------------------------------------------------------------

    def remember(self) -> None:
        """Remember all voices of the episode under their names."""
        voices = self._voices()
        if not voices:
            self._session.said.emit(tr("Voices are remembered by what they say: have the words written down first."))
            return

        def done(points: list[Point | None]) -> None:
            known, kept = self.known(), list[str]()
            try:
                for voice, point in zip(voices, points, strict=True):
                    if point is not None:
                        known.remember(voice.name, point)
                        kept.append(voice.name)
            except DubbinError as error:
                self._session.said.emit(str(error))
                return
            missing = [v.name for v in voices if v.name not in kept]
            rest = tr(" {missing} said too little.").format(missing=", ".join(missing)) if missing else ""
            self._session.said.emit(
                (tr("Remembered on this computer: {kept}.").format(kept=", ".join(kept)) if kept else tr("Nobody was remembered.")) + rest
            )

        self._listen(voices, tr("Remembering voices"), done)

    # -- naming -----------------------------------------------------------------------

    def name(self) -> None:
        """Name everybody whose voice is remembered, in one step."""
        voices, known = self._voices(), self.known()
        if not known.names:
            self._session.said.emit(tr("No voice is remembered yet: Remember these voices does that, in an episode whose names are right."))
            return
        if not voices:
            self._session.said.emit(tr("Voices are known by what they say: have the words written down first."))
            return

        def done(points: list[Point | None]) -> None:
            episode, named = self._session.episode, list[str]()
            for voice, name in zip(voices, known.names_of(points), strict=True):
                lanes = {lane.id for lane in episode.lanes}
                if name is None or name == voice.name or voice.lane not in lanes:
                    continue
                if voice.speaker is None:
                    episode = name_voice(episode, voice.lane, name).episode
                else:
                    episode = name_speaker(episode, voice.lane, voice.speaker, name).episode
                named.append(name)
            if named:
                self._session.do(Change(tr("Name {named} by sound").format(named=", ".join(named)), episode))
            else:
                self._session.said.emit(tr("No voice here is clearly one of those that are remembered, or all have their names."))

        self._listen(voices, tr("Knowing voices again"), done)

    def _listen(self, voices: list[_Voice], title: str, done: Callable[[list[Point | None]], None]) -> None:
        of = self._session.document

        def work(task: Task) -> list[Point | None]:
            parts = len(voices)
            return [voice_point(v.source, v.spans, task.part(k / parts, (k + 1) / parts)) for k, v in enumerate(voices)]

        self._session.jobs.start(SLOT, title, work, lambda points: done(points) if self._session.document is of else None)

    # -- forgetting -------------------------------------------------------------------

    def ask_forget(self) -> None:
        known = self.known()
        if not known.names:
            self._session.said.emit(tr("No voice is remembered."))
            return
        name, done = QInputDialog.getItem(self._window, tr("Forget a voice"), tr("Which one?"), known.names, 0, False)
        if done:
            try:
                known.forget(name)
            except DubbinError as error:
                self._session.said.emit(str(error))
            else:
                self._session.said.emit(tr("{name} is remembered no longer.").format(name=name))
