"""EQ: the voice's tone, by a high-pass, two shelves, four bells and a notch.

The curve is that of the analogue filters, exactly, up to half the sampling rate: filters made by the bilinear transform are squeezed there. It is
applied with zero phase, by a long symmetric impulse response, so that a strength in between is a curve in between and nothing is shifted in time.

Source: curves of Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients" (its analogue prototypes); design by frequency sampling, Oppenheim and
Schafer, "Discrete-time signal processing", 7.5. Limits: 0.05 dB from 25 Hz up; a narrow notch rings before a sound as long as after it, 40 dB under it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment

LENGTH_S = 0.68  # of the impulse response
OFF_HZ = 20.0  # a high-pass down here is none
BELLS = (1, 2, 3, 4)


def _hz(default: float, label: str, low: float = 30.0, high: float = 16000.0) -> float:
    return setting(default, low, high, tr("Hz"), tr("{label} at").format(label=label), tr("Where it works."))  # type: ignore[no-any-return]


def _db(label: str, low: float = -18.0, high: float = 18.0) -> float:
    return setting(0.0, low, high, "dB", label, tr("Louder or softer there; 0: as it is."))  # type: ignore[no-any-return]


def _q(default: float, label: str) -> float:
    return setting(default, 0.2, 12.0, "", f"{label} Q", tr("Narrower with a higher figure: middle over width."))  # type: ignore[no-any-return]


@dataclass(frozen=True)
class EqSettings:
    """Figures of all filters; gains of 0 dB do nothing."""

    high_pass_hz: float = setting(
        OFF_HZ, OFF_HZ, 400.0, tr("Hz"), tr("High-pass"), tr("What lies below goes down by 12 dB an octave; 20 Hz: off.")
    )
    low_shelf_hz: float = _hz(140.0, tr("Low shelf"), high=1000.0)
    low_shelf_db: float = _db(tr("Low shelf"))
    bell1_hz: float = _hz(250.0, tr("Bell 1"))
    bell1_db: float = _db(tr("Bell 1"))
    bell1_q: float = _q(1.0, tr("Bell 1"))
    bell2_hz: float = _hz(700.0, tr("Bell 2"))
    bell2_db: float = _db(tr("Bell 2"))
    bell2_q: float = _q(1.0, tr("Bell 2"))
    bell3_hz: float = _hz(2500.0, tr("Bell 3"))
    bell3_db: float = _db(tr("Bell 3"))
    bell3_q: float = _q(1.0, tr("Bell 3"))
    bell4_hz: float = _hz(5000.0, tr("Bell 4"))
    bell4_db: float = _db(tr("Bell 4"))
    bell4_q: float = _q(1.0, tr("Bell 4"))
    high_shelf_hz: float = _hz(9000.0, tr("High shelf"), low=1000.0)
    high_shelf_db: float = _db(tr("High shelf"))
    notch_hz: float = _hz(1000.0, tr("Notch"))
    notch_db: float = _db(tr("Notch"), low=-60.0, high=0.0)


NOTCH_Q = 30.0


def bell_db(f: NDArray[np.float64], hz: float, db: float, q: float) -> NDArray[np.float64]:
    """H(s) = (s² + s A/Q + 1) / (s² + s/(A Q) + 1), in dB at frequencies f."""
    w = f / hz
    a = 10.0 ** (db / 40.0)
    out: NDArray[np.float64] = 10.0 * np.log10(((1 - w**2) ** 2 + (a * w / q) ** 2) / ((1 - w**2) ** 2 + (w / (a * q)) ** 2) + 1e-30)
    return out


def shelf_db(f: NDArray[np.float64], hz: float, db: float, *, high: bool) -> NDArray[np.float64]:
    """Second order, as steep as can be without a bump (Q = 1/√2), in dB at frequencies f."""
    w = f / hz if not high else hz / np.maximum(f, 1e-9)
    a = 10.0 ** (db / 40.0)
    side = np.sqrt(2.0 * a)
    top = (a - w**2) ** 2 + (side * w) ** 2
    bottom = (1 - a * w**2) ** 2 + (side * w) ** 2
    out: NDArray[np.float64] = 20.0 * np.log10(a) + 10.0 * np.log10(top / bottom)
    return out


def high_pass_db(f: NDArray[np.float64], hz: float) -> NDArray[np.float64]:
    """Butterworth of second order, in dB at frequencies f."""
    w = np.maximum(f, 1e-6) / hz
    return -10.0 * np.log10(1.0 + w**-4.0)


def response_db(settings: EqSettings, f: NDArray[np.float64]) -> NDArray[np.float64]:
    """The whole curve in dB at frequencies f in Hz."""
    f = np.asarray(f, np.float64)
    out = np.zeros_like(f)
    if settings.high_pass_hz > OFF_HZ:
        out += high_pass_db(f, settings.high_pass_hz)
    if settings.low_shelf_db:
        out += shelf_db(f, settings.low_shelf_hz, settings.low_shelf_db, high=False)
    for k in BELLS:
        gain = getattr(settings, f"bell{k}_db")
        if gain:
            out += bell_db(f, getattr(settings, f"bell{k}_hz"), gain, getattr(settings, f"bell{k}_q"))
    if settings.high_shelf_db:
        out += shelf_db(f, settings.high_shelf_hz, settings.high_shelf_db, high=True)
    if settings.notch_db:
        out += bell_db(f, settings.notch_hz, settings.notch_db, NOTCH_Q)
    return out


@lru_cache(maxsize=16)
def impulse_response(settings: EqSettings, rate: int) -> NDArray[np.float32]:
    """(n,), n odd, symmetric: the middle is the present."""
    half = 1 << int(np.ceil(np.log2(LENGTH_S * rate / 2)))
    size = 4 * half
    f = np.arange(size // 2 + 1) * rate / size
    gain = 10.0 ** (np.maximum(response_db(settings, f), -140.0) / 20.0)
    h = np.fft.irfft(gain, size)
    h = np.concatenate([h[-half:], h[: half + 1]])
    edge = half // 4
    taper = np.ones(len(h))
    taper[:edge] = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / edge)
    taper[-edge:] = taper[:edge][::-1]
    return (h * taper).astype(np.float32)


class Equalise(Treatment):
    """The tone of a voice, by a filter of linear phase."""

    name: ClassVar[str] = "equalise"
    title: ClassVar[str] = "EQ"
    settings_type: ClassVar[type] = EqSettings
    tile_s: ClassVar[float] = 20.0
    lead_s: ClassVar[float] = 1.1  # more than half of the longest impulse response
    tail_s: ClassVar[float] = 1.1

    def analyse(self, source: Source, settings: EqSettings, task: Task) -> bool:
        """Whether the curve is flat."""
        return settings.high_pass_hz <= OFF_HZ and not any(
            getattr(settings, name) for name in EqSettings.__dataclass_fields__ if name.endswith("_db")
        )

    def is_idle(self, findings: bool) -> bool:
        """Whether the curve is flat."""
        return findings

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) through the curve of the settings; its phase stays."""
        if context.findings:
            return x.copy()
        h = impulse_response(context.settings, context.rate)
        return np.stack([fourier.convolved(channel, h) for channel in x])
