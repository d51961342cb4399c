"""Gaps: what is heard between the words goes down softly: the room, and breaths.

An expander, relative to the voice's own level at that time, that opens before a word begins and closes slowly after it; breaths, which are
noise without pitch and longer than a consonant, are turned down by an amount of their own. Nothing is ever shut off.

Source: Giannoulis, Massberg and Reiss, JAES 60(6), 2012, for the curve; breaths by periodicity and length (Ruinskiy and Lavner, "An effective algorithm for
automatic detection and exact demarcation of breath sounds in speech and song signals", IEEE TASLP 2007, in its main features).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.by_blocks import by_blocks
from dubbin.core.measure.voice_level import VoiceLevel, find_voice_level
from dubbin.core.measure.voicing import FRAMES_PER_S, find_voicing
from dubbin.core.sound import neighbours
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.envelope import held_down, step_frames, step_levels, to_frames
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

WIDTH_S = 0.02
OPEN_BEFORE_S, HOLD_S, RELEASE_S = 0.03, 0.12, 0.18
BREATH_S = (0.11, 1.2)
BREATH_LEVEL_DB = (-44.0, -11.0)  # against the vowels of the voice
SIBILANT_DB = -3.0  # highs over lows in dB from which a noise is an s and no breath
NEAR_VOWEL_S = 0.035  # a breath stands by itself: consonants touch their vowel


@dataclass(frozen=True)
class ExpandSettings:
    """How quiet and how far down gaps and breaths are."""

    threshold_db: float = setting(
        -30.0, -60.0, -10.0, "dB", tr("Threshold"), tr("Against the voice's own level: what is softer counts as a gap.")
    )
    ratio: float = setting(2.0, 1.0, 10.0, ": 1", tr("Ratio"), tr("dB out for one dB in, under the threshold."))
    range_db: float = setting(9.0, 0.0, 40.0, "dB", tr("Range"), tr("The most that a gap comes down."))
    breath_db: float = setting(6.0, 0.0, 30.0, "dB", tr("Breaths"), tr("How far breaths come down; 0 leaves them."))


@dataclass(frozen=True)
class GapFindings:
    """voice: its level; breaths_s: (start, end) of every breath."""

    voice: VoiceLevel
    breaths_s: tuple[tuple[float, float], ...]


def find_breaths(source: Source, voice: VoiceLevel, task: Task) -> tuple[tuple[float, float], ...]:
    """Stretches of noise without pitch between the words."""
    voicing = find_voicing(source, task)
    level = by_blocks(_level_db, voicing.mel)
    # The mel levels have a scale of their own: it is taken from the vowels, whose level is known.
    seconds = (np.arange(len(level)) + 0.5) / FRAMES_PER_S
    target = voice.at(seconds)
    vowels = voicing.voiced & (level > np.quantile(level, 0.6))
    scale = float(np.median(level[vowels] - target[vowels])) if vowels.any() else 0.0
    relative = level - scale - target
    bright = by_blocks(lambda mel: _level_db(mel[:, 17:]) - _level_db(mel[:, :14]), voicing.mel)
    floor = np.quantile(relative, 0.1)
    noise = ~voicing.voiced & (relative > max(BREATH_LEVEL_DB[0], floor + 5.0)) & (relative < BREATH_LEVEL_DB[1]) & (bright < SIBILANT_DB)
    noise = neighbours.opened(neighbours.closed(np.pad(noise, 4), 4), 5)[4:-4]
    near = neighbours.dilated(voicing.voiced & (relative > -20.0), 2 * round(NEAR_VOWEL_S * FRAMES_PER_S) + 1)
    edges = np.diff(np.concatenate([[0], noise.astype(np.int8), [0]]))
    out = []
    for a, b in zip(np.flatnonzero(edges == 1), np.flatnonzero(edges == -1), strict=True):
        length = (b - a) / FRAMES_PER_S
        if BREATH_S[0] <= length <= BREATH_S[1] and near[a:b].mean() < 0.5:
            out.append((float(a / FRAMES_PER_S), float(b / FRAMES_PER_S)))
    return tuple(out)


def _level_db(mel: NDArray[np.float32]) -> NDArray[np.float64]:
    """Of bands (frames, bands) together."""
    return np.asarray(10.0 * np.log10((10.0 ** (mel.astype(np.float64) / 10.0)).sum(axis=1) + 1e-12))


class Expand(Treatment):
    """Gaps between words and breaths turned down."""

    name: ClassVar[str] = "expand"
    title: ClassVar[str] = tr("Gaps and breaths")
    settings_type: ClassVar[type] = ExpandSettings
    lead_s: ClassVar[float] = 2.0
    tail_s: ClassVar[float] = 0.3
    changes_little: ClassVar[bool] = True

    def analyse(self, source: Source, settings: ExpandSettings, task: Task) -> GapFindings:
        """The voice's level over time, and where it breathes."""
        voice = find_voice_level(source, task.part(0.0, 0.4))
        return GapFindings(voice, find_breaths(source, voice, task.part(0.4, 1.0)))

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) turned down between words and, as far as breath_db says, in breaths; all channels by one gain."""
        settings, found = context.settings, context.findings
        level_db, first = step_levels(x, context.start_frame, context.rate, WIDTH_S)
        seconds = (context.start_frame + first) / context.rate + np.arange(len(level_db)) * step_frames(context.rate) / context.rate
        under = np.maximum(found.voice.at(seconds) + settings.threshold_db - level_db, 0.0)
        closed = np.minimum(under * (settings.ratio - 1.0), settings.range_db)
        # An expander opens early and closes late: the gain is up wherever it is wanted up around.
        opened = -held_down(-(settings.range_db - closed), OPEN_BEFORE_S, HOLD_S, RELEASE_S)
        gain = -(settings.range_db - opened)
        if settings.breath_db > 0:
            gain = np.minimum(gain, held_down(-settings.breath_db * self._breaths(seconds, found.breaths_s), 0.015, 0.01, 0.05))
        return np.asarray(x * to_frames(gain, first, context.rate, x.shape[1]), np.float32)

    @staticmethod
    def _breaths(seconds: NDArray[Any], breaths_s: tuple[tuple[float, float], ...]) -> NDArray[np.float64]:
        out = np.zeros(len(seconds))
        for start, end in breaths_s:
            if end > seconds[0] and start < seconds[-1]:
                a, b = np.searchsorted(seconds, [start, end])
                out[a:b] = 1.0
        return out
