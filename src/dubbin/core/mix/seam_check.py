"""Which seams may be heard: a jump of level, of the room's noise, or of pitch where words meet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.figures import number
from dubbin.core.measure.voicing import RATE as VOICING_RATE
from dubbin.core.measure.voicing import look_at
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.texts import tr

SIDE_S, NEAR_S, PART_S = 1.5, 0.06, 0.01
LEVEL_DB = 14.0  # between both sides, where both are loud
NOISE_DB = 4.0  # between the quiet parts of both sides
PITCH_SEMITONES = 3.5
QUIET_SHARE, STEADY_DB = 0.12, 4.5  # of the time the room must be heard alone, and how little its level may move then


@dataclass(frozen=True)
class SeamCheck:
    """Jumps at a seam, from before to after; None where there is nothing to compare. problems: in words, none where all is well."""

    level_db: float | None
    noise_db: float | None
    pitch_semitones: float | None

    @property
    def problems(self) -> tuple[str, ...]:
        """What measurement doubts, in words."""
        out = []
        if self.level_db is not None and abs(self.level_db) > LEVEL_DB:
            out.append(tr("level {level_db} dB").format(level_db=number(self.level_db, 0, sign=True)))
        if self.noise_db is not None and abs(self.noise_db) > NOISE_DB:
            out.append(tr("noise {noise_db} dB").format(noise_db=number(self.noise_db, 0, sign=True)))
        if self.pitch_semitones is not None and abs(self.pitch_semitones) > PITCH_SEMITONES:
            out.append(tr("pitch {pitch_semitones} semitones").format(pitch_semitones=number(self.pitch_semitones, 0, sign=True)))
        return tuple(t.replace("-", "−") for t in out)

    @property
    def is_doubtful(self) -> bool:
        """Whether there is anything to listen for."""
        return bool(self.problems)


def check_seam(mix: Source, before: int, after: int) -> SeamCheck:
    """Compare what is heard up to frame `before` with what is heard from frame `after` on."""
    side = round(SIDE_S * mix.rate)
    a, b = read_padded(mix, before - side, before).mean(axis=0), read_padded(mix, after, after + side).mean(axis=0)
    levels_a, levels_b = _levels(a, mix.rate), _levels(b, mix.rate)
    if not len(levels_a) or not len(levels_b):
        return SeamCheck(None, None, None)
    loudest = max(levels_a.max(), levels_b.max())
    near = round(NEAR_S / PART_S)
    last, first = float(levels_a[-near:].max()), float(levels_b[:near].max())
    floor_a, floor_b = _floor(levels_a), _floor(levels_b)
    speaks = min(last, first) > max(loudest - 25.0, -60.0)
    level = first - last if speaks else None
    noise = None
    if floor_a is not None and floor_b is not None and max(floor_a, floor_b) < loudest - 15.0 and min(floor_a, floor_b) > -110.0:
        noise = floor_b - floor_a
    pitch = None
    if speaks:
        low, high = _pitch(a[-round(0.1 * mix.rate) :], mix.rate, True), _pitch(b[: round(0.1 * mix.rate)], mix.rate, False)
        pitch = 12.0 * float(np.log2(high / low)) if low and high else None
    return SeamCheck(level, noise, pitch)


def _floor(levels: NDArray[np.float64]) -> float | None:
    """Level of the room's noise; None where nobody is silent for long enough to tell."""
    low, high = np.quantile(levels, (0.04, 0.04 + QUIET_SHARE))
    return float((low + high) / 2) if high - low < STEADY_DB else None


def _levels(x: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    size = max(1, round(PART_S * rate))
    count = len(x) // size
    return np.asarray(10.0 * np.log10(np.mean(x[: count * size].reshape(count, size).astype(np.float64) ** 2, axis=1) + 1e-12))


def _pitch(x: NDArray[np.float32], rate: int, last: bool) -> float | None:
    """Pitch of the voiced frame next to the seam."""
    import soxr

    y = soxr.resample(x, rate, VOICING_RATE, quality="MQ").astype(np.float32)
    count = max(len(y) * 100 // VOICING_RATE, 1)
    pitch = look_at(y, count, 0)[0]
    near = pitch[-5:][::-1] if last else pitch[:5]
    voiced = near[near > 0]
    return float(voiced[0]) if len(voiced) else None
