"""What the parts of a run of the card share: the episode as it is by now, what was done to it, and how far the run is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from dubbin.core.card.entry import Entry
from dubbin.core.card.plan import PlanKey, PlanKind
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import LaneKey, lane_key
from dubbin.core.mix.lane_sound import LaneSound
from dubbin.core.mix.render import episode_sounds
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.models import Models
from dubbin.core.treat.tiles import TileCache

Step = Callable[[Episode], Change]  # a change, to be made to an episode as it is then


@dataclass(frozen=True)
class CardResources:
    """What running needs. models: of the recogniser. words: whether to listen for words at all.
    kept: where what is measured is found and kept."""

    copies: WorkingCopies
    tile_cache: TileCache
    kept: KeptResults | None = None
    models: Models = field(default_factory=Models)
    words: bool = True


class CardRun:
    """A run in hand. episode: with all that was done so far; voices: its lanes of voices as they were at first."""

    def __init__(
        self, episode: Episode, resources: CardResources, task: Task, skip: frozenset[PlanKey], told: Callable[[PlanKey, float], None]
    ) -> None:
        self.episode, self.resources, self.task = episode, resources, task
        self.voices = list(episode.session_voices)
        self.changes: list[Step] = []
        self.entries: list[Entry] = []
        self.remarks: list[str] = []
        self._skip, self._told = skip, told

    def wants(self, kind: PlanKind, lane: str = "", treatment: str = "") -> bool:
        """Whether a line of the plan was left in."""
        return PlanKey(kind, lane, treatment) not in self._skip

    def tell(self, kind: PlanKind, fraction: float, lane: str = "", treatment: str = "") -> None:
        """Say how far a line of the plan is, 0 to 1."""
        self._told(PlanKey(kind, lane, treatment), min(max(fraction, 0.0), 1.0))

    def do(self, step: Step) -> None:
        """Change the episode, for good."""
        self.changes.append(step)
        self.episode = step(self.episode).episode

    def sounds(self, episode: Episode | None = None) -> dict[str, LaneSound]:
        """The sounds of all lanes, by lane id; of the episode as it is by now, or of another."""
        return episode_sounds(episode or self.episode, self.resources.copies, self.resources.tile_cache)

    def key_of(self, lane: Lane) -> LaneKey:
        """The key of a lane as it is by now."""
        return lane_key(self.episode, self.episode.lane(lane.id))

    def each(self, work: Callable[[Lane, Task], object], low: float, high: float, lanes: Sequence[Lane] | None = None) -> None:
        """Do the same for all voices (or some) at once. low, high: the part of the whole run that it takes."""
        lanes = self.voices if lanes is None else lanes
        shares = dict(zip([lane.id for lane in lanes], self.task.part(low, high).shares(len(lanes)), strict=True))
        in_parallel(lambda lane: work(lane, shares[lane.id]), lanes, self.task.part(low, low))
