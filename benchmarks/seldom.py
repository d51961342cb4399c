"""What is measured of a voice that is seldom heard: alone, and among others whose voices come across the room, for a quarter to a twenty-fifth of the time."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

import degraded
import numpy as np
import soundfile as sf
import soxr
from degraded import noise_of
from scipy import signal
from scores import RATE, Mono

from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from dubbin.demo.room import room_response

Row = tuple[str, str]
SHARES = (1.0, 0.25, 0.12, 0.04)
TURN_S, TURNS = 5, 8
ACROSS, FLOOR_DBFS = 0.08, -65.0  # how loud other voices come across, and the noise of the microphone
FAR = ((5.0, 4.0, 2.6), (1.2, 1.0, 1.3), (3.9, 3.0, 1.2))
FAR_RT60_S = 0.6


def rows(voices: Path | None = None) -> list[Row]:
    """Means over the demo's voices, or those of a folder, and the voice that is furthest from what it is alone."""
    clips = _clips(voices)
    found: dict[str, dict[float, list[float]]] = defaultdict(dict)
    for share in SHARES:
        for k, own in enumerate(clips):
            others = np.concatenate([clip for j, clip in enumerate(clips) if j != k])
            report = measure_recording(Sound(among(own, others, share, k)[None], RATE))
            minutes = TURN_S * TURNS / 60
            for name, value in (
                ("speech over noise, dB", report.noise.snr_db),
                ("room, s", report.echo.rt60_s),
                ("s-sounds over usual, dB", report.tone.sibilance_excess_db),
                ("plosives a minute of its own", report.plosives.count / minutes),
            ):
                found[name].setdefault(share, []).append(np.nan if value is None else value)
    return [
        (f"{name}, of {len(clips)} voices {_shown(share)}", _told(of[share], of[1.0])) for name, of in found.items() for share in SHARES
    ]


def among(own: Mono, others: Mono, share: float, seed: int) -> Mono:
    """A voice's turns at even distances, and between them others in the room; share: of the time that is its own."""
    frames, turn = round(TURNS * TURN_S * RATE / share), TURN_S * RATE
    across = signal.oaconvolve(others, room_response(RATE, FAR_RT60_S, *FAR, 3))[: len(others)]
    x = np.resize(across * (ACROSS * np.std(others) / np.std(across)), frames) * (share < 1.0)
    for k in range(TURNS):
        at = k * (frames // TURNS)
        x[at : at + turn] = own[k * turn : (k + 1) * turn]
    out: Mono = (x + noise_of(0, frames, seed) * 10 ** (FLOOR_DBFS / 20)).astype(np.float32)
    return out


def _clips(voices: Path | None) -> list[Mono]:
    least = TURNS * TURN_S * RATE
    if voices is None:
        joined: dict[str, list[Mono]] = defaultdict(list)
        for clip in degraded.clips():
            joined[clip.voice].append(clip.sound)
        return [np.resize(np.concatenate(parts), least) for parts in joined.values()]
    out = []
    for path in sorted(voices.glob("*.flac")):
        x, rate = sf.read(path, dtype="float32")
        out.append(np.resize(soxr.resample(x, rate, RATE), least))
    return out


def _shown(share: float) -> str:
    return "alone" if share == 1.0 else f"heard {share:.0%} of the time"


def _told(values: list[float], alone: list[float]) -> str:
    away = np.abs(np.array(values) - np.array(alone))
    worst = f", at most {np.nanmax(away):.2g} from alone" if np.any(away > 0) else ""
    return f"{np.nanmean(values):.3g}{worst}"
