"""The sound of one lane: as recorded, treated, and what the treatments took away."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from dubbin.core.episode.model import CoverKind, Lane, TreatmentUse
from dubbin.core.mix.cover import Covered
from dubbin.core.mix.lane_key import LaneKey
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.sound.source import Difference, PickedChannels, Scaled, Source
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TOUCH_UP, TREATMENTS
from dubbin.core.treat.settings import settings_from_plain
from dubbin.core.treat.tiles import TileCache
from dubbin.core.treat.touch_up import TouchUpSettings


@dataclass(frozen=True)
class LaneSound:
    """Sources of equal length on the recording's own frames: frame 0 is where the recording begins.

    repaired: after the repairs; voiced: after the voice treatments too, before covers.
    """

    lane: Lane
    recorded: Source
    repaired: Chain
    voiced: Chain

    def heard(self, mode: MonitorMode) -> Source:
        """The side of it that is listened to. Where another speaker of the recording has a lane of their own, it is lowered on every side."""
        if mode is MonitorMode.TREATED:
            return self.treated
        side: Source = self.recorded if mode is MonitorMode.RECORDED else Difference(self.recorded, self.repaired)
        others = [c for c in self.lane.covers if c.kind is CoverKind.OTHER]
        return Covered(side, others) if others else side

    def delta(self, treatment: str) -> Source | None:
        """What one voice treatment takes away, at its strength; None where it is not in use."""
        for stage, strength in zip(self.voiced.stages, self.voiced.strengths, strict=True):
            if stage.treatment.name == treatment:
                return Scaled(Difference(stage.upstream, stage), strength)
        return None

    @property
    def treated(self) -> Source:
        """After everything, with what is muted, lowered or bleeped."""
        return Covered(self.voiced, self.lane.covers) if self.lane.covers else self.voiced


def active_uses(uses: Sequence[TreatmentUse]) -> list[Use]:
    """The treatments that are switched on, with checked settings. Raises BadSettings on settings out of range."""
    out = []
    for use in uses:
        treatment = TREATMENTS.get(use.name)
        if use.on and treatment is not None:
            settings: Any = settings_from_plain(treatment.settings_type, use.settings)
            spans = tuple((s.start_frame, s.end_frame) for s in use.spans)
            out.append(Use(treatment, settings, use.strength / 100.0, spans))
    return out


def lane_sound(lane: Lane, recording: Source, key: LaneKey, tile_cache: TileCache) -> LaneSound:
    """Put the sources of a lane together over the working copy of its recording; computes nothing yet. key: the lane's, for the tile cache."""
    if lane.channels == tuple(range(recording.channels)):
        recorded = recording
    else:
        recorded = PickedChannels(recording, lane.channels)
    uses = active_uses(lane.repairs)
    if lane.touch_ups:
        uses.append(Use(TOUCH_UP, TouchUpSettings(lane.touch_ups)))
    repaired = Chain(recorded, uses, key.tile_name, tile_cache)
    voice_chain = [replace(use, strength=use.strength * lane.voice_strength / 100.0) for use in active_uses(lane.voice_chain)]
    voiced = Chain(repaired, voice_chain, repaired.blend_key, tile_cache)
    return LaneSound(lane, recorded, repaired, voiced)
