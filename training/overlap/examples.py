"""Examples to learn from: talk of one voice, of two in turn, and of two at once, in simulated rooms; what the recogniser's encoder makes of it, and where two speak.

    python training/overlap/examples.py VOICES EXAMPLES.npz [--clips N] [--seed N] [--judged]

VOICES as in `training/room_mask/README.md`. Writes `heard` (clips, frames, SIZE) in half precision, and `truth` (clips, frames): 1 where two are heard at once, 0
where not, -1 where one of them is so soft that it may be called either.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

import numpy as np
import soxr
from scipy import ndimage, signal

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "room_mask"))
from voices import JUDGED, LEARNT, files_of, read

from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import recogniser
from dubbin.core.speech.two_at_once import FRAMES_PER_S, RATE
from dubbin.demo.music import harbour_theme
from dubbin.demo.room import room_response

SECONDS, ROOMS = 8.0, 60
TOGETHER = 3  # clips that are heard in one window of the encoder
HOP = RATE // FRAMES_PER_S
FRAMES = int(SECONDS * FRAMES_PER_S)
SOUNDING_DB, SURE_DB = -32.0, -18.0  # of a voice's loud frames; of the other voice, below which nobody need hear it
GAP_S, WINDOW_S = 0.12, 0.064
MUSIC = np.tile(harbour_theme(RATE).mean(axis=0), 2)
TELEPHONE = signal.butter(4, (300.0, 3400.0), "band", fs=RATE, output="sos")


def rooms(rng: np.random.Generator, count: int) -> list[tuple[np.ndarray, np.ndarray]]:
    """Responses from two places of a room to one microphone."""
    out = []
    for _ in range(count):
        rt60 = float(rng.uniform(0.15, 0.7))
        size = np.array((rng.uniform(2.6, 6.5), rng.uniform(2.4, 5.5), rng.uniform(2.3, 3.1)))
        microphone = rng.uniform(0.3, 0.7, 3) * size
        both = []
        for _ in range(2):
            away = rng.uniform(0.2, 1.5) * np.array((*np.array((np.cos(a := rng.uniform(0, 2 * np.pi)), np.sin(a))), 0.2))
            h = room_response(
                RATE, rt60, tuple(size), tuple(np.clip(microphone + away, 0.2, size - 0.2)), tuple(microphone), int(rng.integers(1 << 30))
            )
            h = h[int(np.argmax(np.abs(h) > 0.5)) :]
            both.append((h / np.sqrt(np.sum(h**2))).astype(np.float32))
        out.append((both[0], both[1]))
    return out


def track(files: list[Path], rng: np.random.Generator, ratio: float, busy: float) -> np.ndarray:
    """SECONDS of a voice that speaks about `busy` of the time, `ratio` higher."""
    out, at = np.zeros(int(SECONDS * RATE), np.float32), -int(rng.uniform(0, 2) * RATE)
    while at < len(out):
        x = _utterance(files, rng, ratio)
        if rng.random() < 0.5:  # a word thrown in, or the middle of a sentence
            length = int(rng.uniform(0.3, 2.0) * RATE)
            first = int(rng.uniform(0, max(len(x) - length, 1)))
            x = x[first : first + length] * signal.windows.tukey(min(length, len(x) - first), 0.05)
        low, high = max(at, 0), min(at + len(x), len(out))
        if high > low:
            out[low:high] += x[low - at : high - at]
        at += len(x) + int(rng.exponential(0.12 + len(x) / RATE * (1 / busy - 1)) * RATE)
    return out


def _utterance(files: list[Path], rng: np.random.Generator, ratio: float) -> np.ndarray:
    while True:
        x = read(files[rng.integers(len(files))])
        if len(x) > 12000:
            y = soxr.resample(x, 48000, RATE / ratio, "MQ")
            return (y * (0.05 / (np.sqrt(np.mean(y**2)) + 1e-9)) * 10 ** (rng.normal(0, 1.5) / 20)).astype(np.float32)


def sounding(x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where a voice is heard, and its level in dB, every HOP samples."""
    power = ndimage.uniform_filter1d(x.astype(np.float64) ** 2, int(WINDOW_S * RATE), mode="constant")[HOP // 2 :: HOP]
    db = 10 * np.log10(power[:FRAMES] + 1e-12)
    on = db > np.quantile(db[db > -80], 0.9) + SOUNDING_DB if np.any(db > -80) else np.zeros(len(db), bool)
    width = int(GAP_S * RATE / HOP)
    return ndimage.binary_closing(np.pad(on, width), np.ones(width))[width:-width], db


def clip(voices: list[list[Path]], places: list[tuple[np.ndarray, np.ndarray]], rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Sound, and the truth of every frame."""
    a, b = rng.choice(len(voices), 2, replace=rng.random() < 0.25)
    ratios = rng.uniform(0.78, 1.28, 2)
    if a == b and abs(np.log(ratios[0] / ratios[1])) < 0.1:
        ratios[1] = ratios[0] * (1.18 if ratios[0] < 1 else 0.85)
    kind = rng.random()
    first = track(voices[a], rng, ratios[0], 0.85)
    second = (
        np.zeros_like(first) if kind < 0.25 else track(voices[b], rng, ratios[1], rng.uniform(0.15, 0.8)) * 10 ** (rng.uniform(-10, 6) / 20)
    )
    if 0.25 <= kind < 0.45:  # in turn
        other = ndimage.binary_dilation(np.abs(second) > 1e-3, np.ones(2400))
        first *= ndimage.uniform_filter1d((~other).astype(np.float32), 320)
    tracks, marks = [first, second], [sounding(first), sounding(second)]
    if rng.random() < 0.75:
        tracks = [signal.oaconvolve(t, h)[: len(t)] for t, h in zip(tracks, places[rng.integers(len(places))], strict=True)]
    x = tracks[0] + tracks[1]
    loud = np.sqrt(np.mean(x**2)) + 1e-6
    noise = np.fft.irfft(
        np.fft.rfft(rng.standard_normal(len(x)))
        * 10 ** (np.interp(np.linspace(0, 1, len(x) // 2 + 1) ** 0.5, np.linspace(0, 1, 7), rng.normal(0, 8, 7) - 3 * np.arange(7)) / 20),
        len(x),
    )
    x = x + noise / np.std(noise) * loud * 10 ** (-rng.uniform(12, 60) / 20)
    if rng.random() < 0.12:  # music is nobody
        at = int(rng.integers(len(MUSIC) - len(x)))
        x = x + MUSIC[at : at + len(x)] / (np.std(MUSIC[at : at + len(x)]) + 1e-6) * loud * 10 ** (-rng.uniform(3, 25) / 20)
    if rng.random() < 0.25:
        x = signal.sosfilt(TELEPHONE, x)
    if rng.random() < 0.3:
        x = np.tanh(x / loud * rng.uniform(0.1, 0.6)) * loud
    (on_a, db_a), (on_b, db_b) = marks
    both = on_a & on_b
    truth = both.astype(np.int8)
    smooth = [ndimage.uniform_filter1d(d, 9) for d in (db_a, db_b)]
    truth[both & (np.abs(smooth[0] - smooth[1]) > -SURE_DB)] = -1
    return x.astype(np.float32), truth


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("voices", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--clips", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--judged", action="store_true")
    given = parser.parse_args()
    rng = np.random.default_rng(given.seed)
    voices = [files_of(given.voices, name) for name in (JUDGED if given.judged else LEARNT)]
    places = rooms(rng, ROOMS)
    model = recogniser(built_in_model())
    heard, truth = [], []
    for _ in range(-(-given.clips // TOGETHER)):
        parts, at = [], []
        for _ in range(TOGETHER):
            x, two = clip(voices, places, rng)
            truth.append(two)
            at.append(sum(map(len, parts)) // HOP)
            parts += [x, np.zeros(HOP * int(rng.uniform(0, 1.9) * FRAMES_PER_S), np.float32)]
        encoded = model.encode(np.concatenate(parts))
        heard += [encoded[a : a + FRAMES].astype(np.float16) for a in at]
    np.savez(given.out, heard=np.stack(heard), truth=np.stack(truth))
    print(f"{len(heard)} clips, two at once in {np.mean(np.stack(truth) == 1):.0%}, either in {np.mean(np.stack(truth) < 0):.0%}")


if __name__ == "__main__":
    main()
