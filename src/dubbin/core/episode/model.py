"""What an episode is: recordings, what is done to them, what is delivered. Plain frozen data.

Times are integer frames on the session clock (`Episode.rate`). Anything is changed by making a new episode with
`dataclasses.replace`; see commands.py.
"""

from __future__ import annotations

import uuid
from bisect import bisect_right
from collections import Counter
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from itertools import accumulate
from typing import Any

from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling, LinePoint
from dubbin.core.speech.pauses import EVEN, PauseSettings
from dubbin.core.speech.transcript import UNKNOWN, Spoken, Transcript
from dubbin.core.texts import mark, tr
from dubbin.core.treat.touch_up import Spot


def new_id() -> str:
    """A name for a recording, a lane or something placed, which nothing else in an episode has."""
    return uuid.uuid4().hex[:8]


class Role(StrEnum):
    """What a lane holds."""

    VOICE = mark("voice")
    MUSIC = mark("music")
    EFFECT = mark("effect")


# Inserts and breaks lie on the session clock too, far behind anything that was recorded: so everything that is anchored
# in session time can be anchored in them.
PARKED_FROM_FRAME = 10**12


class CutKind(StrEnum):
    """What made a cut."""

    HAND = mark("hand")
    PAUSE = mark("pause")
    FILLER = mark("filler")
    RETAKE = mark("retake")


class PlacedKind(StrEnum):
    """What was done with material that is heard elsewhere than at its own place."""

    MOVE = mark("move")
    COPY = mark("copy")
    INSERT = mark("insert")
    BREAK = mark("break")


class CoverKind(StrEnum):
    """What is heard instead of a lane over a stretch. OTHER: where another speaker of the same recording speaks, who has a lane of their own."""

    SILENCE = mark("silence")
    LOWER = mark("lower")
    OTHER = mark("other speaker")
    TONE = mark("tone")
    NOISE = mark("reversed room noise")


class SeamShape(StrEnum):
    """How two spans are blended."""

    AUTO = mark("automatic")
    POWER = mark("equal power")
    GAIN = mark("equal gain")


@dataclass(frozen=True, order=True)
class FrameRange:
    """Frames start_frame to end_frame, of the session or of a recording."""

    start_frame: int
    end_frame: int


@dataclass(frozen=True)
class Recording:
    """A sound file. frames: its length on the session clock; file_rate, file_channels: as it was recorded. drift_ppm: by how
    much its clock runs fast; its working copy is resampled by that."""

    id: str
    path: str
    fingerprint: str
    frames: int
    file_rate: int
    file_channels: int
    nan_count: int = 0
    short_by: int = 0
    drift_ppm: float = 0.0


@dataclass(frozen=True)
class TreatmentUse:
    """A treatment on a lane; strength in percent; settings as plain values, checked against its settings type. spans: frames
    of the recording outside of which it does nothing; none: it is applied everywhere."""

    name: str
    on: bool = False
    strength: int = 100
    settings: dict[str, Any] = field(default_factory=dict)
    spans: tuple[FrameRange, ...] = ()


@dataclass(frozen=True, order=True)
class Cover:
    """A stretch of a lane, in frames of its recording, that is not heard as it is. gain_db: of LOWER and OTHER. noise_from: a stretch of the
    recording in which nobody speaks, for NOISE."""

    start_frame: int
    end_frame: int
    kind: CoverKind = CoverKind.SILENCE
    gain_db: float = -12.0
    noise_from: FrameRange | None = None


@dataclass(frozen=True)
class Lane:
    """A recording, or some channels of it, at a place on the session clock.

    pan: -100 left to 100 right. invert: turns the polarity. fade_in_frames, fade_out_frames: from the lane's begin and to its end. line: a level drawn by
    hand, on top of everything. bed: where the lane lies under the program; it begins where start_frame is heard.
    """

    id: str
    recording: str
    channels: tuple[int, ...]
    voice: str
    role: Role = Role.VOICE
    start_frame: int = 0
    repairs: tuple[TreatmentUse, ...] = ()
    touch_ups: tuple[Spot, ...] = ()
    voice_chain: tuple[TreatmentUse, ...] = ()
    voice_strength: int = 100
    covers: tuple[Cover, ...] = ()
    level_db: float = 0.0
    pan: float = 0.0
    invert: bool = False
    mute: bool = False
    solo: bool = False
    fade_in_frames: int = 0
    fade_out_frames: int = 0
    line: tuple[LinePoint, ...] = ()
    levelling: Levelling = field(default_factory=Levelling)
    bleed: BleedControl = field(default_factory=BleedControl)
    bed: Bed | None = None
    ducking: Ducking = field(default_factory=Ducking)

    @property
    def is_insert(self) -> bool:
        """Whether the lane holds something that was put into the program, not a part of the session."""
        return self.start_frame >= PARKED_FROM_FRAME and self.bed is None


@dataclass(frozen=True, order=True)
class Marker:
    """A place on the session clock, and why it was marked; or the beginning of a chapter, and its title; or what somebody who listened wrote about it.

    author: of a comment. answer: to it. is_done: whether it was ticked off.
    """

    frame: int
    text: str = ""
    is_chapter: bool = False
    author: str = ""
    answer: str = ""
    is_done: bool = False


@dataclass(frozen=True)
class Cut:
    """A stretch taken out of the session, for all lanes together."""

    start_frame: int
    end_frame: int
    kind: CutKind = CutKind.HAND

    @property
    def frames(self) -> int:
        """Its length."""
        return self.end_frame - self.start_frame


@dataclass(frozen=True)
class Placed:
    """Material that is heard at another place of the program than its own: before session frame at_frame, or where the program
    goes on after a cut around it. pieces: stretches of the session clock, in the order in which they are heard. What is moved is not heard
    at its own place. cue: a tone at the beginning of a break."""

    id: str
    at_frame: int
    pieces: tuple[FrameRange, ...]
    kind: PlacedKind
    name: str = ""
    cue: bool = False

    @property
    def frames(self) -> int:
        """Its length in the program, as far as no cut lies in it."""
        return sum(p.end_frame - p.start_frame for p in self.pieces)


@dataclass(frozen=True, order=True)
class SeamSetting:
    """How one seam is joined: the one at which frame before_frame is the first not heard, and after_frame the next that is. ms None: the
    length that suits the sound."""

    before_frame: int
    after_frame: int
    ms: float | None = None
    shape: SeamShape = SeamShape.AUTO


@dataclass(frozen=True)
class Tags:
    """What is written into masters. people: names, parted by commas. season, number: figures, or nothing. language: a code such as en."""

    title: str = ""
    author: str = ""
    show: str = ""
    year: str = ""
    description: str = ""
    season: str = ""
    number: str = ""
    people: str = ""
    genre: str = ""
    language: str = ""
    copyright: str = ""


@dataclass(frozen=True)
class Delivery:
    """Masters to make: targets by name, formats, and what is published with them. vbr: MP3 with variable bit rate. cover: a picture's path. notes: show notes, edited; None: as
    drafted."""

    targets: tuple[str, ...] = ("podcast-stereo",)
    formats: tuple[str, ...] = ("wav", "flac", "mp3")
    tags: Tags = field(default_factory=Tags)
    vbr: bool = False
    extras: tuple[str, ...] = ("proof",)
    cover: str = ""
    notes: str | None = None


@dataclass(frozen=True)
class Episode:
    """All of an episode. cuts are sorted by start; they may overlap (a hand cut over a pause). markers and splits are sorted. placed:
    in the order in which they are heard where they share a place. seam_ms: length of crossfades, where seam_auto does not find it."""

    id: str
    title: str = tr("Untitled episode")
    rate: int = 48000
    recordings: tuple[Recording, ...] = ()
    lanes: tuple[Lane, ...] = ()
    transcripts: tuple[Transcript, ...] = ()
    pauses: PauseSettings = EVEN
    pauses_on: bool = False
    kept_pauses: tuple[FrameRange, ...] = ()
    cuts: tuple[Cut, ...] = ()
    placed: tuple[Placed, ...] = ()
    splits: tuple[int, ...] = ()
    markers: tuple[Marker, ...] = ()
    seam_ms: float = 12.0
    seam_auto: bool = True
    seams: tuple[SeamSetting, ...] = ()
    delivery: Delivery = field(default_factory=Delivery)
    spoken: Spoken = field(default_factory=Spoken)

    @property
    def frames(self) -> int:
        """Length of the session."""
        return max((lane.start_frame + self.recording(lane.recording).frames for lane in self.session_lanes), default=0)

    @property
    def session_lanes(self) -> tuple[Lane, ...]:
        """Lanes of the session: without inserts, and without what lies under the program."""
        return tuple(lane for lane in self.lanes if not lane.is_insert and lane.bed is None)

    @property
    def voices(self) -> tuple[Lane, ...]:
        """The voices of the episode: of the session, and those that were put into the program."""
        return tuple(lane for lane in self.lanes if lane.role is Role.VOICE and lane.bed is None)

    @property
    def session_voices(self) -> tuple[Lane, ...]:
        """The voices of the session alone: what is transcribed and edited by words and pauses."""
        return tuple(lane for lane in self.voices if not lane.is_insert)

    @property
    def languages(self) -> tuple[str, ...]:
        """That are spoken, ISO 639-1 codes, the one with most words first."""
        counts = Counter[str]()
        for transcript in self.transcripts:
            counts[transcript.language] += len(transcript.words)
        return tuple(language for language, _ in counts.most_common() if language not in ("", UNKNOWN))

    @property
    def beds(self) -> tuple[Lane, ...]:
        """Lanes under the program."""
        return tuple(lane for lane in self.lanes if lane.bed is not None)

    def transcript(self, lane_id: str) -> Transcript | None:
        """The words of a lane; None where there are none."""
        return next((t for t in self.transcripts if t.lane == lane_id), None)

    def placement(self, id: str | None) -> Placed | None:
        """What was placed under an id; None where there is none."""
        return next((p for p in self.placed if p.id == id), None)

    @property
    def chapters(self) -> tuple[Marker, ...]:
        """The markers that begin chapters, in their order."""
        return tuple(m for m in self.markers if m.is_chapter)

    def recording(self, id: str) -> Recording:
        """A recording by its id."""
        return next(r for r in self.recordings if r.id == id)

    def lane(self, id: str) -> Lane:
        """A lane by its id."""
        return next(lane for lane in self.lanes if lane.id == id)

    def cut_at(self, frame: int) -> Cut | None:
        """The shortest cut that covers a session frame."""
        starts, latest = self._cut_index
        k = bisect_right(starts, frame) - 1
        best: Cut | None = None
        while k >= 0 and latest[k] > frame:
            cut = self.cuts[k]
            if cut.end_frame > frame and (best is None or cut.frames < best.frames):
                best = cut
            k -= 1
        return best

    @cached_property
    def _cut_index(self) -> tuple[list[int], list[int]]:
        """Starts of the cuts, and the latest end of all up to each."""
        return [c.start_frame for c in self.cuts], list(accumulate((c.end_frame for c in self.cuts), max))
