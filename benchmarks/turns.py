"""Voices that speak in turns, with long pauses between them, as one microphone of several hears them: what is left of the first words of each turn."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from degraded import noise_of, speech_rms, with_floor
from scores import RATE, Mono, pesq, si_sdr

LENGTH_S, PAUSE_S, TURN_S, GAP_S, LONGEST_S = 70.0, (3.0, 25.0), (2.0, 8.0), 0.25, 12.0
FIRST_S = 2.0
Method = Callable[[Mono], Mono]
Row = tuple[str, str, str, str]


@dataclass(frozen=True)
class Talk:
    """sound: of one voice; turns: (first sample, last) of each."""

    sound: Mono
    turns: tuple[tuple[int, int], ...]


def talks(folder: Path) -> list[Talk]:
    """One of each voice of a folder with its utterances.json."""
    known, out = json.loads((folder / "utterances.json").read_text()), []
    for k, path in enumerate(sorted(folder.glob("*.flac"))):
        x, rate = sf.read(path, dtype="float32")
        x = soxr.resample(x, rate, RATE)
        utterances = [x[round(a * RATE) : round(b * RATE)] for a, b in known[path.stem]["utterances"] if b - a < LONGEST_S]
        out.append(_in_turns(utterances, np.random.default_rng(k)))
    return out


def _in_turns(utterances: list[Mono], rng: np.random.Generator) -> Talk:
    parts: list[Mono] = []
    turns, at, said = [], 0, 0
    while at < LENGTH_S * RATE:
        parts.append(np.zeros(round(rng.uniform(*PAUSE_S) * RATE), np.float32))
        at += len(parts[-1])
        begun, wanted = at, rng.uniform(*TURN_S) * RATE
        while at - begun < wanted:
            parts += [utterances[said % len(utterances)], np.zeros(round(GAP_S * RATE), np.float32)]
            at += len(parts[-2]) + len(parts[-1])
            said += 1
        turns.append((begun, at))
    x = np.concatenate(parts)
    return Talk(with_floor(x), tuple(turns))


def rows(folder: Path, methods: dict[str, Method], snrs_db: tuple[float, ...] = (15.0, 25.0)) -> list[Row]:
    """(fault, method, before, after), each figure a mean over all turns and the worst of them."""
    found, out = talks(folder), list[Row]()
    for snr_db in snrs_db:
        noisy = [
            (t.sound + noise_of(k % 3, len(t.sound), k) * speech_rms(t.sound) * 10 ** (-snr_db / 20)).astype(np.float32)
            for k, t in enumerate(found)
        ]
        before = _figures(found, noisy)
        for name, run in methods.items():
            out.append(
                (f"turns between pauses of 3 to 25 s, noise at {snr_db:.0f} dB", name, before, _figures(found, [run(x) for x in noisy]))
            )
            print(*out[-1], flush=True)
    return out


def _figures(found: list[Talk], results: list[Mono]) -> str:
    first, whole, quality = [], [], []
    for talk, y in zip(found, results, strict=True):
        for a, b in talk.turns:
            end = min(a + round(FIRST_S * RATE), b)
            first.append(si_sdr(talk.sound[a:end], y[a:end]))
            whole.append(si_sdr(talk.sound[a:b], y[a:b]))
            quality.append(pesq(talk.sound[a:b], y[a:b]))
    return (
        f"PESQ of turns {np.mean(quality):.2f} ({np.min(quality):.2f}), SI-SDR {np.mean(whole):.1f} ({np.min(whole):.1f}), "
        f"of their first {FIRST_S:.0f} s {np.mean(first):.1f} ({np.min(first):.1f})"
    )
