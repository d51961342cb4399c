"""Recordings whose pauses a gate has emptied.

Gates, call recorders and tracks that were cleaned by hand leave digital silence where nobody speaks. What tells a noise floor there, if anything does, are the moments before
a gate shuts. With a gate that shuts at once there are none, and the softest frames that hold anything are speech: they would be told as noise, and be denoised. Noise sounds
the same each time and speech does not, so it is asked how far the spectra of these frames are apart, and whether they are more than a gate's edges. Figures on real voices, made by
`benchmarks/gates.py`, are in docs/benchmarks.md. Limits: a gate that fades slowly makes its noise look softer, by up to 8 dB.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.noise import DIGITAL_SILENCE_DB, FRAME_S, QUIET_SHARE, quiet_frames
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Samples, Source

FEWEST, MOST = 8, 300  # quiet frames that hold sound from end to end
WHOLE_SHARE = 0.45  # of the quiet frames: behind a gate that shuts at once most are its edges, a third at most are whole
PIECE_S = 0.005  # a frame of which so much is silent reaches into a pause
BANDS, LOWEST_HZ, HIGHEST_HZ = 11, 300.0, 8000.0
SAME_DB = 3.5  # noise is 1.2 to 3.4 dB apart from itself, in bands that wide and 50 ms long; soft speech 4 to 9


def is_gated(power: NDArray[np.float64]) -> bool:
    """Whether digital silence has taken the place of the frames that would tell a floor, by the mean squares of 50 ms frames; what lies before and after all does not
    count."""
    holds = np.flatnonzero(power > 10.0 ** (DIGITAL_SILENCE_DB / 10.0))
    if not len(holds):
        return False
    inner = power[holds[0] : holds[-1] + 1]
    return float(np.mean(inner <= 10.0 ** (DIGITAL_SILENCE_DB / 10.0))) > QUIET_SHARE / 2


def tells_floor(source: Source, power: NDArray[np.float64]) -> bool:
    """Whether the softest frames of a gated recording are noise. power: mean squares of all frames of FRAME_S."""
    frame = max(1, round(source.rate * FRAME_S))
    places = np.flatnonzero(quiet_frames(power))
    window, edges = np.hanning(frame).astype(np.float32), np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, 0.45 * source.rate), BANDS + 1)
    bins = np.round(edges * frame / source.rate).astype(int)
    looked, levels = places[np.linspace(0, len(places) - 1, min(MOST, len(places))).round().astype(int)], []
    for place in looked:
        x = source.read(int(place) * frame, (int(place) + 1) * frame)
        if not _reaches_into_a_pause(x, source.rate):
            X = fourier.rfft(x * window)
            energy = np.add.reduceat((X.real**2 + X.imag**2).max(axis=0)[: bins[-1]], bins[:-1])
            levels.append(10.0 * np.log10(energy + 1e-20))
    return len(levels) >= max(FEWEST, WHOLE_SHARE * len(looked)) and float(np.median(np.std(levels, axis=0))) < SAME_DB


def _reaches_into_a_pause(x: Samples, rate: int) -> bool:
    piece = max(1, round(rate * PIECE_S))
    whole = x[:, : x.shape[1] // piece * piece].reshape(x.shape[0], -1, piece)
    power = np.mean(np.square(whole, dtype=np.float64), axis=2).max(axis=0)
    return bool(np.min(power) <= 10.0 ** (DIGITAL_SILENCE_DB / 10.0))
