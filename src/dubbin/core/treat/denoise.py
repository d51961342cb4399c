"""Denoise: background noise is taken down between and under the words.

Two engines. The statistical one follows the spectrum of the noise, or learns it from a selection that holds noise alone, and
weighs every bin by how likely it is speech: transparent, for noise that stays much the same. It does so twice, with windows
too short to blur a consonant and long enough to part the partials of a vowel, and takes the mean of both: where one errs the
other seldom does the same. The neural one knows what voices sound like: it takes away changing noise too (a kitchen, a
street), at the price of deciding what a voice is. Where speech stands far above the noise, and a little everywhere, its
result is blended with that of the statistical gain, which is closer to the voice there.

Figures (docs/benchmarks.md): on eight real voices the blend gains 0.08, 0.2 and 0.3 of PESQ over the network alone at 5, 15 and 25 dB, and loses
0.05 of DNSMOS, which hears what it keeps of the voice's own surroundings; in a room it is the network's result. Two windows gain 0.02 over one, FINEST (the mean of two passes, one of them moved by half a hop) another 0.02 for twice the time.
Limits: below about 5 dB of SNR the voice gets thin; the neural engine takes music away with the noise.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from dubbin.core.errors import BadSettings
from dubbin.core.figures import number, short_number
from dubbin.core.jobs import Task
from dubbin.core.memory import give_back
from dubbin.core.sound.level import db_to_gain
from dubbin.core.sound.source import Samples, Source, read_padded
from dubbin.core.texts import mark, tr
from dubbin.core.treat import deep_filter
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.noise_track import NoiseTrack, narrowed, profile_track, track_noise
from dubbin.core.treat.settings import choice, setting, span, switch
from dubbin.core.treat.stft import Stft, power
from dubbin.core.treat.suppressor import Suppression, suppress
from dubbin.core.treat.treatment import Context, Treatment

OVERLAP = 4
WINDOWS_S = (0.024, 0.060)  # of the statistical engine
NEURAL_TILE_S = 16.0  # of shorter ones the lead-in is a larger share; longer ones keep somebody waiting who listens into the middle
STATISTICAL_LEAD_S = 1.0  # in which the decision-directed rule forgets where it began
BLEND_WINDOW_S = 0.036  # of the statistical gain beside the network
# Share of the statistical result in the neural one: LEAST_SHARE everywhere, MOST_SHARE more where speech stands SURE_DB
# above the noise, none of that below UNSURE_DB. On eight real voices in noise at 5, 15 and 25 dB, against the network alone: PESQ +.07, +.09, +.19, STOI up to
# +.004, DNSMOS -.02 each. Twice as much gains PESQ .01, .04, .07 more and loses twice the DNSMOS; a third less is within .01 of no loss and keeps three quarters.
LEAST_SHARE, MOST_SHARE = 0.03, 0.15
UNSURE_DB, SURE_DB = 10.0, 25.0
# In a room the network takes echo with the noise, and with it so much of the voice that no treatment after it could give it back. Who listens to what is left hears
# the better for it (DNSMOS), a treatment of the room hears too little: that one is given ROOM_SHARE of the statistical result, which takes noise alone, in every bin. On
# eight real voices in a room of .4 s with a fan at 16 dB that is PESQ 2.33 instead of 2.03 after `dereverb`, at the same DNSMOS. Half of it PESQ 2.28, twice 2.33.
ROOM_SHARE = 0.2
# A room is known by the network keeping less than RINGING_DB of what is surely no noise; from DRY_DB on the voice is dry. Dry voices in noise of 5 to 25 dB keep
# -1.1 to 0 dB, in a room of .4 s -5.5 to -2.4 dB.
RINGING_DB, DRY_DB, NOT_NOISE_DB = -2.2, -1.2, 15.0
AROUND_S = 10.0  # over which that is looked at


Mono = tuple[NDArray[np.float32], Context]  # one channel of a stretch, and where it lies


class Engine(StrEnum):
    """What decides what is noise."""

    STATISTICAL = mark("statistical")
    NEURAL = mark("neural")


@dataclass(frozen=True)
class DenoiseSettings:
    """depth_db: how far the statistical engine takes the noise down at full strength; the neural one takes all that it
    hears as noise. finest: two passes of the neural engine. noise_from_s: a stretch (start, end in seconds of the
    recording) that holds noise alone, for the statistical engine; None follows the noise by itself."""

    engine: Engine = choice(
        Engine.NEURAL, tr("Engine"), tr("Neural knows voices and takes changing noise too; statistical is for steady noise and music.")
    )
    depth_db: float = setting(
        20.0,
        6.0,
        40.0,
        "dB",
        tr("Depth"),
        tr("How far the statistical engine takes the noise down at full strength."),
        when=("engine", Engine.STATISTICAL),
    )
    noise_from_s: tuple[float, float] | None = span(
        tr("Noise profile"),
        tr("Select a stretch on the lanes in which nobody speaks; its sound is what will be taken down."),
        pick=tr("Learn noise from selection"),
        clear="automatic",
        ask=tr("Select a stretch on the lanes in which only the noise is heard, then learn from it."),
        implies={"engine": Engine.STATISTICAL.value},
    )
    finest: bool = switch(
        False, tr("Two passes"), tr("Two passes of the network, one of them moved by half a step: a little closer to the voice, for twice the time."),
        when=("engine", Engine.NEURAL),
    )  # fmt: skip


def stft_of(rate: int, window_s: float) -> Stft:
    """The transform with windows of about `window_s` seconds at `rate` Hz, its frame a multiple of the overlap."""
    hop = max(16, round(window_s * rate / OVERLAP / 16) * 16)
    return Stft(hop * OVERLAP, hop)


@dataclass(frozen=True)
class NoiseFindings:
    """tracks: the noise for each window of the engine. means: for the neural engine, the running means of the network's
    features at every second of the recording, for each channel."""

    tracks: tuple[NoiseTrack, ...]
    means: tuple[tuple[deep_filter.Means, ...], ...] = ()


class Denoise(Treatment):
    """Background noise taken down."""

    name: ClassVar[str] = "denoise"
    title: ClassVar[str] = tr("Noise")
    settings_type: ClassVar[type] = DenoiseSettings
    figures: ClassVar[tuple[Figure, ...]] = (
        Figure("floor_dbfs", tr("noise floor"), "dBFS", 1, lambda r: r.noise.floor_dbfs),
        Figure("snr_db", tr("speech over noise"), "dB", 1, lambda r: r.noise.snr_db),
    )
    tile_s: ClassVar[float] = 15.0
    lead_s: ClassVar[float] = 4.0  # in which the network's state settles
    tail_s: ClassVar[float] = 0.1
    takes_rooms: ClassVar[bool] = True

    def spans_s(self, settings: DenoiseSettings) -> tuple[float, float, float]:
        if settings.engine is Engine.NEURAL:
            return NEURAL_TILE_S, self.lead_s, self.tail_s
        return self.tile_s, STATISTICAL_LEAD_S, self.tail_s

    def side_by_side(self, settings: DenoiseSettings) -> int:
        return deep_filter.SIDE_BY_SIDE if settings.engine is Engine.NEURAL else 1

    def analyse(self, source: Source, settings: DenoiseSettings, task: Task) -> NoiseFindings:
        neural = settings.engine is Engine.NEURAL
        windows = (BLEND_WINDOW_S,) if neural else WINDOWS_S
        tracks = []
        # Tracked with the longest window, which parts the noise most finely; what the shorter one would see follows from that.
        long = stft_of(source.rate, windows[-1])
        if settings.noise_from_s is None:
            track = track_noise(source, long, task.part(0.0, 0.6))
        else:
            track = _profile(source, long, settings.noise_from_s)
        for window_s in windows:
            stft = stft_of(source.rate, window_s)
            tracks.append(track if stft == long else narrowed(track, long, stft))
        means = _running_means(source, task.part(0.6, 1.0)) if neural else ()
        return NoiseFindings(tuple(tracks), means)

    def with_room(self, before: Source, after: Source, settings: DenoiseSettings, findings: Callable[[], NoiseFindings]) -> Source:
        """Behind the neural engine, which takes rooms along, a share of what it took of them."""
        return RoomGivenBack(before, after, settings, findings) if settings.engine is Engine.NEURAL else after

    def process(self, x: Samples, context: Context) -> Samples:
        return self.process_all([(x, context)])[0]

    def process_all(self, stretches: Sequence[tuple[Samples, Context]]) -> list[Samples]:
        out = [np.empty_like(x) for x, _ in stretches]
        for channel in range(out[0].shape[0] if out else 0):
            mono = [(x[channel], context) for x, context in stretches]
            treated = _neural(mono, channel) if mono[0][1].settings.engine is Engine.NEURAL else _statistical(mono, channel)
            for y, done in zip(out, treated, strict=True):
                y[channel] = done
        return out


def _profile(source: Source, stft: Stft, span_s: tuple[float, float]) -> NoiseTrack:
    start, stop = (round(s * source.rate) for s in span_s)
    start, stop = max(0, start), min(source.frames, stop)
    if stop - start < stft.frame:
        raise BadSettings(
            tr("The noise profile from {span_s} to {span_s2} s is too short: it wants {frame} s at least.").format(
                span_s=short_number(span_s[0]), span_s2=short_number(span_s[1]), frame=number(stft.frame / source.rate, 2)
            )
        )
    return profile_track(source, stft, start, stop)


def _suppressed(X: NDArray[np.complex64], stft: Stft, track: NoiseTrack, channel: int, context: Context) -> Suppression:
    centres = context.start_frame + np.arange(len(X)) * stft.hop - (stft.frame - stft.hop) + stft.frame // 2
    floor = db_to_gain(-context.settings.depth_db)
    at, level = track.places(centres), track.noise_gains(channel, centres)
    return suppress(power(X), track.spectra[channel], at, level, floor=floor)


def _statistical(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    return [_suppressed_twice(x, channel, context) for x, context in stretches]


def _suppressed_twice(x: NDArray[np.float32], channel: int, context: Context) -> NDArray[np.float32]:
    """The mean of both windows."""
    out = np.zeros_like(x)
    for window_s, track in zip(WINDOWS_S, context.findings.tracks, strict=True):
        stft = stft_of(context.rate, window_s)
        X = stft.analyse(x)
        X *= _suppressed(X, stft, track, channel, context).gains
        out += stft.synthesise(X, len(x))
    out /= np.float32(len(WINDOWS_S))
    return out


def _neural(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    cleaned = _network(stretches, channel)
    return [_blended(x, clean, channel, context) for (x, context), clean in zip(stretches, cleaned, strict=True)]


def _blended(x: NDArray[np.float32], clean: NDArray[np.float32], channel: int, context: Context) -> NDArray[np.float32]:
    """The network's result and the statistical one, each where it is the better."""
    both = _both(x, clean, channel, context)
    sure = (10.0 * np.log10(both.snr) - UNSURE_DB) * np.float32(1.0 / (SURE_DB - UNSURE_DB))
    share = np.float32(MOST_SHARE) * np.clip(sure, 0.0, 1.0) + np.float32(LEAST_SHARE)
    share *= both.dry
    return both.stft.synthesise(both.network + share * (both.statistical - both.network), len(x))


@dataclass(frozen=True)
class _Both:
    """Spectra (frames, bins) of the results of both engines. snr: of speech over noise around each bin; dry: 0 in a room to 1, (frames, 1)."""

    stft: Stft
    statistical: NDArray[np.complex64]
    network: NDArray[np.complex64]
    snr: NDArray[np.float32]
    dry: NDArray[np.float32]


def _both(x: NDArray[np.float32], clean: NDArray[np.float32], channel: int, context: Context) -> _Both:
    """What the statistical engine makes of x, beside what the network did."""
    stft = stft_of(context.rate, BLEND_WINDOW_S)
    X, Y = stft.analyse(x), stft.analyse(clean)
    found = _suppressed(X, stft, context.findings.tracks[0], channel, context)
    X *= found.gains
    dry = dryness(power(X), power(Y), found.snr > 10.0 ** (NOT_NOISE_DB / 10.0), stft.hop / context.rate)[:, None]
    return _Both(stft, X, Y, found.snr, dry)


class RoomGivenBack:
    """What the neural engine left, with a share of what it took of a room; a source, for the treatment of the room."""

    def __init__(self, before: Source, after: Source, settings: DenoiseSettings, findings: Callable[[], NoiseFindings]) -> None:
        """before, after: what the engine was given, and what it left."""
        self._before, self._after, self._settings, self._findings = before, after, settings, findings
        self.rate, self.channels, self.frames = after.rate, after.channels, after.frames

    def read(self, start: int, stop: int) -> Samples:
        lead = round(STATISTICAL_LEAD_S * self.rate)
        x, y = (read_padded(source, start - lead, stop + lead) for source in (self._before, self._after))
        context = Context(start - lead, self.frames, self.rate, self._settings, self._findings())
        for channel in range(self.channels):
            y[channel] += _taken_of_room(x[channel], y[channel], channel, context)
        return np.ascontiguousarray(y[:, lead : y.shape[1] - lead])


def _taken_of_room(x: NDArray[np.float32], y: NDArray[np.float32], channel: int, context: Context) -> NDArray[np.float32]:
    """ROOM_SHARE of what the statistical engine would have left of x and the neural one, which left y, did not; nothing where the voice is dry."""
    both = _both(x, y, channel, context)
    return both.stft.synthesise(np.float32(ROOM_SHARE) * (1.0 - both.dry) * (both.statistical - both.network), len(x))


def dryness(
    statistical: NDArray[np.float32], network: NDArray[np.float32], is_no_noise: NDArray[np.bool_], hop_s: float
) -> NDArray[np.float32]:
    """1 where the network keeps what stands above the noise, 0 where it takes it for a room's echo, for every frame. Powers: (frames, bins)."""
    size = max(round(AROUND_S / hop_s), 1)
    # A running sum, which rounding takes a little below zero in a silence behind loud frames.
    sums = [
        np.maximum(scipy.ndimage.uniform_filter1d((P * is_no_noise).sum(axis=1, dtype=np.float64), size, mode="constant"), 0.0)
        for P in (network, statistical)
    ]
    kept_db = 10.0 * np.log10((sums[0] + 1e-12) / (sums[1] + 1e-12))
    out: NDArray[np.float32] = np.clip((kept_db - RINGING_DB) / (DRY_DB - RINGING_DB), 0.0, 1.0).astype(np.float32)
    return out


def _running_means(source: Source, task: Task) -> tuple[tuple[deep_filter.Means, ...], ...]:
    """The features' running means at every second, so that a stretch goes on where the one before would have been."""
    hops = deep_filter.RATE // deep_filter.HOP
    means = [[deep_filter.start_means()] for _ in range(source.channels)]
    overlap = round(source.rate * deep_filter.HOP / deep_filter.RATE)
    for start in range(0, source.frames - source.rate, source.rate):
        task.step(start / max(source.frames, 1))
        x = read_padded(source, start - overlap, start + source.rate)
        for channel in range(source.channels):
            y = _resampled(x[channel], source.rate, deep_filter.RATE)
            # Frame 1 of the stretch begins at its first sample, as frame 0 of the second itself does.
            X = deep_filter.analyse(y)[1 : hops + 1]
            means[channel].append(deep_filter.features(X, means[channel][-1])[2])
    return tuple(tuple(m) for m in means)


def _network(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    """What the network leaves out is taken from x; so sound above its 24 kHz stays, and alignment is exact."""
    out: list[NDArray[np.float32]] = [x for x, _ in stretches]
    # Stretches of one length go side by side; at both ends of a recording they are shorter.
    lengths: dict[int, list[int]] = {}
    heard = [_resampled(x[_before(context) :], context.rate, deep_filter.RATE) for x, context in stretches]
    for k, y in enumerate(heard):
        lengths.setdefault(len(y), []).append(k)
    for numbers in lengths.values():
        group = [(heard[k], stretches[k][1]) for k in numbers]
        for k, clean in zip(numbers, _enhanced(group, channel), strict=True):
            x, context = stretches[k]
            removed = _resampled(heard[k] - clean, deep_filter.RATE, context.rate)
            skip = _before(context)
            count = min(len(removed), len(x) - skip)
            out[k] = x.copy()
            out[k][skip : skip + count] -= removed[:count]
    return out


def _before(context: Context) -> int:
    """Frames of a stretch that lie before the recording: there is nothing to settle on."""
    return max(-context.start_frame, 0)


def _enhanced(heard: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    """What the network makes of stretches of one length at its own rate; of two passes the mean."""
    network, first = deep_filter.deep_filter(), heard[0][1]
    shifts = (0, deep_filter.HOP // 2) if first.settings.finest else (0,)
    out = [np.zeros_like(y) for y, _ in heard]
    with network.room:
        for shift in shifts:
            moved = [np.pad(y, (shift, 0)) for y, _ in heard]
            spectra = [(deep_filter.analyse(y), _means_at(context, channel)) for y, (_, context) in zip(moved, heard, strict=True)]
            for clean, Y, y in zip(out, network.enhance(spectra), moved, strict=True):
                clean += deep_filter.synthesise(Y, len(y))[shift:]
            del spectra
    give_back()
    return [clean / np.float32(len(shifts)) for clean in out]


def _means_at(context: Context, channel: int) -> deep_filter.Means:
    known: tuple[deep_filter.Means, ...] = context.findings.means[channel]
    return known[min(max(context.start_frame, 0) // context.rate, len(known) - 1)]


def _resampled(x: NDArray[np.float32], rate: int, to_rate: int) -> NDArray[np.float32]:
    if rate == to_rate:
        return x
    return np.asarray(soxr.resample(x, rate, to_rate, quality="HQ"), np.float32)
