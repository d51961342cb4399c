"""Denoise: background noise is taken down between and under the words.

Two engines. The statistical one follows the spectrum of the noise, or learns it from a selection that holds noise alone, and
weighs every bin by how likely it is speech: transparent, for noise that stays much the same. It does so twice, with windows
too short to blur a consonant and long enough to part the partials of a vowel, and takes the mean of both: where one errs the
other seldom does the same. The neural one knows what voices sound like: it takes away changing noise too (a kitchen, a
street), at the price of deciding what a voice is. Where speech stands far above the noise, and a little everywhere, its
result is blended with that of the statistical gain, which is closer to the voice there. It begins every stretch as if it had just heard the voice (`neural_engine`).

Figures (docs/benchmarks.md): on eight real voices the blend gains 0.07, 0.09 and 0.19 of PESQ over the network alone at 5, 15 and 25 dB, and loses
0.02 of DNSMOS, which hears what it keeps of the voice's own surroundings; in a room it is the network's result. Two windows gain 0.02 over one, FINEST (the mean of two passes, one of them moved by half a hop) another 0.02 for twice the time.
Limits: below about 5 dB of SNR the voice gets thin; the neural engine takes music away with the noise.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.errors import BadSettings
from dubbin.core.figures import number, short_number
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import mark, tr
from dubbin.core.treat import deep_filter
from dubbin.core.treat.engine_blend import BLEND_WINDOW_S, RoomGivenBack, blended
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.neural_engine import Mono, Start, cleaned_by_network, starts_of
from dubbin.core.treat.noise_track import NoiseTrack, narrowed, profile_track, track_noise
from dubbin.core.treat.settings import choice, setting, span, switch
from dubbin.core.treat.statistical_engine import LEAD_S, WINDOWS_S, stft_of, suppressed_twice
from dubbin.core.treat.stft import Stft
from dubbin.core.treat.tiles import Tiles
from dubbin.core.treat.treatment import Context, Treatment

NEURAL_TILE_S = 16.0  # of shorter ones the lead-in is a larger share; longer ones keep somebody waiting who listens into the middle


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


@dataclass(frozen=True)
class NoiseFindings:
    """tracks: the noise for each window of the engine. starts: for the neural engine, what the network begins with, for each channel."""

    tracks: tuple[NoiseTrack, ...]
    starts: tuple[Start, ...] = ()


class Denoise(Treatment):
    """Background noise taken down."""

    name: ClassVar[str] = "denoise"
    title: ClassVar[str] = tr("Noise")
    settings_type: ClassVar[type] = DenoiseSettings
    figures: ClassVar[tuple[Figure, ...]] = (
        Figure("floor_dbfs", tr("noise floor"), "dBFS", 1, lambda r: r.noise.floor_dbfs, is_at_most=lambda r: r.noise.at_most),
        Figure("snr_db", tr("speech over noise"), "dB", 1, lambda r: r.noise.snr_db),
    )
    tile_s: ClassVar[float] = 15.0
    lead_s: ClassVar[float] = LEAD_S  # the network has heard the voice: four seconds are no better
    tail_s: ClassVar[float] = 0.1
    takes_rooms: ClassVar[bool] = True
    takes_noises: ClassVar[bool] = True

    def spans_s(self, settings: DenoiseSettings) -> tuple[float, float, float]:
        """Tile, lead-in and tail in seconds; the network's tiles are longer."""
        if settings.engine is Engine.NEURAL:
            return NEURAL_TILE_S, self.lead_s, self.tail_s
        return super().spans_s(settings)

    def side_by_side(self, settings: DenoiseSettings) -> int:
        """As many stretches as the network reads its weights once for."""
        return deep_filter.SIDE_BY_SIDE if settings.engine is Engine.NEURAL else 1

    def analyse(self, source: Source, settings: DenoiseSettings, task: Task) -> NoiseFindings:
        """The noise for each window, followed or learnt; for the network what it begins with. Raises BadSettings: the stretch to learn from is too short."""
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
        return NoiseFindings(tuple(tracks), starts_of(source, task.part(0.6, 1.0)) if neural else ())

    def with_room(
        self, before: Source, after: Source, settings: DenoiseSettings, findings: Callable[[], NoiseFindings], tiles: Callable[[], Tiles]
    ) -> Source:
        """Behind the neural engine, which takes rooms along, a share of what it took of them."""
        return RoomGivenBack(before, after, settings, findings, tiles) if settings.engine is Engine.NEURAL else after

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with the noise taken down, each channel by itself."""
        return self.process_all([(x, context)])[0]

    def process_all(self, stretches: Sequence[tuple[Samples, Context]]) -> list[Samples]:
        """Several stretches, each as `process` would have it; the network hears them side by side."""
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


def _statistical(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    return [suppressed_twice(x, channel, context) for x, context in stretches]


def _neural(stretches: Sequence[Mono], channel: int) -> list[NDArray[np.float32]]:
    cleaned = cleaned_by_network(stretches, channel)
    return [blended(x, clean, channel, context) for (x, context), clean in zip(stretches, cleaned, strict=True)]
