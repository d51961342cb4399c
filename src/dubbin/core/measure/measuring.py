"""Measures one recording: everything that is known about it, in one streamed pass and a few beside it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task, side_by_side
from dubbin.core.measure.bandwidth import BandwidthMeter
from dubbin.core.measure.channels import ChannelMeter
from dubbin.core.measure.clicks import find_clicks
from dubbin.core.measure.clipping import ClippingMeter
from dubbin.core.measure.dropouts import DropoutMeter
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.findings import CLEAN_RUMBLE_DB, FEWEST_CLIPPED, find_findings
from dubbin.core.measure.gated import is_gated, tells_floor
from dubbin.core.measure.hiss import find_hiss
from dubbin.core.measure.hum import describe_hum
from dubbin.core.measure.loudness import LoudnessMeter
from dubbin.core.measure.noise import Noise, NoiseMeter, noise_from_powers, quiet_frames
from dubbin.core.measure.passing_noises import find_passing_noises
from dubbin.core.measure.plosives import PlosiveMeter
from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.saturation import Saturation, find_saturation
from dubbin.core.measure.steady_sound import SteadySound, find_steady_sound
from dubbin.core.measure.tone_balance import ToneBalanceMeter
from dubbin.core.measure.tones import describe_tones
from dubbin.core.sound.source import Samples, Source, blocks


class Meter(Protocol):
    """What looks at a recording block by block."""

    def push(self, x: Samples) -> None:
        """Look at the next block (channels, frames)."""


def measure_treated(treated: Source, before: RecordingReport, task: Task | None = None) -> RecordingReport:
    """Measure what treatments made of a recording, to be compared with the report on the recording itself.

    What no treatment brings is not looked for where there was none of it: hum and tones, clicks, bent crests, passing noises. Drop-outs, faults of channels
    and the band are the recording's own, and none is mended by a treatment.
    """
    return _measured(treated, task or Task(), before)


def measure_recording(source: Source, task: Task | None = None) -> RecordingReport:
    """Measure a source: one streamed pass for the levels, and beside it one each for steady tones, clicks and echo."""
    return _measured(source, task or Task(), None)


def _measured(source: Source, task: Task, before: RecordingReport | None) -> RecordingReport:
    meters = _Meters(source, before)
    found: dict[str, Any] = {}

    def stream(part: Task) -> None:
        meters.stream(source, part.part(0.0, 0.8))
        found["clipping"] = clipped = meters.clipping.result()
        found["saturation"] = Saturation((None,) * source.channels)
        # A hard ceiling leaves nothing to be bent.
        if clipped.count == 0 and (before is None or before.clipping.count or before.saturation.times_s):
            found["saturation"] = find_saturation(source, part.part(0.8, 1.0))

    steady = SteadySound(None, None)

    def lasting(part: Task) -> None:
        nonlocal steady
        if before is None or before.steady_dbfs is not None:
            steady = find_steady_sound(source, part)
        found["hum"], found["tones"] = describe_hum(steady.hum), describe_tones(steady.tones)

    def clicks(part: Task) -> None:
        found["clicks"] = find_clicks(source, task=part, near=None if before is None else before.clicks)

    def echo(part: Task) -> None:
        found["echo"] = measure_echo(source, part)

    def passing(part: Task) -> None:
        if before is None or before.passing.are_many:
            found["passing"] = find_passing_noises(source, part, None if before is None else before.passing.least_dbfs)

    side_by_side((stream, lasting, clicks, echo, passing), task)
    if found["clipping"].count >= FEWEST_CLIPPED:
        found["clicks"] = found["clicks"].away_from(meters.clipping.runs())
    if before is not None:
        found["clicks"] = before.clicks.left_in(found["clicks"])
    tone = meters.tone.result()
    beside = steady.is_there or (tone.rumble_dbfs is not None and tone.rumble_dbfs > CLEAN_RUMBLE_DB)
    report = RecordingReport(
        source.rate,
        source.channels,
        source.frames / source.rate,
        meters.loudness.result(),
        _noise(source, meters.noise.frame_powers(), steady, beside=beside),
        tone=tone,
        dc_offset=meters.dc_offset,
        plosives=meters.plosives.result(),
        dropouts=before.dropouts if before is not None else meters.dropouts.result(),
        channel_faults=before.channel_faults if before is not None else meters.channels.result(),
        bandwidth=before.bandwidth if before is not None else meters.bandwidth.result(),
        **found,
    )
    return replace(report, findings=find_findings(report))


def _noise(source: Source, power: NDArray[np.float64], steady: SteadySound, *, beside: bool) -> Noise:
    """The noise of a recording. power: mean squares of its frames; beside: hum, tones or rumble are loud, and what is left of the floor without them is looked for too."""
    if is_gated(power) and not tells_floor(source, power):
        return Noise(None, None, gated=True)
    noise = noise_from_powers(power)
    return replace(noise, hiss_dbfs=find_hiss(source, quiet_frames(power), steady)) if beside else noise


class _Meters:
    """All that is measured in one streamed pass. before: of the recording, where a treated one is measured."""

    def __init__(self, source: Source, before: RecordingReport | None) -> None:
        rate, channels = source.rate, source.channels
        self.loudness = LoudnessMeter(rate, channels)
        self.noise = NoiseMeter(rate, channels)
        self.clipping = ClippingMeter(rate, channels)
        self.tone = ToneBalanceMeter(rate, channels)
        self.plosives, self.dropouts = PlosiveMeter(rate), DropoutMeter(rate, channels)
        self.channels, self.bandwidth = ChannelMeter(channels), BandwidthMeter(rate, channels)
        self._total = np.zeros(channels)
        self._frames = max(source.frames, 1)
        self._asked: tuple[Meter, ...] = (self.loudness, self.noise, self.clipping, self.tone, self.plosives)
        if before is None:
            self._asked += (self.dropouts, self.channels, self.bandwidth)

    def stream(self, source: Source, task: Task) -> None:
        """Hand a source to all meters, block by block."""
        for start, x in blocks(source):
            task.step(start / self._frames)
            for meter in self._asked:
                meter.push(x)
            self._total += x.sum(axis=1, dtype=np.float64)

    @property
    def dc_offset(self) -> float:
        """Mean of the channel that is off most."""
        mean = self._total / self._frames
        return float(mean[np.argmax(np.abs(mean))]) if len(mean) else 0.0
