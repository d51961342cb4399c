"""Recordings whose pauses a gate has emptied.

Gates, call recorders and tracks that were cleaned by hand leave digital silence where nobody speaks. What tells a noise floor there, if anything does, are the moments before
a gate shuts. With a gate that shuts at once there are none, and the softest frames that hold anything are speech: they would be told as noise, and be denoised. Noise sounds
the same each time and speech does not, so it is asked how far the spectra of these frames are apart, and whether they are more than a gate's edges. Figures on real voices, made by
`benchmarks/gates.py`, are in docs/benchmarks.md. Limits: a gate that fades slowly makes its noise look softer, by up to 8 dB.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.noise import DIGITAL_SILENCE_DB, FRAME_S, QUIET_SHARE, NoiseMeter, quiet_frames
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
    looked = places[np.linspace(0, len(places) - 1, min(MOST, len(places))).round().astype(int)]
    levels = [_levels(source.read(int(p) * frame, (int(p) + 1) * frame)[:, None], source.rate) for p in looked]
    return _are_noise(np.concatenate(levels)) if levels else False


class GapMeter(NoiseMeter):
    """A NoiseMeter that remembers, where digital silence comes up, what the other frames sound like: for a file that is looked through once."""

    def __init__(self, rate: int, channels: int, *, offset_counts: bool = False) -> None:
        super().__init__(rate, channels, offset_counts=offset_counts)
        self._rate, self._frames, self._silent = rate, 0, 0
        self._kept: list[tuple[NDArray[np.float64], NDArray[np.float32]]] = []  # powers, and levels in bands

    def _seen(self, frames: Samples, power: NDArray[np.float64]) -> None:
        holds = power > 10.0 ** (DIGITAL_SILENCE_DB / 10.0)
        self._frames += len(power)
        self._silent += int(np.count_nonzero(~holds))
        if holds.any() and self._silent > QUIET_SHARE / 2 * self._frames:
            self._kept.append((power[holds], _levels(frames[:, holds], self._rate).astype(np.float32)))

    @property
    def holds_silence(self) -> bool:
        """Whether what is heard where nobody speaks is digital silence, and the softest of what is left is speech."""
        power = self.frame_powers()
        if not is_gated(power):
            return False
        quiet = quiet_frames(power)
        loudest = float(np.max(power[quiet], initial=0.0))
        softest = [levels[kept <= loudest] for kept, levels in self._kept]
        return not _are_noise(np.concatenate(softest)) if softest else True


def _levels(frames: Samples, rate: int) -> NDArray[np.float64]:
    """Levels in dB of frames (channels, count, frame) in bands, (count, BANDS), of the louder channel in each; NaN of a frame that reaches into a pause."""
    frame = frames.shape[2]
    edges = np.geomspace(LOWEST_HZ, min(HIGHEST_HZ, 0.45 * rate), BANDS + 1)
    bins = np.round(edges * frame / rate).astype(int)
    X = fourier.rfft(frames * np.hanning(frame).astype(np.float32))
    energy = np.add.reduceat((X.real**2 + X.imag**2).max(axis=0)[:, : bins[-1]], bins[:-1], axis=1)
    out: NDArray[np.float64] = 10.0 * np.log10(energy + 1e-20)
    out[_reach_into_a_pause(frames, rate)] = np.nan
    return out


def _are_noise(levels: NDArray[np.floating]) -> bool:
    """Whether frames sound alike, by their `_levels`; and whether they are more than a gate's edges."""
    levels = levels[np.linspace(0, len(levels) - 1, min(MOST, len(levels))).round().astype(int)]
    whole = levels[~np.isnan(levels[:, 0])]
    return len(whole) >= max(FEWEST, WHOLE_SHARE * len(levels)) and float(np.median(np.std(whole, axis=0))) < SAME_DB


def _reach_into_a_pause(frames: Samples, rate: int) -> NDArray[np.bool_]:
    piece = max(1, round(rate * PIECE_S))
    whole = frames[:, :, : frames.shape[2] // piece * piece].reshape(*frames.shape[:2], -1, piece)
    power = np.mean(np.square(whole, dtype=np.float64), axis=3).max(axis=0)
    return np.asarray(np.min(power, axis=1) <= 10.0 ** (DIGITAL_SILENCE_DB / 10.0))
