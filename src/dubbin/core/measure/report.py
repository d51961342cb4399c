"""All that is known about one recording: figures and findings, as plain data."""

from __future__ import annotations

from dataclasses import dataclass, field

from dubbin.core.measure.bandwidth import Bandwidth
from dubbin.core.measure.channels import Channels
from dubbin.core.measure.clicks import Clicks
from dubbin.core.measure.clipping import Clipping
from dubbin.core.measure.dropouts import Dropouts
from dubbin.core.measure.echo import Echo
from dubbin.core.measure.finding import ASKED_FOR, Finding, Suggestion
from dubbin.core.measure.hum import Hum
from dubbin.core.measure.loudness import Loudness
from dubbin.core.measure.noise import Noise
from dubbin.core.measure.passing_noises import PassingNoises
from dubbin.core.measure.plosives import Plosives
from dubbin.core.measure.saturation import Saturation
from dubbin.core.measure.tone_balance import ToneBalance
from dubbin.core.measure.tones import Tones
from dubbin.core.sound.level import power_to_db


@dataclass(frozen=True)
class RecordingReport:
    """Figures of a whole recording; None where they could not be measured. findings: what they mean, those that a treatment answers first, in the order
    in which treatments are applied."""

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
    tones: Tones = field(default_factory=Tones)
    passing: PassingNoises = field(default_factory=PassingNoises)
    findings: tuple[Finding, ...] = ()

    @property
    def steady_dbfs(self) -> float | None:
        """Level of mains hum and all other steady tones together; None where there are none."""
        levels = [level for level in (self.hum.level_dbfs, self.tones.level_dbfs) if level is not None]
        return power_to_db(sum(10.0 ** (level / 10.0) for level in levels)) if levels else None

    @property
    def suggested(self) -> tuple[Suggestion, ...]:
        """The treatments that the findings ask for, in the order in which they are applied; of each the first that asks."""
        asked = [f for f in self.findings if f.treatment is not None]
        found = {f.treatment: Suggestion(f.treatment, f.strength, f.text) for f in reversed(asked) if f.treatment}
        return tuple(found[name] for name in ASKED_FOR if name in found)
