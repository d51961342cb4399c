"""How the MP3 and AAC encoders search, against how close what comes out is to the voice and how fast it comes."""

from __future__ import annotations

import tempfile
import time
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import degraded
import numpy as np
import soundfile as sf
import soxr
from scores import RATE, Mono, pesq

from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import M4A, MP3, Format
from dubbin.core.sound.reading import decode, probe
from dubbin.core.sound.source import Sound

Row = tuple[str, str]
# Name of a row, format, option and its values.
ENCODERS: tuple[tuple[str, Format, str, tuple[str, ...]], ...] = (
    ("MP3, search", MP3, "compression_level", ("2", "5", "6", "7")),
    ("AAC, coder", M4A, "aac_coder", ("twoloop", "fast")),
)
KBPS = (96, 64, 48)  # mono
FILE_RATE, WINDOW, LONGEST_S, PEAK = 44100, 1024, 30, 0.7
EDGES_HZ = (100, 500, 1000, 2000, 4000, 6000, 8000, 12000, 16000)


def rows(voices: Path | None = None) -> list[Row]:
    """Mean over the demo's voices and those of a folder. voices: recordings of real people; None: the demo alone."""
    clips = [c.sound for c in degraded.clips(per_voice=1)]
    for path in sorted(voices.glob("*.flac")) if voices is not None else ():
        x, rate = sf.read(path, dtype="float32")
        clips.append(soxr.resample(x, rate, RATE)[: LONGEST_S * RATE])
    clips = [(x * (PEAK / np.max(np.abs(x)))).astype(np.float32) for x in clips]
    out = []
    for kbps in KBPS:
        for name, format, option, values in ENCODERS:
            for value in values:
                done = [_coded(x, kbps, replace(format, options={option: value})) for x in clips]
                speed = sum(len(x) for x in clips) / RATE / sum(seconds for _, seconds in done)
                score = np.mean([pesq(x[: len(y)], y[: len(x)]) for x, (y, _) in zip(clips, done, strict=True)])
                apart = np.mean([_spectra_apart(x, y) for x, (y, _) in zip(clips, done, strict=True)])
                figure = f"PESQ {score:.3f}, spectra {apart:.2f} dB apart, {speed:.0f} x real time"
                out.append((f"{name} {value}, {kbps} kbit/s mono, {len(clips)} voices", figure))
    return out


def _coded(x: Mono, kbps: int, format: Format) -> tuple[Mono, float]:
    """A clip encoded and decoded again at RATE, and the seconds of encoding."""
    sound = Sound(soxr.resample(x, RATE, FILE_RATE).astype(np.float32)[None], FILE_RATE)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"clip{format.suffix}"
        started = time.perf_counter()
        encode(sound, path, format, bits=16, kbps=kbps)
        seconds = time.perf_counter() - started
        y = np.concatenate(list(decode(path, probe(path))), axis=1)[0]
    return soxr.resample(y, FILE_RATE, RATE).astype(np.float32), seconds


def _spectra_apart(x: Mono, y: Mono) -> float:
    """Mean difference of the levels in bands, in dB, where something is said."""
    count = min(len(x), len(y)) // WINDOW * WINDOW
    edges = [round(hz * WINDOW / RATE) for hz in EDGES_HZ]
    power = [np.abs(np.fft.rfft(z[:count].reshape(-1, WINDOW) * np.hanning(WINDOW), axis=1)) ** 2 for z in (x, y)]
    a, b = (np.stack([p[:, low:high].mean(axis=1) for low, high in pairwise(edges)], axis=1) for p in power)
    loud = a.sum(axis=1) > a.sum(axis=1).max() * 1e-4
    return float(np.mean(np.abs(10 * np.log10(a[loud] + 1e-12) - 10 * np.log10(b[loud] + 1e-12))))
