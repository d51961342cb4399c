"""The one shape of all treatments.

A treatment looks at the whole recording once (`analyse`) and then changes any stretch of it (`process`).
A recording is cut into tiles on a fixed grid; a tile is always computed from the same stretch, which is the tile,
a lead-in before it and a tail after it. So the result can't depend on which frames somebody asks for, tiles can
be computed in any order and on any number of threads, and memory stays bounded.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from dubbin.core.jobs import Task
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Samples, Source
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.tiles import Tiles


@dataclass(frozen=True)
class Context:
    """Where a stretch lies: `start_frame` of its first frame in the recording (negative in the lead-in of the
    first tile, where the stretch holds silence), and all that the result may depend on besides the samples."""

    start_frame: int
    total_frames: int
    rate: int
    settings: Any
    findings: Any


class Treatment(ABC):
    """Keeps length and alignment; strength is applied outside, as the share of what the treatment removes."""

    name: ClassVar[str]
    title: ClassVar[str]
    settings_type: ClassVar[type]
    figures: ClassVar[tuple[Figure, ...]] = ()  # what it is judged by, the foremost first
    tile_s: ClassVar[float] = 16.0
    lead_s: ClassVar[float] = 1.0
    tail_s: ClassVar[float] = 0.1
    changes_little: ClassVar[bool] = False  # what it removes is simple or rare: kept, it takes less room than what remains
    takes_rooms: ClassVar[bool] = False  # may take a room's echo along with what it is there for
    takes_noises: ClassVar[bool] = False  # may take out whole what begins like a voice and is none: a key that is typed on, paper, a cup
    wants_rooms: ClassVar[bool] = False  # hears the better what it is there for the more of the room is left: it is given `with_room`
    mends_places: ClassVar[bool] = False  # replaces short places and leaves the rest as it is

    def spans_s(self, settings: Any) -> tuple[float, float, float]:
        """Length of a tile, of the lead-in and of the tail in seconds, where they depend on the settings."""
        return self.tile_s, self.lead_s, self.tail_s

    def side_by_side(self, settings: Any) -> int:
        """How many stretches `process_all` likes to have at once."""
        return 1

    @abstractmethod
    def analyse(self, source: Source, settings: Any, task: Task) -> Any:
        """Findings about the whole recording: read block by block, returned as a small frozen value."""

    def measured(self, report: RecordingReport, settings: Any) -> Any | None:
        """The findings, where a report on the very sound that would be analysed holds them already; None where it does not."""
        return None

    def with_room(self, before: Source, after: Source, settings: Any, findings: Callable[[], Any], tiles: Callable[[], Tiles]) -> Source:
        """What it left (`after`) of what it was given (`before`), for a treatment that wants the room that was taken along. tiles: where it may keep of that what is
        costly to work out."""
        return after

    def is_idle(self, findings: Any) -> bool:
        """Whether `process` would give every stretch back as it is: then nothing is computed and nothing kept."""
        return False

    @abstractmethod
    def process(self, x: Samples, context: Context) -> Samples:
        """The treated stretch at full strength: a new array of the same shape, aligned to the sample."""

    def process_all(self, stretches: Sequence[tuple[Samples, Context]]) -> list[Samples]:
        """Several stretches of one recording, each as `process` would have it."""
        return [self.process(x, context) for x, context in stretches]
