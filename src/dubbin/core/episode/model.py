"""What an episode is: recordings, what is done to them, what is delivered. Plain frozen data.

Times are integer frames on the session clock (`Episode.rate`). Anything is changed by making a new episode with
`dataclasses.replace`; see commands.py.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from dubbin.core.speech.pauses import PauseSettings
from dubbin.core.treat.touch_up import Spot


class Role(StrEnum):
    VOICE = "voice"
    MUSIC = "music"
    EFFECT = "effect"


class CutKind(StrEnum):
    HAND = "hand"
    PAUSE = "pause"


@dataclass(frozen=True, order=True)
class Stretch:
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
    not_numbers: int = 0
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
    spans: tuple[Stretch, ...] = ()


@dataclass(frozen=True)
class Lane:
    """A recording, or some channels of it, at a place on the session clock."""

    id: str
    recording: str
    channels: tuple[int, ...]
    voice: str
    role: Role = Role.VOICE
    start_frame: int = 0
    repairs: tuple[TreatmentUse, ...] = ()
    touch_ups: tuple[Spot, ...] = ()
    voicing: tuple[TreatmentUse, ...] = ()
    level_db: float = 0.0
    mute: bool = False
    solo: bool = False


@dataclass(frozen=True, order=True)
class Marker:
    """A place on the session clock, and why it was marked."""

    frame: int
    text: str = ""


@dataclass(frozen=True)
class Cut:
    """A stretch taken out of the session, for all lanes together."""

    start_frame: int
    end_frame: int
    kind: CutKind = CutKind.HAND

    @property
    def frames(self) -> int:
        return self.end_frame - self.start_frame


@dataclass(frozen=True)
class Tags:
    """What is written into masters."""

    title: str = ""
    author: str = ""
    show: str = ""
    year: str = ""
    description: str = ""


@dataclass(frozen=True)
class Delivery:
    """Masters to make: targets by name, and formats."""

    targets: tuple[str, ...] = ("podcast-stereo",)
    formats: tuple[str, ...] = ("wav", "flac", "mp3")
    tags: Tags = field(default_factory=Tags)


@dataclass(frozen=True)
class Episode:
    """All of an episode. cuts are sorted by start; they may overlap (a hand cut over a pause). markers are sorted."""

    id: str
    title: str = "Untitled episode"
    rate: int = 48000
    recordings: tuple[Recording, ...] = ()
    lanes: tuple[Lane, ...] = ()
    pauses: PauseSettings = field(default_factory=PauseSettings)
    pauses_on: bool = False
    kept_pauses: tuple[Stretch, ...] = ()
    cuts: tuple[Cut, ...] = ()
    markers: tuple[Marker, ...] = ()
    seam_ms: float = 12.0
    delivery: Delivery = field(default_factory=Delivery)

    @property
    def frames(self) -> int:
        """Length of the session."""
        return max((lane.start_frame + self.recording(lane.recording).frames for lane in self.lanes), default=0)

    def recording(self, id: str) -> Recording:
        return next(r for r in self.recordings if r.id == id)

    def lane(self, id: str) -> Lane:
        return next(lane for lane in self.lanes if lane.id == id)

    def cut_at(self, frame: int) -> Cut | None:
        """The shortest cut that covers a session frame."""
        over = [c for c in self.cuts if c.start_frame <= frame < c.end_frame]
        return min(over, key=lambda c: c.frames) if over else None
