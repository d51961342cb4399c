"""Speed of measuring and mastering, beside other meters on the same sound."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import peers
from scores import RATE, have

from dubbin.core.deliver.formats import M4A, MP3, WAV
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.targets import find_target
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.sound.source import Sound
from dubbin.demo.recordings import build_sounds

Row = tuple[str, str]
METER_S, MASTER_MINUTES = 240, 4


class _Long:
    """Some minutes of a stereo program, made as it is read."""

    def __init__(self, x: np.ndarray, minutes: int) -> None:
        self._x, self.rate, self.channels, self.frames = x, RATE, 2, minutes * 60 * RATE

    def read(self, start: int, stop: int) -> np.ndarray:
        return np.ascontiguousarray(self._x[:, np.arange(start, stop) % self._x.shape[1]])


def rows() -> list[Row]:
    one, two = (x.astype(np.float32) for x in build_sounds().recorded.values())
    stereo = np.stack([one + 0.5 * two, 0.5 * one + two]) * np.float32(0.8)
    x = np.resize(stereo, (2, METER_S * RATE)) if stereo.shape[1] < METER_S * RATE else stereo[:, : METER_S * RATE]
    sound = Sound(np.ascontiguousarray(x), RATE)
    ours = _speed(lambda: measure_loudness(sound))
    out: list[Row] = [("loudness, range and true peak, stereo", f"{ours:.0f} x real time")]
    theirs = _speed(lambda: peers.ebur128(x))
    out.append(("FFmpeg's ebur128 with true peak on the same", f"{theirs:.0f} x real time; Dubbin {ours / theirs:.1f} x that"))
    if have("pyloudnorm"):
        import pyloudnorm

        meter = pyloudnorm.Meter(RATE)
        slow = _speed(lambda: meter.integrated_loudness(x.T))
        out.append(("pyloudnorm, integrated loudness alone", f"{slow:.0f} x real time; Dubbin {ours / slow:.1f} x that"))
    with tempfile.TemporaryDirectory() as folder:
        started = time.perf_counter()
        formats = [WAV, MP3, M4A]
        made = make_masters(_Long(stereo, MASTER_MINUTES), Path(folder), "long", [find_target("podcast-stereo")], formats).made
        seconds = time.perf_counter() - started
    passed = sum(m.proof.passes for m in made)
    out.append(
        (
            f"{MASTER_MINUTES} min to WAV, MP3 and M4A, each proved",
            f"{seconds:.0f} s, an hour in {seconds * 60 / MASTER_MINUTES:.0f} s; {passed} of 3 pass",
        )
    )
    return out


def _speed(run: Callable[[], object]) -> float:
    run()
    started = time.perf_counter()
    run()
    return METER_S / (time.perf_counter() - started)
