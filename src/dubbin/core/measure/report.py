"""All that is measured about one recording, and the treatments that it asks for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.measure.clicks import Clicks, find_clicks
from dubbin.core.measure.clipping import Clipping, ClippingMeter
from dubbin.core.measure.echo import Echo, measure_echo
from dubbin.core.measure.hum import Hum, describe_hum, find_hum
from dubbin.core.measure.loudness import Loudness, LoudnessMeter
from dubbin.core.measure.noise import Noise, NoiseMeter
from dubbin.core.measure.tone_balance import ToneBalance, ToneBalanceMeter
from dubbin.core.sound.source import Source, blocks


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

    @property
    def suggested(self) -> tuple[Suggestion, ...]:
        return suggest(self)


def measure_recording(source: Source, task: Task | None = None) -> RecordingReport:
    """Measure a source: one streamed pass for the levels, then one each for hum, clicks and echo."""
    task = task or Task()
    loudness = LoudnessMeter(source.rate, source.channels)
    noise = NoiseMeter(source.rate, source.channels)
    clipping = ClippingMeter(source.rate, source.channels)
    tone = ToneBalanceMeter(source.rate, source.channels)
    total = np.zeros(source.channels)
    part = task.part(0.0, 0.3)
    for start, x in blocks(source):
        part.step(start / max(source.frames, 1))
        loudness.push(x)
        noise.push(x)
        clipping.push(x)
        tone.push(x)
        total += x.sum(axis=1, dtype=np.float64)
    mean = total / max(source.frames, 1)
    return RecordingReport(
        source.rate,
        source.channels,
        source.frames / source.rate,
        loudness.result(),
        noise.result(),
        clipping.result(),
        describe_hum(find_hum(source, task.part(0.3, 0.6))),
        find_clicks(source, task=task.part(0.6, 0.9)),
        measure_echo(source, task.part(0.9, 1.0)),
        tone.result(),
        float(mean[np.argmax(np.abs(mean))]) if source.channels else 0.0,
    )


# What nobody minds: below these figures no treatment is suggested.
CLEAN_FLOOR_DB, CLEAN_SNR_DB = -72.0, 52.0
CLEAN_RUMBLE_DB = -56.0
DRY_RT60_S = 0.28
CLICKS_A_MINUTE, FEWEST_CLICKS = 12.0, 8
FEWEST_CLIPPED = 3


def suggest(report: RecordingReport) -> tuple[Suggestion, ...]:
    """The treatments that the figures ask for, in the order in which they are applied."""
    out: list[Suggestion] = []
    noise, hum = report.noise, report.hum
    if report.clipping.count >= FEWEST_CLIPPED:
        out.append(Suggestion("declip", 100, f"clipped at {report.clipping.count} places"))
    a_minute = report.clicks.count / max(report.duration_s / 60.0, 1e-3)
    if report.clicks.count >= FEWEST_CLICKS and a_minute >= CLICKS_A_MINUTE:
        out.append(Suggestion("declick", 100, f"{report.clicks.count} clicks, {a_minute:.0f} a minute"))
    if hum.present and hum.fundamental_hz is not None:
        because = (
            f"mains hum at {hum.fundamental_hz:.2f} Hz and {hum.harmonics - 1} harmonics, {hum.level_dbfs:.1f} dBFS"
        )
        out.append(Suggestion("dehum", 100, because))
    rumble = report.tone.rumble_dbfs
    if rumble is not None and rumble > CLEAN_RUMBLE_DB and not hum.present:
        out.append(Suggestion("derumble", 100, f"{rumble:.1f} dBFS below 65 Hz"))
    floor, snr = noise.floor_dbfs, noise.snr_db
    if floor is not None and snr is not None and floor > CLEAN_FLOOR_DB and snr < CLEAN_SNR_DB:
        strength = int(np.clip(round(100 - (snr - 20.0) * 0.8), 70, 100))
        out.append(Suggestion("denoise", strength, f"noise floor {floor:.1f} dBFS, speech {snr:.0f} dB above it"))
    rt60 = report.echo.rt60_s
    if rt60 is not None and rt60 > DRY_RT60_S:
        strength = int(np.clip(round(60 + (rt60 - 0.25) * 200), 60, 100))
        out.append(Suggestion("dereverb", strength, f"the room rings for {rt60:.2f} s (RT60)"))
    return tuple(out)
