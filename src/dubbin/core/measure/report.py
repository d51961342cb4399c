"""All that is measured about one recording, and the treatments that it asks for."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.measure.bandwidth import Bandwidth, BandwidthMeter
from dubbin.core.measure.channels import ChannelMeter, Channels
from dubbin.core.measure.clicks import Clicks, find_clicks
from dubbin.core.measure.clipping import Clipping, ClippingMeter
from dubbin.core.measure.dropouts import DropoutMeter, Dropouts
from dubbin.core.measure.echo import Echo, measure_echo
from dubbin.core.measure.findings import Finding, findings
from dubbin.core.measure.hum import Hum, describe_hum, find_hum
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.measure.noise import Noise, NoiseMeter
from dubbin.core.measure.plosives import PlosiveMeter, Plosives
from dubbin.core.measure.saturation import Saturation, find_saturation
from dubbin.core.measure.tone_balance import ToneBalance, ToneBalanceMeter
from dubbin.core.sound.source import Samples, Source, blocks

TREATED = ("declip", "declick", "dehum", "derumble", "denoise", "dereverb")


class Meter(Protocol):
    """What looks at a recording block by block."""

    def push(self, x: Samples) -> None: ...


@dataclass(frozen=True)
class Suggestion:
    """A treatment that would answer a finding: its name, strength (0 to 100) and the reason, for people."""

    treatment: str
    strength: int
    because: str


@dataclass(frozen=True)
class RecordingReport:
    """Figures of a whole recording; None where they could not be measured."""

    rate: int
    channels: int
    duration_s: float
    loudness: Loudness
    noise: Noise
    clipping: Clipping
    hum: Hum
    clicks: Clicks
    echo: Echo
    tone: ToneBalance
    dc_offset: float
    saturation: Saturation
    plosives: Plosives
    dropouts: Dropouts
    channel_faults: Channels
    bandwidth: Bandwidth

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        return findings(self)

    @property
    def suggested(self) -> tuple[Suggestion, ...]:
        """The treatments that the findings ask for, in the order in which they are applied."""
        asked = [f for f in self.findings if f.treatment is not None]
        found = {f.treatment: Suggestion(f.treatment, f.strength, f.text) for f in reversed(asked) if f.treatment}
        return tuple(found[name] for name in TREATED if name in found)


def measure_recording(source: Source, task: Task | None = None) -> RecordingReport:
    """Measure a source: one streamed pass for the levels, then one each for hum, clicks and echo."""
    task = task or Task()
    loudness = LoudnessMeter(source.rate, source.channels)
    noise = NoiseMeter(source.rate, source.channels)
    clipping = ClippingMeter(source.rate, source.channels)
    tone = ToneBalanceMeter(source.rate, source.channels)
    plosives, dropouts = PlosiveMeter(source.rate), DropoutMeter(source.rate, source.channels)
    channels, bandwidth = ChannelMeter(source.channels), BandwidthMeter(source.rate, source.channels)
    meters: tuple[Meter, ...] = (loudness, noise, clipping, tone, plosives, dropouts, channels, bandwidth)
    total = np.zeros(source.channels)
    part = task.part(0.0, 0.3)
    for start, x in blocks(source):
        part.step(start / max(source.frames, 1))
        for meter in meters:
            meter.push(x)
        total += x.sum(axis=1, dtype=np.float64)
    mean = total / max(source.frames, 1)
    clipped = clipping.result()
    bent = Saturation((None,) * source.channels)
    if clipped.count == 0:  # a hard ceiling leaves nothing to be bent
        bent = find_saturation(source, task.part(0.85, 0.9))
    return RecordingReport(
        source.rate,
        source.channels,
        source.frames / source.rate,
        loudness.result(),
        noise.result(),
        clipped,
        describe_hum(find_hum(source, task.part(0.3, 0.6))),
        find_clicks(source, task=task.part(0.6, 0.85)),
        measure_echo(source, task.part(0.9, 1.0)),
        tone.result(),
        float(mean[np.argmax(np.abs(mean))]) if source.channels else 0.0,
        bent,
        plosives.result(),
        dropouts.result(),
        channels.result(),
        bandwidth.result(),
    )
