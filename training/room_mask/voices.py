"""Clean speech to learn from: two Debian packages of recorded people, unpacked, and joined to talk with pauses.

    apt-get download tuxpaint-stamps-default asterisk-core-sounds-{fr,it,ru}-g722
    for f in *.deb; do dpkg -x "$f" FOLDER; done

The Italian and the Danish voice are kept for judging, and never learnt from.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import av
import numpy as np
import soxr

RATE = 48000
LEARNT = ("stamps-ca", "stamps-fr", "stamps-ro", "stamps-ru", "prompts-fr", "prompts-ru")
JUDGED = ("stamps-da", "prompts-it")
QUIET = 10 ** (-45 / 20)  # of the loudest 20 ms: trimmed at both ends


def files_of(folder: Path, voice: str) -> list[Path]:
    """The recordings of a voice."""
    package, language = voice.split("-")
    if package == "stamps":
        return sorted(folder.rglob(f"*_{language}.ogg"))
    return sorted(
        p for p in folder.rglob("*.g722") if p.relative_to(folder).parts[-2:][0].startswith(language) or f"/{language}_" in str(p)
    )


@lru_cache(maxsize=4000)
def read(path: Path) -> np.ndarray:
    """Mono sound at RATE, trimmed; empty where there is none."""
    with av.open(str(path), format="g722" if path.suffix == ".g722" else None) as file:
        stream = file.streams.audio[0]
        rate = stream.rate
        mono = av.AudioResampler("flt", "mono", rate)
        parts = [frame.to_ndarray()[0] for packet in file.decode(stream) for frame in mono.resample(packet)]
    x = np.concatenate(parts).astype(np.float32) if parts else np.zeros(0, np.float32)
    x = soxr.resample(x, rate, RATE) if rate != RATE else x
    hops = len(x) // 960
    if hops < 10:
        return np.zeros(0, np.float32)
    loud = np.sqrt(np.mean(x[: hops * 960].reshape(hops, 960) ** 2, axis=1))
    where = np.flatnonzero(loud > loud.max() * QUIET)
    return x[where[0] * 960 : (where[-1] + 1) * 960]


def talk(files: list[Path], seconds: float, rng: np.random.Generator) -> np.ndarray:
    """Utterances in any order with pauses of .1 to .8 s, most of it up to 28 % higher or 22 % lower, at least `seconds` long, at an RMS of -26 dB."""
    parts, total = [], 0
    ratio = 1.0 if rng.random() < 0.25 else float(rng.uniform(0.78, 1.28))
    while total < seconds * RATE:
        x = read(files[rng.integers(len(files))])
        if len(x) < RATE // 4:
            continue
        x = soxr.resample(x, RATE, RATE / ratio, "HQ") if ratio != 1 else x
        x = x * (0.05 / (np.sqrt(np.mean(x**2)) + 1e-9)) * 10 ** (rng.normal(0, 2) / 20)
        parts += [x, np.zeros(int(rng.uniform(0.1, 0.8) * RATE), np.float32)]
        total += len(x) + len(parts[-1])
    return np.concatenate(parts)[: int(seconds * RATE)].astype(np.float32)
