"""The noise floor and the speech above it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.figures import with_unit
from dubbin.core.measure.own_stretches import own_stretches
from dubbin.core.sound.level import finite_or_none, power_to_db
from dubbin.core.sound.source import Samples
from dubbin.core.texts import tr

FRAME_S = 0.05
QUIET_SHARE = 0.10  # of the frames that hold anything at all: speech without pauses is rare above this
QUIET_SPREAD_DB = 5.0  # level scatter of one stationary noise over 50 ms frames
DIGITAL_SILENCE_DB = -110.0
# Of a clip of a few seconds without a pause the softest frames are ends of words too. Noise that stays has levels within 2.0 dB of standard deviation, whatever the voice
# does; where they are spread wider, in no more than FEW_FRAMES, only the softest tell the floor. Clips of 4 s of eight real
# voices that are told to be noisy as they are: 1 %, before 14; in noise at 25 dB the floor is wrong by 3.0 dB in one of a hundred, before by 5.6.
FEW_FRAMES, STEADY_DB, SOFTEST = 200, 2.5, 2
ALIKE, ALIKE_DB = 3, 3.0  # the softest, and how far they lie apart at most, where it is noise that they hold
SPEECH_ABOVE_FLOOR_DB = 6.0
SPEECH_BELOW_LOUD_DB = 25.0


@dataclass(frozen=True)
class Noise:
    """floor_dbfs: mean power of the quiet frames; snr_db: speech power, less the noise in it, above that; hiss_dbfs: what of the floor is neither hum, tones nor rumble,
    where one of them is loud (hiss.py); gated: the pauses are digital silence and nothing tells a floor (gated.py); at_most: nobody pauses in a short clip, and the floor
    may lie lower."""

    floor_dbfs: float | None
    snr_db: float | None
    hiss_dbfs: float | None = None
    gated: bool = False
    at_most: bool = False

    @property
    def floor_text(self) -> str:
        """The floor in words and figures."""
        floor = with_unit(self.floor_dbfs, "dBFS")
        return tr("digital silence") if self.gated else tr("at most {figure}").format(figure=floor) if self.at_most else floor


class NoiseMeter:
    """Streams blocks; levels are RMS over 50 ms, of the loudest channel. offset_counts: whether the mean of a frame is part of its level, as in a plain RMS meter;
    nobody hears it, and an offset of half a percent would pass for a floor of -46 dBFS."""

    def __init__(self, rate: int, channels: int, *, offset_counts: bool = False) -> None:
        self._frame, self._offset_counts = max(1, round(rate * FRAME_S)), offset_counts
        self._rest: Samples = np.zeros((channels, 0), np.float32)
        self._powers: list[NDArray[np.float64]] = []

    def push(self, x: Samples) -> None:
        """Take the power of every frame of 50 ms from the next samples (channels, frames)."""
        x = np.concatenate([self._rest, x], axis=1) if self._rest.shape[1] else x
        whole = x.shape[1] // self._frame * self._frame
        if whole:
            shaped = x[:, :whole].reshape(x.shape[0], -1, self._frame)
            power = np.einsum("cfn,cfn->cf", shaped, shaped, dtype=np.float64) / self._frame
            if not self._offset_counts:
                power = np.maximum(power - np.mean(shaped, axis=2, dtype=np.float64) ** 2, 0.0)
            self._powers.append(power.max(axis=0))
            self._seen(shaped, self._powers[-1])
        self._rest = x[:, whole:].copy()

    def _seen(self, frames: Samples, power: NDArray[np.float64]) -> None:
        """Look at frames (channels, count, frame) more closely. power: of each, (count,)."""

    def frame_powers(self) -> NDArray[np.float64]:
        """Power of every frame so far, (frames,)."""
        return np.concatenate(self._powers) if self._powers else np.zeros(0)

    def result(self) -> Noise:
        """Noise floor and speech in dBFS of all that was pushed."""
        return noise_from_powers(self.frame_powers())


def quiet_frames(power: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which of some 50 ms frames tell the noise floor, by their mean squares."""
    holds: NDArray[np.bool_] = power > 10.0 ** (DIGITAL_SILENCE_DB / 10.0)
    if not holds.any():
        return holds
    levels = np.full(len(power), np.inf)
    levels[holds] = 10.0 * np.log10(power[holds])
    quiet: NDArray[np.bool_] = levels <= np.quantile(levels[holds], QUIET_SHARE / 2) + QUIET_SPREAD_DB
    places = np.flatnonzero(quiet)
    is_short = len(power) <= FEW_FRAMES and len(places) > SOFTEST and bool(holds.all())  # a gate shuts by and by
    if is_short and np.std(levels[places]) > STEADY_DB:
        quiet[:] = False
        quiet[places[np.argsort(levels[places])[:SOFTEST]]] = True
    return quiet


def noise_from_powers(power: NDArray[np.float64]) -> Noise:
    """Floor and SNR from the mean squares of 50 ms frames."""
    power = power[power > 10.0 ** (DIGITAL_SILENCE_DB / 10.0)]
    if not power.size:
        return Noise(None, None)
    levels = 10.0 * np.log10(power)
    quiet = quiet_frames(power)
    floor = float(np.mean(power[quiet]))
    floor_db = power_to_db(floor)
    softest = np.sort(levels)[:ALIKE]
    at_most = bool(len(power) <= FEW_FRAMES and np.count_nonzero(quiet) == SOFTEST and softest[-1] - softest[0] > ALIKE_DB)
    own = own_stretches(levels, FRAME_S)
    loud = np.quantile(levels[own], 0.98)
    speech = power[own & (levels > floor_db + SPEECH_ABOVE_FLOOR_DB) & (levels > loud - SPEECH_BELOW_LOUD_DB)]
    if not speech.size:
        return Noise(finite_or_none(floor_db), None, at_most=at_most)
    above = max(float(np.mean(speech)) - floor, floor * 1e-3)
    return Noise(finite_or_none(floor_db), finite_or_none(power_to_db(above / floor)), at_most=at_most)
