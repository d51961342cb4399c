"""Mains hum: the exact fundamental through its drift, and the strength of every harmonic over time.

The sound is brought down to a few kHz and multiplied by the hum's own phase, harmonic by harmonic, so that a steady
hum becomes a steady complex number and everything else a moving one. Speech is kept out by weights: at every instant an
estimate is a mean of its surroundings in which values far from the others hardly count (iteratively reweighted least
squares with a Geman-McClure weight). The frequency is corrected by how fast the numbers of all harmonics turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.measure.steady import ABOVE_CHANCE, SMOOTH_S, STEPS_PER_S, SURE_S, coherence, products, robust_mean
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.level import finite_or_none, power_to_db
from dubbin.core.sound.long_recordings import OneAtATime
from dubbin.core.sound.source import Source

LOW_RATE = 6000  # Hz, to which the sound is brought down
MAINS_HZ = (50.0, 60.0)
SEARCH_HZ = 0.7  # to both sides of the nominal frequency
HIGHEST_HZ = 2600.0
BEFORE = LOW_RATE // STEPS_PER_S // 2  # frames by which a window reaches over the edges of its step
SHARED_STEPS = 10 * STEPS_PER_S  # over which the hum wanders so little that all are taken out by the same carriers
LOWEST_LEVEL_DBFS = -84.0  # of all harmonics together: below, there is no hum to speak of
SHORT_LOWEST_DBFS = -70.0  # … in less than SURE_S: a fainter one is found there by chance in one of ten clean voices
TRACKED = 14  # harmonics that the frequency is taken from
TRACKING_S = (
    0.35,
    0.35,
    0.5,
    0.5,
    0.8,
)  # sigma of the mean in the passes that correct the frequency: first fast, then exact
COHERENT = 0.6  # share of a harmonic's power that keeps its phase, where there is hum
# A hum that stays is nowhere softer than by as much: in less than SURE_S a low voice that keeps its pitch passes for one. Of clips of 3 s of eight real voices 2.7 % are
# told to hum, before 8.0 (benchmarks/short_clips.py).
OVER_SOFTEST_DB = 6.0
SOFTEST_FRAME = LOW_RATE // 20  # frames of a moment: a few cycles of the hum
SEARCH_S = 16.0
SILENT = 1e-14  # mean square of digital silence that was brought down in rate
SEARCH_STRETCHES = 12

_one_at_a_time = OneAtATime()  # three hours at LOW_RATE are a quarter of a gigabyte


@dataclass(frozen=True)
class HumTrack:
    """phase: cycles of the fundamental at every step; amplitudes: (channels, harmonics, steps) complex, so that harmonic h
    is the real part of amplitude * exp(2j pi h phase), 0 for harmonics that are not there; step_s: seconds a step."""

    step_s: float
    phase: NDArray[np.float64]
    amplitudes: NDArray[np.complex64]

    @property
    def frequency_hz(self) -> NDArray[np.float64]:
        """Fundamental at every step."""
        return np.gradient(self.phase, self.step_s)


@dataclass(frozen=True)
class Hum:
    """What `check` says: harmonics counts those that are there, fundamental included; drift_hz: highest minus lowest."""

    present: bool
    fundamental_hz: float | None = None
    level_dbfs: float | None = None
    harmonics: int = 0
    drift_hz: float | None = None


def find_hum(source: Source, task: Task | None = None) -> HumTrack | None:
    """Look through a whole source; None when there is no mains hum. Takes sounds of 2 s or more; long ones are looked through one at a time."""
    task = task or Task()
    if source.frames < 2 * source.rate:
        return None
    with _one_at_a_time.through(source, task):
        return _tracked(source, task)


def _tracked(source: Source, task: Task) -> HumTrack | None:
    x, frames = _low_rate(source, task.part(0.0, 0.4))
    sound = x[:, BEFORE : BEFORE + frames]
    nominal = _nominal(sound[0] if len(x) == 1 else sound.mean(axis=0))
    if nominal is None:
        return None
    count = frames * STEPS_PER_S // LOW_RATE
    phase = nominal * _times(count)
    harmonics = int(HIGHEST_HZ / nominal)
    for attempt, smooth_s in enumerate(TRACKING_S):
        task.step(0.4 + 0.08 * attempt)
        values = np.stack([_demodulated(c, phase, np.arange(1, TRACKED + 1, dtype=np.float64)) for c in x])
        phase = phase + _phase_error(*robust_mean(values, smooth_s), smooth_s)
    amplitudes = np.empty((len(x), harmonics, count), np.complex64)
    beside = np.empty((len(x), harmonics))
    for channel in range(len(x)):
        task.step(0.85)
        # Between two tones of the hum there is none of it: what is found there is found by chance.
        between = _demodulated(x[channel], phase, np.arange(0.5, harmonics))
        for h in range(harmonics):  # one by one, since hours of all of them would take much memory
            beside[channel, h] = np.mean(np.abs(robust_mean(between[h : h + 1], SMOOTH_S)[0]) ** 2)
        del between
        _demodulated(x[channel], phase, np.arange(1, harmonics + 1, dtype=np.float64), amplitudes[channel])
        for h in range(harmonics):
            amplitudes[channel, h] = robust_mean(amplitudes[channel, h : h + 1], SMOOTH_S)[0][0]
    softest = _softest_db(sound)
    del x, sound
    steady = np.stack([[np.mean(np.abs(a) ** 2) for a in channel] for channel in amplitudes])
    chance = neighbours.median_filter(beside, 5, mode="nearest")
    above = ABOVE_CHANCE * max(1.0, SURE_S * STEPS_PER_S / count)  # in a short sound chance has more of a say
    there = (coherence(amplitudes) > COHERENT) & (steady > np.maximum(above * chance, 1e-11))
    level = power_to_db(float(np.max(np.sum(steady * there, axis=1)) / 2))
    heard = np.asarray(there.any(axis=0))
    lowest = LOWEST_LEVEL_DBFS if count >= SURE_S * STEPS_PER_S else SHORT_LOWEST_DBFS
    # A steady tone of music may pass for a high harmonic or two; hum has low ones.
    if not heard[:4].any() or np.count_nonzero(heard[:TRACKED]) < 2 or level < lowest:
        return None
    if count < SURE_S * STEPS_PER_S and level > softest + OVER_SOFTEST_DB:
        return None
    amplitudes[~there] = 0
    return HumTrack(1.0 / STEPS_PER_S, phase, amplitudes)


def _softest_db(sound: NDArray[np.float32]) -> float:
    """Mean square of the softest moment of (channels, frames) in dBFS, of the loudest channel; +inf where there is digital silence, in which no hum can stay."""
    whole = sound.shape[1] // SOFTEST_FRAME * SOFTEST_FRAME
    power = np.mean(np.square(sound[:, :whole].reshape(len(sound), -1, SOFTEST_FRAME), dtype=np.float64), axis=2).max(axis=0)
    return power_to_db(float(power.min())) if power.min() > SILENT else np.inf


def describe_hum(track: HumTrack | None) -> Hum:
    """The figures of a track."""
    if track is None:
        return Hum(False)
    inner = slice(STEPS_PER_S // 2, -STEPS_PER_S // 2 or None)
    frequency = neighbours.uniform_filter1d(track.frequency_hz, 3 * STEPS_PER_S, mode="nearest")[inner]
    power = np.mean(np.abs(track.amplitudes) ** 2, axis=2) / 2
    count = int(np.max(np.count_nonzero(power, axis=1)))
    level = power_to_db(float(np.max(power.sum(axis=1))))
    drift = float(np.max(frequency) - np.min(frequency))
    return Hum(True, float(np.median(frequency)), finite_or_none(level), count, drift)


def synthesise_hum(track: HumTrack, start_frame: int, count: int, rate: int) -> NDArray[np.float32]:
    """The hum itself, (channels, count), from frame `start_frame` on; nothing outside of the recording."""
    from dubbin.core.measure.hum_kernels import synthesise

    out = np.zeros((track.amplitudes.shape[0], count), np.float32)
    steps, step = len(track.phase) + 2, rate / STEPS_PER_S  # one more before the first and after the last
    if steps < 4 or count <= 0:
        return out
    # Of hours of them only those that are needed are taken.
    first = min(max(int(start_frame / step + 0.5) - 1, 0), steps - 2)
    last = min(max(int((start_frame + count) / step + 0.5) + 2, first + 1), steps - 1)
    places = np.clip(np.arange(first, last + 1) - 1, 0, steps - 3)
    phase = track.phase[places]
    # Past the first and last step the phase goes on at the pace it has there.
    if first == 0:
        phase[0] = 2 * track.phase[0] - track.phase[1]
    if last == steps - 1:
        phase[-1] = 2 * track.phase[-1] - track.phase[-2]
    amplitudes = np.ascontiguousarray(track.amplitudes[..., places].transpose(0, 2, 1))
    longest = (len(track.phase) / STEPS_PER_S + 1.0) * rate
    synthesise(phase, amplitudes, first, steps, start_frame, step, int(longest), out)
    return out


def _times(count: int) -> NDArray[np.float64]:
    """Seconds of the steps' centres."""
    return (np.arange(count) + 0.5) / STEPS_PER_S


def _low_rate(source: Source, task: Task) -> tuple[NDArray[np.float32], int]:
    """(channels, frames) at LOW_RATE, with silence around (BEFORE of it at the start), and how many frames are sound."""
    import soxr

    stream = soxr.ResampleStream(source.rate, LOW_RATE, source.channels, "float32", "HQ")
    size = source.rate * 10
    expected = source.frames * LOW_RATE // source.rate + LOW_RATE
    # Half a step of silence before, and more than a window after it, so that every step has a whole window.
    out = np.zeros((source.channels, BEFORE + expected + 4 * BEFORE), np.float32)
    at = BEFORE
    for start in range(0, source.frames, size):
        task.step(start / source.frames)
        stop = min(start + size, source.frames)
        block = np.ascontiguousarray(source.read(start, stop).T)
        part = stream.resample_chunk(block, last=stop == source.frames)
        out[:, at : at + len(part)] = part.T
        at += len(part)
    return out[:, : at + 4 * BEFORE], at - BEFORE


def _nominal(x: NDArray[np.float32]) -> float | None:
    """A first estimate of the fundamental, from the quietest stretches: the frequency whose multiples stand out most."""
    size = min(int(SEARCH_S * LOW_RATE), len(x))
    starts = np.linspace(0, len(x) - size, min(SEARCH_STRETCHES, max(1, len(x) // size * 2))).astype(int)
    window = np.hanning(size)
    padded = 1 << int(np.ceil(np.log2(size * 4)))
    per_hz = padded / LOW_RATE
    block = int(4 * per_hz)
    bins = int(HIGHEST_HZ * per_hz) // block * block
    spectra: dict[int, NDArray[np.float32]] = {}

    def look(start: int) -> None:
        piece = np.array(x[start : start + size], np.float64)
        # Loud instants are held down, so that the speech in them doesn't hide a faint hum.
        envelope = np.sqrt(np.maximum(neighbours.uniform_filter1d(piece**2, LOW_RATE // 10), 0.0)) + 1e-7
        piece *= np.minimum(1.0, np.quantile(envelope, 0.2) / envelope)
        X = fourier.rfft((piece * window).astype(np.float32), padded)[:bins]
        spectra[start] = X.real**2 + X.imag**2

    in_parallel(look, [int(start) for start in starts], Task())
    P = np.median([spectra[int(start)] for start in starts], axis=0)
    blocks = P.reshape(-1, block)
    medians = neighbours.median_filter(np.median(blocks, axis=1), 5)
    middles = (np.arange(len(medians)) + 0.5) * block
    floor = np.interp(np.arange(blocks.size), middles, medians) + 1e-20
    ratio = np.minimum(P[: len(floor)] / floor, 1e4)
    best, score = None, 0.0
    for mains in MAINS_HZ:
        grid = np.arange(mains - SEARCH_HZ, mains + SEARCH_HZ, 0.01)
        total = np.zeros(len(grid))
        for h in range(1, 11):
            total += np.log(np.maximum(np.interp(grid * h * per_hz, np.arange(len(ratio)), ratio), 1.0))
        k = int(np.argmax(total))
        if total[k] > score:
            best, score = float(grid[k]), float(total[k])
    return best if score > 6.0 else None


def _demodulated(
    x: NDArray[np.float32], phase: NDArray[np.float64], harmonics: NDArray[np.float64], out: NDArray[np.complex64] | None = None
) -> NDArray[np.complex64]:
    """(harmonics, steps): mean of x times the conjugate carrier over two steps around each step's centre.

    x: with BEFORE frames of silence in front. phase: cycles of the fundamental at the centre of every step; straight in between. harmonics: which multiples
    of it, one apart. out: where it is to stand; of hours a second one takes much memory.

    All steps of a few seconds share one set of carriers, of their mean frequency. By how much the frequency of each step is off, on both sides of its
    centre, is put right to first order: over a step that is a small fraction of a cycle even of the highest harmonic. Steps of digital silence are 0.
    """
    hop, count = LOW_RATE // STEPS_PER_S, len(phase)
    window = 0.5 - 0.5 * np.cos(np.pi * np.arange(2 * hop) / hop)
    window *= 2.0 / window.sum()
    halves = x[: (count + 1) * hop].reshape(-1, hop)
    slopes = np.diff(phase)
    slopes = np.concatenate([slopes[:1], slopes, slopes[-1:]])  # before and after each step
    out = np.empty((len(harmonics), count), np.complex64) if out is None else out

    def some(start: int) -> None:
        stop = min(start + SHARED_STEPS, count)
        mean = float(np.mean(slopes[start : stop + 1]))
        turned: NDArray[np.complex128] = np.zeros((stop - start, len(harmonics)), np.complex128)
        for side in (0, 1):
            u = np.arange(hop) / hop - (1 - side)  # steps from the centre
            carriers: NDArray[np.complex128] = np.tile(np.exp(-2j * np.pi * mean * u), (len(harmonics), 1))
            carriers[0] = window[side * hop : (side + 1) * hop] * np.exp(-2j * np.pi * mean * harmonics[0] * u)
            np.multiply.accumulate(carriers, axis=0, out=carriers)
            plain, moment = products(halves[start + side : stop + side], carriers, carriers * u)
            off = slopes[start + side : stop + side, None] - mean
            turned += plain - 2j * np.pi * off * harmonics * moment
        turned *= np.exp(-2j * np.pi * (phase[start:stop, None] * harmonics % 1.0))
        out[:, start:stop] = turned.T

    in_parallel(some, range(0, count, SHARED_STEPS), Task())
    silent = np.einsum("kn,kn->k", halves, halves) < SILENT * hop
    out[:, silent[:-1] & silent[1:]] = 0
    return out


def _phase_error(amplitudes: NDArray[np.complex64], spread: NDArray[np.float32], smooth_s: float) -> NDArray[np.float64]:
    """Cycles of the fundamental by which the carrier lags, at every step, from how all harmonics turn together."""
    turned, weight = np.zeros(amplitudes.shape[2] - 1), np.zeros(amplitudes.shape[2] - 1)
    for values, spreads in zip(amplitudes, spread, strict=True):
        for h, (a, s) in enumerate(zip(values, spreads, strict=True), 1):  # one by one, since hours of all of them would take much memory
            turn = a[1:] * np.conj(a[:-1])
            certain = np.abs(turn) / (s[1:] ** 2 + 1e-16)
            certain = np.where(certain > 0.3, np.minimum(certain, 1e4), 0.0) * np.float64(h**2)
            turned += certain * np.angle(turn) / np.float64(h)
            weight += certain
    slope = turned / np.maximum(weight, 1e-12)
    slope = neighbours.gaussian_filter1d(slope, smooth_s * STEPS_PER_S, mode="nearest")
    return np.concatenate([[0.0], np.cumsum(slope)]) / (2 * np.pi)
