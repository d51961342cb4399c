"""Builds the two microphones of the demo from the clean lines, and knows the truth about them."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy
import soundfile
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound.level import db_to_gain
from dubbin.demo import faults
from dubbin.demo.room import room_response

FOLDER = Path(__file__).parent
RATE = 48000
SEED = 20260
RUNG_OUT_DB = 50.0  # below the loudest of a word nothing of it is heard
TAIL_S = 3.0
FAN_DB, HUM_DB, HISS_DB, BLEED_DB = -52.0, -46.0, -64.0, -26.0
HUM_HZ, HUM_DRIFT_HZ = 50.02, 0.03
KITCHEN_RT60_S = 0.55
CLICK_COUNT = 142
LAUGH_DB, CLIP_AT = 9.0, 0.5


@dataclass(frozen=True)
class SpokenWord:
    voice: str
    text: str
    start_s: float
    end_s: float
    line: int


@dataclass(frozen=True)
class DemoTruth:
    """What is known of the demo: words and laughs on the session clock, and every fault that was put in."""

    words: tuple[SpokenWord, ...]
    laughs_s: tuple[tuple[float, float], ...]
    click_times_s: tuple[float, ...]
    hum_hz: float
    rt60_s: float


@dataclass(frozen=True)
class DemoSounds:
    """clean and recorded: for each voice, (frames,) at RATE; clean is dry and level, with silence between the lines."""

    clean: dict[str, NDArray[np.float64]]
    recorded: dict[str, NDArray[np.float64]]
    truth: DemoTruth


def script() -> dict:  # type: ignore[type-arg]
    return json.loads((FOLDER / "script.json").read_text())  # type: ignore[no-any-return]


def clean_lines() -> list[NDArray[np.float64]]:
    """Every line of the script as it was spoken, at RATE."""
    out = []
    for entry in json.loads((FOLDER / "speech" / "words.json").read_text()):
        x, rate = soundfile.read(FOLDER / "speech" / entry["file"])
        out.append(soxr.resample(x, rate, RATE, quality="VHQ"))
    return out


def heard_until_s(x: NDArray[np.float64], start_s: float, end_s: float) -> float:
    """Where a word of a line has rung out: what is silent at its end is no part of it. Seconds of the line."""
    hop = RATE // 100
    part = x[round(start_s * RATE) : round(end_s * RATE)]
    count = len(part) // hop
    if not count:
        return end_s
    levels = 10.0 * np.log10(np.mean(part[: count * hop].reshape(count, hop) ** 2, axis=1) + 1e-14)
    last = int(np.flatnonzero(levels > levels.max() - RUNG_OUT_DB)[-1]) + 1
    return min(start_s + last * hop / RATE, end_s) if last < count else end_s


def build_sounds(task: Task | None = None) -> DemoSounds:
    """Compute both recordings; the same samples every time."""
    task = task or Task()
    lines, sounds = script()["lines"], clean_lines()
    task.step(0.15)
    words_table = json.loads((FOLDER / "speech" / "words.json").read_text())
    starts, at = [], 0
    for line, x in zip(lines, sounds, strict=True):
        start = at + round(line["gap_s"] * RATE)
        starts.append(start)
        at = start + len(x)
    frames = at + round(TAIL_S * RATE)
    clean = {voice: np.zeros(frames) for voice in ("ines", "tobias")}
    dry = {voice: np.zeros(frames) for voice in clean}
    words, laughs = [], []
    for number, (line, x, start) in enumerate(zip(lines, sounds, starts, strict=True)):
        voice = line["voice"]
        clean[voice][start : start + len(x)] += x
        if line.get("laugh"):
            laughs.append((start / RATE, (start + len(x)) / RATE))
            dry[voice][start : start + len(x)] += x * db_to_gain(LAUGH_DB)
        else:
            dry[voice][start : start + len(x)] += x
        for word in words_table[number]["words"]:
            offset = start / RATE
            end_s = heard_until_s(x, word["start_s"], word["end_s"])
            words.append(SpokenWord(voice, word["text"], offset + word["start_s"], offset + end_s, number))
    ines, tobias, click_frames = _microphones(dry, frames, task.part(0.2, 1.0))
    truth = DemoTruth(tuple(words), tuple(laughs), tuple(f / RATE for f in click_frames), HUM_HZ, KITCHEN_RT60_S)
    return DemoSounds(clean, {"ines": ines, "tobias": tobias}, truth)


def _microphones(
    dry: dict[str, NDArray[np.float64]], frames: int, task: Task
) -> tuple[NDArray[np.float64], NDArray[np.float64], tuple[int, ...]]:
    made: dict[str, NDArray[np.float64]] = {}

    def own(voice: str) -> None:
        room, gain = (
            (room_response(RATE, 0.22, (3.4, 2.9, 2.5), (1.5, 1.4, 1.25), (1.5, 1.58, 1.2), SEED), 0.8)
            if voice == "ines"
            else (room_response(RATE, KITCHEN_RT60_S, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.5, 2.2, 1.0), SEED + 1), 0.5)
        )
        made[voice] = _through(dry[voice], room, frames) * gain

    def noises() -> None:
        made["fan"] = faults.fan_noise(frames, RATE, SEED + 2) * db_to_gain(FAN_DB)
        made["hiss"] = faults.hiss(frames, RATE, SEED + 3) * db_to_gain(HISS_DB)

    def hum() -> None:
        made["hum"] = faults.hum(frames, RATE, HUM_HZ, HUM_DRIFT_HZ, 8) * db_to_gain(HUM_DB)

    works: tuple[Callable[[], None], ...] = (lambda: own("tobias"), hum, lambda: own("ines"), noises)
    in_parallel(lambda work: work(), works, task.part(0.0, 0.8))
    ines, tobias = made["ines"], made["tobias"]
    low = scipy.signal.butter(1, 3500, fs=RATE, output="sos")
    bleed = [np.roll(scipy.signal.sosfilt(low, x), RATE * 9 // 1000) * db_to_gain(BLEED_DB) for x in (ines, tobias)]
    ines = ines + bleed[1] + made["fan"] + made["hum"]
    tobias = tobias + bleed[0] + made["hiss"]
    clicks = faults.clicks(tobias, RATE, CLICK_COUNT, SEED + 4)
    tobias = np.clip(tobias + clicks.sound, -CLIP_AT, CLIP_AT)
    return ines, tobias, clicks.frames


def _through(x: NDArray[np.float64], response: NDArray[np.float64], frames: int) -> NDArray[np.float64]:
    return np.asarray(scipy.signal.oaconvolve(x, response)[:frames])
