"""What a file is, at a first guess: a voice, music, or an effect. The person has the last word.

Speech stops: between words and syllables its level falls far below its mean, several times a second. Music goes on: it seldom
falls silent, and its tones stand for a tenth of a second and more. What is short and neither is an effect. The file's name often
says it as well. Source of the low-energy measure: Saunders, "Real-time discrimination of broadcast speech/music", ICASSP 1996.
"""

from __future__ import annotations

import re

import numpy as np

from dubbin.core.sound import fourier
from dubbin.core.sound.source import Source, read_padded

NAMED = {
    "music": ("music", "theme", "jingle", "song", "bed", "intro", "outro", "score", "underscore"),
    "effect": ("effect", "sfx", "sting", "whoosh", "door", "foley", "ambience", "atmo"),
    "voice": ("voice", "host", "guest", "interview", "mic", "microphone", "vocal", "speech", "narration"),
}
FRAME_S = 0.02
BAND_HZ = (250.0, 4000.0)
STRETCHES, STRETCH_S = 8, 10.0
# Measured on demo and natural speech, clean and with hum and a fan: 0.24 to 0.63 of the frames are quiet (below half of their
# second's mean level), 0.1 to 0.21 of the spectral peaks stand for a tenth of a second; on plucked strings 0.12 and 0.73.
QUIET_SHARE, STANDING = 0.15, 0.42
EFFECT_S = 6.0


def guess_role(source: Source, name: str = "") -> str:
    """ "voice", "music" or "effect", from the sound and, where it says something, the file's name."""
    words = set(re.split(r"[^a-z]+", name.lower()))
    for role, known in NAMED.items():
        if words & set(known):
            return role
    quiet, standing = _figures(source)
    if quiet is None:
        return "voice"
    if standing < STANDING and quiet > QUIET_SHARE:
        return "voice"
    return "effect" if source.frames < EFFECT_S * source.rate else "music"


def _figures(source: Source) -> tuple[float | None, float]:
    """Share of quiet frames, and share of spectral peaks that stand; None for silence. Hum, rumble and steady noise are left out."""
    length = min(round(STRETCH_S * source.rate), source.frames)
    starts = np.unique(np.linspace(0, source.frames - length, STRETCHES).astype(int))
    size = 1 << int(np.ceil(np.log2(0.04 * source.rate)))
    hop = max(1, round(FRAME_S * source.rate))
    low, high = (int(hz * size / source.rate) for hz in BAND_HZ)
    spectra = []
    for start in starts:
        x = read_padded(source, int(start), int(start) + length).mean(axis=0)
        if len(x) >= size + 25 * hop:
            windows = np.lib.stride_tricks.sliding_window_view(x, size)[::hop] * np.hanning(size).astype(np.float32)
            spectra.append(np.abs(fourier.rfft(windows))[:, low : max(high, low + 8)] ** 2)
    if not spectra:
        return None, 0.0
    floor = np.quantile(np.concatenate(spectra), 0.1, axis=0)
    quiet, stands = [], []
    for P in spectra:
        P = np.maximum(P - 2.0 * floor, 0.0)
        level = np.sqrt(P.sum(axis=1))
        if level.max() < 1e-3:
            continue
        seconds = level[: len(level) // 50 * 50].reshape(-1, 50) if len(level) >= 50 else level[None]
        seconds = seconds[seconds.mean(axis=1) > 0.2 * level.mean()]
        quiet.append(float(np.mean(seconds < 0.5 * seconds.mean(axis=1, keepdims=True))))
        stands.append(_standing(P))
    return (float(np.mean(quiet)), float(np.mean(stands))) if quiet else (None, 0.0)


def _standing(P: np.ndarray) -> float:
    """Share of the spectral peaks of P (frames, bins) that are there in five frames' time, a tenth of a second, as well."""
    peaks = (P[:, 1:-1] > P[:, :-2]) & (P[:, 1:-1] > P[:, 2:]) & (P[:, 1:-1] > 0.03 * P.max(axis=1, keepdims=True))
    return float(np.sum(peaks[:-5] & peaks[5:]) / max(np.sum(peaks[:-5]), 1))
