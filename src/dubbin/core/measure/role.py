"""What a file is, at a first guess: a voice, music, or an effect. The person has the last word.

Speech is told by what only speech does: vowels, each a fraction of a second long, follow one another two to five a second, rich in partials that
move with the pitch. Music goes on, and its tones stand for a tenth of a second and more. What is neither, knocks, rain, a sweep, is an effect; so is music
that is short. The file's name often says it as well. Pitch and vowels are those of `voicing`.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.voicing import FRAMES_PER_S as PER_S
from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Sound, Source, read_padded

NAMED = {
    "music": ("music", "theme", "jingle", "song", "bed", "intro", "outro", "score", "underscore"),
    "effect": ("effect", "sfx", "sting", "whoosh", "door", "foley", "ambience", "atmo"),
    "voice": ("voice", "host", "guest", "interview", "mic", "microphone", "vocal", "speech", "narration"),
}
FRAME_S = 0.02
BAND_HZ = (250.0, 4000.0)
LOOKED_AT, STRETCHES, STRETCH_S = 24, 8, 6.0  # of so many stretches the loudest: in a long recording one of two is silent most of the time
AUDIBLE_DB, OVER_ROOM_DB = 40.0, 8.0
SILENT = 1e-6
SHORTEST_S = 0.6  # of a voice that can be told
EFFECT_S = 6.0  # music is longer
# Measured on fourteen voices, clean, in rooms and in noise up to their own level: 1.9 to 15 vowels a second of what is heard, the pitch moving by 0.037 to 0.59 octaves a frame,
# 0.06 to 0.26 of the spectral peaks standing for a tenth of a second, at most three quarters of the power in one partial. Music on plucked strings: 0.72 standing. Knocks, rain,
# wind and applause have no vowels, footsteps a pitch that stays (0.002), sweeps one partial (0.9 and more), a whoosh a pitch that jumps (0.96).
LEAST_VOWELS_PER_S, VOWEL_S = 0.5, (0.04, 0.7)
PITCH_MOVES = (0.012, 0.75)
STANDING, ONE_PARTIAL = 0.42, 0.85
TONE_S, TONE_MOVES = 0.35, 0.025  # a tone that is held this long and whose pitch moves by less is music


@dataclass(frozen=True)
class _Figures:
    """standing: share of spectral peaks that stay. one_partial: share of the power in the strongest one. vowels_per_s: of what is heard. moves: of the pitch, octaves a
    frame. held_s: how long it is held."""

    standing: float
    one_partial: float
    vowels_per_s: float
    moves: float
    held_s: float

    @property
    def is_speech(self) -> bool:
        """Whether partials move as a voice's do, in syllables."""
        moves = PITCH_MOVES[0] <= self.moves <= PITCH_MOVES[1]
        return moves and self.vowels_per_s >= LEAST_VOWELS_PER_S and self.standing < STANDING and self.one_partial < ONE_PARTIAL

    @property
    def is_music(self) -> bool:
        """Whether partials stand, or tones are held."""
        return self.standing >= STANDING or (self.held_s >= TONE_S and self.moves < TONE_MOVES)


def guess_role(source: Source, name: str = "") -> str:
    """ "voice", "music" or "effect", from the sound and, where it says something, the file's name."""
    words = set(re.split(r"[^a-z]+", name.lower()))
    for role, known in NAMED.items():
        if words & set(known):
            return role
    if source.frames < SHORTEST_S * source.rate:
        return "effect"
    found = _figures(source)
    if found is None or found.is_speech:
        return "voice"
    return "music" if found.is_music and source.frames >= EFFECT_S * source.rate else "effect"


def _figures(source: Source) -> _Figures | None:
    """Looked at in a few stretches; None for silence. Hum, rumble and steady noise are left out of the spectra."""
    length = min(round(STRETCH_S * source.rate), source.frames)
    count = min(LOOKED_AT, max(source.frames // max(length, 1), 1))
    starts = np.unique(np.linspace(0, source.frames - length, count).astype(int))
    parts = [read_padded(source, int(start), int(start) + length).mean(axis=0) for start in starts]
    loudest = sorted(range(len(parts)), key=lambda k: -float(np.mean(parts[k] ** 2)))[:STRETCHES]
    parts = [parts[k] for k in sorted(loudest)]
    size, hop = 1 << int(np.ceil(np.log2(0.04 * source.rate))), max(1, round(FRAME_S * source.rate))
    low, high = (int(hz * size / source.rate) for hz in BAND_HZ)
    spectra = []
    for x in parts:
        if len(x) >= size + 25 * hop:
            windows = np.lib.stride_tricks.sliding_window_view(x, size)[::hop] * np.hanning(size).astype(np.float32)
            spectra.append(np.abs(fourier.rfft(windows))[:, low : max(high, low + 8)] ** 2)
    if not spectra:
        return None
    floor = np.quantile(np.concatenate(spectra), 0.1, axis=0)
    whole = Sound(np.concatenate(parts)[None].astype(np.float32), source.rate)
    pitch_hz, audible = find_voicing(whole).pitch_hz, _audible(whole)
    count = min(len(pitch_hz), len(audible))
    pitch_hz, audible = pitch_hz[:count], audible[:count]
    heard_s = max(np.count_nonzero(audible) / PER_S, 0.1)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (pitch_hz > 0).astype(np.int8), [0]])))
    runs = [(a, b) for a, b in edges.reshape(-1, 2) if b - a >= VOWEL_S[0] * PER_S]
    moves = [float(np.abs(np.diff(np.log2(pitch_hz[a:b]))).mean()) for a, b in runs]
    cleaned = [np.maximum(P - 2.0 * floor, 0.0) for P in spectra]
    stands = [_standing(P) for P in cleaned if P.sum(axis=1).max() > SILENT]
    if not stands and not runs:
        return None
    return _Figures(
        float(np.mean(stands)) if stands else 0.0, _one_partial(np.concatenate(spectra)), sum(b - a <= VOWEL_S[1] * PER_S for a, b in runs) / heard_s,
        float(np.median(moves)) if moves else 0.0, float(np.mean([b - a for a, b in runs])) / PER_S if runs else 0.0,
    )  # fmt: skip


def _audible(source: Source) -> NDArray[np.bool_]:
    """Frames of 10 ms whose level lies over the room's, and within AUDIBLE_DB of the loud ones."""
    hop = source.rate // PER_S
    x = source.read(0, source.frames // hop * hop)[0].astype(np.float64)
    level = 10.0 * np.log10(np.mean(x.reshape(-1, hop) ** 2, axis=1) + 1e-14)
    loud, room = np.quantile(level, 0.95), np.quantile(level, 0.05)
    return np.asarray(level > max(loud - AUDIBLE_DB, min(room + OVER_ROOM_DB, loud - 6.0)))


def _one_partial(P: np.ndarray) -> float:
    """Of the loud frames of P (frames, bins) the share of the power that lies in the strongest bin and those beside it."""
    power = P.sum(axis=1)
    loud = P[power > np.quantile(power, 0.7)]
    if not len(loud):
        return 0.0
    k = np.clip(np.argmax(loud, axis=1), 1, loud.shape[1] - 2)
    rows = np.arange(len(loud))
    return float(np.median((loud[rows, k - 1] + loud[rows, k] + loud[rows, k + 1]) / (loud.sum(axis=1) + 1e-20)))


def _standing(P: np.ndarray) -> float:
    """Share of the spectral peaks of P (frames, bins) that are there in five frames' time, a tenth of a second, as well."""
    peaks = (P[:, 1:-1] > P[:, :-2]) & (P[:, 1:-1] > P[:, 2:]) & (P[:, 1:-1] > 0.03 * P.max(axis=1, keepdims=True))
    return float(np.sum(peaks[:-5] & peaks[5:]) / max(np.sum(peaks[:-5]), 1))
