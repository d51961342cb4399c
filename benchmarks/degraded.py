"""The degraded set: clean demo voices with one fault each, and with all of them; the truth is kept beside each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import signal
from scores import RATE, Mono

from dubbin.demo import faults
from dubbin.demo.recordings import clean_lines, script
from dubbin.demo.room import room_response

CLIP_S, FLOOR_DB = 12, -75.0
ROOM = (4.6, 3.5, 2.7)
SPEAKER, MICROPHONE = (2.1, 1.7, 1.3), (2.7, 2.4, 1.0)


@dataclass(frozen=True)
class Clip:
    """sound: float32 at 48 kHz with a faint noise of its own, so that no sample is digital silence."""

    voice: str
    sound: Mono
    text: str


@dataclass(frozen=True)
class Pair:
    """early: the truth with the first 50 ms of its room, where that is another."""

    truth: Mono
    degraded: Mono
    text: str = ""
    early: Mono | None = None


def clips(per_voice: int = 2, seconds: float = CLIP_S) -> list[Clip]:
    """Clips of whole lines, of at least `seconds` each."""
    out, rng = [], np.random.default_rng(0)
    lines = [(x, line) for x, line in zip(clean_lines(), script()["lines"], strict=True) if not line.get("laugh")]
    for voice in ("ines", "tobias"):
        own = iter([(x, line) for x, line in lines if line["voice"] == voice])
        for _ in range(per_voice):
            parts: list[Mono] = [np.zeros(RATE // 3)]
            texts: list[str] = []
            while sum(map(len, parts)) < seconds * RATE:
                x, line = next(own)
                parts += [x, np.zeros(RATE // 3)]
                texts.append(line["text"])
            whole = np.concatenate(parts)
            whole += rng.standard_normal(len(whole)) * 10 ** (-72 / 20)
            out.append(Clip(voice, whole.astype(np.float32), " ".join(texts)))
    return out


def speech_rms(x: Mono) -> float:
    power = np.mean(x[: len(x) // 960 * 960].reshape(-1, 960) ** 2, axis=1)
    return float(np.sqrt(np.mean(power[power > power.max() * 1e-4])))


def with_floor(x: Mono) -> Mono:
    """With a faint noise, so that no sample is digital silence."""
    return np.asarray(x + np.random.default_rng(0).standard_normal(len(x)) * 10 ** (FLOOR_DB / 20), np.float32)


def noise_of(kind: int, count: int, seed: int) -> Mono:
    """White, pink (from 60 Hz), or fan noise; RMS 1."""
    rng = np.random.default_rng(seed)
    white = rng.standard_normal(count)
    if kind == 0:
        out = white
    elif kind == 1:
        out = signal.lfilter([0.05, -0.096, 0.051, -0.0044], [1, -2.495, 2.017, -0.522], white)
        out = signal.sosfilt(signal.butter(1, 60, "high", fs=RATE, output="sos"), out)
    else:
        out = faults.fan_noise(count, RATE, seed)
    return out / np.std(out)


def noisy(all_clips: list[Clip], snr_db: float) -> list[Pair]:
    out = []
    for k, clip in enumerate(all_clips):
        x = clip.sound
        added = noise_of(k % 3, len(x), k) * speech_rms(x) * 10 ** (-snr_db / 20)
        out.append(Pair(x, (x + added).astype(np.float32), clip.text))
    return out


def humming(all_clips: list[Clip], ratio_db: float = 10.0) -> list[Pair]:
    out = []
    for k, clip in enumerate(all_clips):
        x = clip.sound
        added = faults.hum(len(x), RATE, (50.0, 60.0)[k % 2] + 0.03 * k, 0.05, 10)
        added *= np.sqrt(np.mean(x**2)) * 10 ** (-ratio_db / 20)
        out.append(Pair(x, (x + added).astype(np.float32), clip.text))
    return out


def whining(all_clips: list[Clip], ratio_db: float = 30.0) -> list[Pair]:
    """A converter's whine at 1 kHz and six multiples, or a supply's at 5.2 kHz, whose pitch wanders by 2 Hz."""
    out = []
    for k, clip in enumerate(all_clips):
        x, t = clip.sound, np.arange(len(clip.sound)) / RATE
        wander = 2.0 * 20.0 / (2 * np.pi) * np.sin(2 * np.pi * t / 20.0)
        added = np.sin(2 * np.pi * (5200.0 * t + wander)) if k % 2 else sum(np.sin(2 * np.pi * 1000.0 * h * t + h) / h for h in range(1, 8))
        added *= np.sqrt(np.mean(x**2)) * 10 ** (-ratio_db / 20) / np.sqrt(np.mean(added**2))
        out.append(Pair(x, (x + added).astype(np.float32), clip.text))
    return out


def typing(all_clips: list[Clip], under_db: float = 22.0) -> list[Pair]:
    """Keys that are typed on beside a voice, six a second, for three seconds of every six: each a burst of noise of 1.5 to 9 kHz that dies away within 20 ms."""
    band = signal.butter(2, (1500, 9000), "bandpass", fs=RATE, output="sos")
    out = []
    for seed, clip in enumerate(all_clips):
        rng, keys = np.random.default_rng(seed), np.zeros(len(clip.sound))
        n = np.arange(RATE // 32)
        for t in np.cumsum(rng.exponential(1 / 6, round(len(keys) / RATE * 12))):
            at = round(t * RATE)
            if at + len(n) < len(keys) and t // 3 % 2:
                keys[at : at + len(n)] += signal.sosfilt(band, rng.standard_normal(len(n))) * np.exp(-n / 250) * rng.uniform(0.4, 1.0)
        keys *= speech_rms(clip.sound) * 10 ** (-under_db / 20) / np.sqrt(np.mean(keys**2))
        out.append(Pair(clip.sound, (clip.sound + keys).astype(np.float32), clip.text))
    return out


def clicking(all_clips: list[Clip], ratio_db: float = 23.0, count: int = 40) -> list[tuple[Pair, tuple[int, ...]]]:
    out = []
    for k, clip in enumerate(all_clips):
        x = clip.sound
        made = faults.clicks(x.astype(float), RATE, count, k)
        added = made.sound * np.sqrt(np.sum(x.astype(float) ** 2) / np.sum(made.sound**2)) * 10 ** (-ratio_db / 20)
        out.append((Pair(x, (x + added).astype(np.float32), clip.text), made.frames))
    return out


def crackling(all_clips: list[Clip], kind: str) -> list[Pair]:
    """Clicks of other shapes than `clicking` makes. kind: `vinyl`, three a second that ring and die away in a millisecond or two, 6 to 30 dB below full scale; `digital`,
    two a second of one to three samples; `mouth`, soft ones by ones and twos, which the voice partly covers."""
    out = []
    for k, clip in enumerate(all_clips):
        x, rng = clip.sound, np.random.default_rng(100 + k)
        added = {"vinyl": _vinyl, "digital": _digital, "mouth": _mouth}[kind](x, rng)
        out.append(Pair(x, (x + added).astype(np.float32), clip.text))
    return out


def _places(count: int, rng: np.random.Generator, a_second: float) -> np.ndarray:
    return np.sort(rng.integers(RATE // 2, count - RATE // 2, int(count / RATE * a_second)))


def _ringing(length: int, hz: tuple[float, float], rise: float, fall: float, noise: float, rng: np.random.Generator) -> Mono:
    n = np.arange(4 * length)
    tone = np.cos(2 * np.pi * rng.uniform(*hz) / RATE * n + rng.uniform(0, 2 * np.pi))
    return (1 - np.exp(-n / rise)) * np.exp(-fall * n / length) * (tone + noise * rng.standard_normal(len(n)))


def _vinyl(x: Mono, rng: np.random.Generator) -> Mono:
    out = np.zeros(len(x))
    for place in _places(len(x), rng, 3.0):
        wave = _ringing(int(rng.integers(6, 80)), (1200, 9000), 2.0, 2.5, 0.5, rng)
        out[place : place + len(wave)] += 10 ** (rng.uniform(-30, -6) / 20) * wave / np.max(np.abs(wave))
    return out


def _digital(x: Mono, rng: np.random.Generator) -> Mono:
    out = np.zeros(len(x))
    for place in _places(len(x), rng, 2.0):
        length = int(rng.integers(1, 4))
        out[place : place + length] += rng.choice([-1, 1]) * 10 ** (rng.uniform(-30, -4) / 20) * rng.uniform(0.6, 1, length)
    return out


def _mouth(x: Mono, rng: np.random.Generator) -> Mono:
    out, loud = np.zeros(len(x)), speech_rms(x)
    for place in _places(len(x), rng, 1.5):
        for k in range(rng.integers(1, 3)):
            at = place + int(k * rng.uniform(0.006, 0.02) * RATE)
            wave = _ringing(int(rng.uniform(0.3, 2.0) * 48), (1500, 7000), 4.0, 3.0, 0.4, rng)[: len(x) - at]
            out[at : at + len(wave)] += loud * 10 ** (rng.uniform(-18, 2) / 20) * wave
    return out


def soft_clipped(x: Mono, ceiling: float) -> Mono:
    """Straight up to half the ceiling, then bent over by a hyperbolic tangent that never reaches it."""
    knee = 0.5 * ceiling
    over = np.maximum(np.abs(x) - knee, 0.0)
    return np.sign(x) * (np.minimum(np.abs(x), knee) + (ceiling - knee) * np.tanh(over / (ceiling - knee)))


def clipped(all_clips: list[Clip], depth_db: float = 6.0, soft: bool = False) -> list[Pair]:
    out = []
    for clip in all_clips:
        ceiling = float(np.max(np.abs(clip.sound))) * 10 ** (-depth_db / 20)
        x = soft_clipped(clip.sound, ceiling) if soft else np.clip(clip.sound, -ceiling, ceiling)
        out.append(Pair(clip.sound, x.astype(np.float32), clip.text))
    return out


def rumbling(all_clips: list[Clip], level_db: float = -30.0) -> list[Pair]:
    out = []
    for k, clip in enumerate(all_clips):
        low = signal.sosfilt(
            signal.butter(4, (8, 60), "band", fs=RATE, output="sos"),
            np.random.default_rng(k).standard_normal(len(clip.sound)),
        )
        added = low / np.std(low) * 10 ** (level_db / 20)
        out.append(Pair(clip.sound, (clip.sound + added).astype(np.float32), clip.text))
    return out


def early_of(response: Mono) -> Mono:
    """The direct sound and the first 50 ms of a room's response."""
    out = response.copy()
    out[int(np.argmax(np.abs(response) > 0.5)) + RATE // 20 :] = 0
    return out


def echoing(all_clips: list[Clip], rt60_s: float) -> list[Pair]:
    """Truth: the direct sound and the first 50 ms."""
    out = []
    for k, clip in enumerate(all_clips):
        response = room_response(RATE, rt60_s, ROOM, SPEAKER, MICROPHONE, k)
        truth, echo = (signal.oaconvolve(clip.sound, h)[: len(clip.sound)] for h in (early_of(response), response))
        out.append(Pair(truth.astype(np.float32), echo.astype(np.float32), clip.text))
    return out


def everything(all_clips: list[Clip]) -> list[Pair]:
    """Echo, hum, fan, clicks, rumble and clipped crests in one recording; truth: the clean voice."""
    out = []
    for k, clip in enumerate(all_clips):
        response = room_response(RATE, 0.4, ROOM, SPEAKER, MICROPHONE, k)
        x = signal.oaconvolve(clip.sound, response)[: len(clip.sound)]
        loud = speech_rms(clip.sound)
        x = x + faults.hum(len(x), RATE, 50.02, 0.03, 10) * loud * 10 ** (-14 / 20)
        x = x + noise_of(2, len(x), k) * loud * 10 ** (-20 / 20)
        x = x + rumbling([clip], 20 * np.log10(loud) - 14)[0].degraded - clip.sound
        made = faults.clicks(x, RATE, 25, k)
        x = x + made.sound * np.sqrt(np.sum(x**2) / np.sum(made.sound**2)) * 10 ** (-25 / 20)
        ceiling = 0.6 * np.max(np.abs(x))
        out.append(Pair(clip.sound, np.clip(x, -ceiling, ceiling).astype(np.float32), clip.text))
    return out
