"""What the sound of a lane depends on, defined once: every cache of sound, pictures and figures asks here."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import msgspec

from dubbin.core.episode.model import Episode, Lane, TreatmentUse

NOTHING = b""


@dataclass(frozen=True)
class LaneKey:
    """Two lanes with equal keys sound alike, sample by sample.

    fingerprint: of the recording's file (`fingerprint_of`). drift_ppm: by which its working copy is stretched. rate: in Hz, of the working copy. channels:
    of the recording. repairs, voice, covers: what is done to them, in a canonical form; empty where nothing is.
    """

    fingerprint: str
    drift_ppm: float
    rate: int
    channels: tuple[int, ...]
    repairs: bytes = NOTHING
    voice: bytes = NOTHING
    covers: bytes = NOTHING

    @property
    def recorded(self) -> LaneKey:
        """Of the sound as it was recorded."""
        return replace(self, repairs=NOTHING, voice=NOTHING, covers=NOTHING)

    @property
    def repaired(self) -> LaneKey:
        """Of the sound after its repairs and touch-ups."""
        return replace(self, voice=NOTHING, covers=NOTHING)

    @property
    def voiced(self) -> LaneKey:
        """Of the sound after its voice chain, before anything is covered."""
        return replace(self, covers=NOTHING)

    @property
    def tile_name(self) -> str:
        """What treated tiles are named after: the recorded sound. Whoever treats the same sound finds the same tiles."""
        drift = f"{self.drift_ppm:+.3f}" if self.drift_ppm else ""
        return f"{self.fingerprint}{drift}@{self.rate}:{','.join(map(str, self.channels))}"


def recorded_key(fingerprint: str, rate: int, channels: int) -> LaneKey:
    """The key of a whole recording on its own, as the command line treats it."""
    return LaneKey(fingerprint, 0.0, rate, tuple(range(channels)))


def lane_key(episode: Episode, lane: Lane) -> LaneKey:
    """What a lane's sound depends on. Treatments that are switched off have no say in it."""
    recording = episode.recording(lane.recording)
    repairs = [_plain(use) for use in lane.repairs if use.on] + list(lane.touch_ups)
    voice = [_plain(use) for use in lane.voice_chain if use.on]
    return LaneKey(
        recording.fingerprint, recording.drift_ppm, episode.rate, lane.channels, _canonical(repairs),
        _canonical([lane.voice_strength, *voice] if voice else []), _canonical(list(lane.covers)),
    )  # fmt: skip


def _plain(use: TreatmentUse) -> tuple[Any, ...]:
    return (use.name, use.strength, use.settings, use.spans)


def _canonical(items: list[Any]) -> bytes:
    return msgspec.json.encode(items, order="sorted") if items else NOTHING
