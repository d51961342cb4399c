"""All of a recording that never stops and never changes its pitch: mains hum and other steady tones, found and made again together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.measure.hum import HumTrack, find_hum, synthesise_hum
from dubbin.core.measure.tones import ToneTrack, find_tones, synthesise_tones
from dubbin.core.sound.source import Samples, Source


@dataclass(frozen=True)
class SteadySound:
    """What was found; None of what is not there."""

    hum: HumTrack | None
    tones: ToneTrack | None

    @property
    def is_there(self) -> bool:
        """Whether anything was found."""
        return self.hum is not None or self.tones is not None

    def synthesise(self, start_frame: int, shape: tuple[int, int], rate: int) -> Samples:
        """The sound itself, from frame `start_frame` on; 0 outside of the recording. shape: (channels, frames)."""
        out = np.zeros(shape, np.float32)
        if self.hum is not None:
            out += synthesise_hum(self.hum, start_frame, shape[1], rate)
        if self.tones is not None:
            out += synthesise_tones(self.tones, start_frame, shape[1])
        return out


def find_steady_sound(source: Source, task: Task | None = None) -> SteadySound:
    """Look through a whole source, for hum first: its harmonics are its own and no other tones."""
    task = task or Task()
    hum = find_hum(source, task.part(0.0, 0.7))
    return SteadySound(hum, find_tones(source, hum, task.part(0.7, 1.0)))
