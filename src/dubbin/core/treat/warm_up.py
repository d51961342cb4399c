"""Compiles what is compiled at first use, so that nobody waits for it later: `python -m dubbin.core.treat.warm_up`."""

from __future__ import annotations

import numpy as np

from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.packing import Packed, pack
from dubbin.core.sound.source import Sound
from dubbin.core.sound.wav_kernels import samples_16, samples_24
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import DenoiseSettings, Engine
from dubbin.core.treat.registry import REPAIRS, VOICE

RATE, SECONDS = 48000, 4


def main() -> None:
    """Every treatment, with both engines, on a few seconds of clipped, clicking, humming noise; what measures it, and what keeps it and reads files."""
    n = np.arange(SECONDS * RATE)
    x = 0.05 * np.random.default_rng(0).standard_normal(len(n)) + 0.2 * np.sin(2 * np.pi * 50 * n / RATE)
    x += 0.1 * np.sin(2 * np.pi * 100 * n / RATE)
    x[:: RATE // 5] += 0.9
    sound = Sound(np.clip(x, -0.4, 0.4).astype(np.float32)[None], RATE)
    for engine in Engine:
        uses = [Use(t, DenoiseSettings(engine=engine) if t.name == "denoise" else t.settings_type()) for t in REPAIRS]
        Chain(sound, uses).read(0, sound.frames)
    Chain(sound, [Use(t, t.settings_type()) for t in VOICE]).read(0, sound.frames)
    measure_recording(sound)
    Packed(pack(sound.samples)[0]).read(0, sound.frames)
    samples_16(np.zeros(2, np.int16), 1)
    samples_24(np.zeros(6, np.uint8), 1)


if __name__ == "__main__":
    main()
