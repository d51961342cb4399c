"""Measures every repair on degraded demo voices, beside peers, and writes docs/benchmarks.md.

    pip install -r benchmarks/requirements.txt
    python benchmarks/run.py

Peers and scores are needed here only: pesq, pystoi, noisereduce, nara_wpe. A peer that is not installed is left out. Speed is
given in times real time and as a ratio to the peer in the same run, since machines differ and are noisy.
"""

from __future__ import annotations

import importlib.util
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr
from scipy import signal

from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.measure.clicks import find_clicks
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.hum import describe_hum, find_hum
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.sound.source import Sound
from dubbin.core.treat.ahead import Ahead
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.registry import TREATMENTS
from dubbin.demo import faults
from dubbin.demo.recordings import clean_lines, script
from dubbin.demo.room import room_response

RATE = 48000
OUT = Path(__file__).resolve().parent.parent / "docs" / "benchmarks.md"
CLIP_S = 12
Mono = np.ndarray


@dataclass(frozen=True)
class Row:
    what: str
    method: str
    before: str
    after: str
    speed: str


def have(module: str) -> bool:
    return importlib.util.find_spec(module) is not None


def clips() -> list[Mono]:
    """Two clips of each voice, with a faint room of their own so that no sample is digital silence."""
    out, rng = [], np.random.default_rng(0)
    lines, voices = clean_lines(), [line["voice"] for line in script()["lines"]]
    for voice in ("ines", "tobias"):
        parts = [p for x, v in zip(lines, voices, strict=True) if v == voice for p in (x, np.zeros(RATE // 3))]
        whole = np.concatenate(parts)
        whole += rng.standard_normal(len(whole)) * 10 ** (-72 / 20)
        out += [whole[k * CLIP_S * RATE : (k + 1) * CLIP_S * RATE].astype(np.float32) for k in (0, 1)]
    return out


def speech_rms(x: Mono) -> float:
    power = np.mean(x[: len(x) // 960 * 960].reshape(-1, 960) ** 2, axis=1)
    return float(np.sqrt(np.mean(power[power > power.max() * 1e-4])))


def si_sdr(truth: Mono, estimate: Mono) -> float:
    truth, estimate = truth.astype(float), estimate.astype(float)
    part = np.dot(truth, estimate) / np.dot(truth, truth) * truth
    return float(10 * np.log10(np.sum(part**2) / np.sum((estimate - part) ** 2)))


def pesq(truth: Mono, estimate: Mono) -> float:
    if not have("pesq"):
        return float("nan")
    from pesq import pesq as score

    return float(score(16000, soxr.resample(truth, RATE, 16000), soxr.resample(estimate, RATE, 16000), "wb"))


def stoi(truth: Mono, estimate: Mono) -> float:
    if not have("pystoi"):
        return float("nan")
    from pystoi import stoi as score

    return float(score(soxr.resample(truth, RATE, 16000), soxr.resample(estimate, RATE, 16000), 16000))


def ours(*uses: Use) -> Callable[[Mono], Mono]:
    def run(x: Mono) -> Mono:
        chain = Chain(Sound(np.ascontiguousarray(x[None], np.float32), RATE), list(uses))
        with Ahead(chain) as ahead:
            return ahead.read(0, chain.frames)[0]

    return run


def use(name: str, **settings: object) -> Use:
    treatment = TREATMENTS[name]
    return Use(treatment, treatment.settings_type(**settings))


def compare(what: str, pairs: list[tuple[Mono, Mono]], methods: dict[str, Callable[[Mono], Mono]]) -> list[Row]:
    """Mean PESQ, STOI and SI-SDR of every method over (truth, degraded) pairs, and its speed."""
    rows = []
    before = np.mean([(pesq(t, d), stoi(t, d), si_sdr(t, d)) for t, d in pairs], axis=0)
    for name, run in methods.items():
        run(pairs[0][1][: 3 * RATE])  # what is compiled or loaded at first use does not count
        started = time.perf_counter()
        results = [run(d) for _, d in pairs]
        seconds = time.perf_counter() - started
        after = np.mean(
            [(pesq(t, e), stoi(t, e), si_sdr(t, e)) for (t, _), e in zip(pairs, results, strict=True)], axis=0
        )
        speed = sum(len(d) for _, d in pairs) / RATE / seconds
        rows.append(Row(what, name, figures(before), figures(after), f"{speed:.0f}"))
        print(rows[-1], flush=True)
    return rows


def figures(values: Mono) -> str:
    return f"{values[0]:.2f} / {values[1]:.3f} / {values[2]:.1f} dB"


def noise_of(kind: int, count: int, seed: int) -> Mono:
    rng = np.random.default_rng(seed)
    white = rng.standard_normal(count)
    if kind == 0:
        return white / np.std(white)
    if kind == 1:
        pink = signal.lfilter([0.05, -0.096, 0.051, -0.0044], [1, -2.495, 2.017, -0.522], white)
        return pink / np.std(pink)
    return faults.fan_noise(count, RATE, seed)


def denoising(voices: list[Mono]) -> list[Row]:
    methods = {
        "Dubbin, neural": ours(use("denoise")),
        "Dubbin, statistical": ours(use("denoise", engine=Engine.STATISTICAL)),
    }
    if have("noisereduce"):
        import noisereduce

        methods["noisereduce, stationary"] = lambda x: noisereduce.reduce_noise(x, RATE, stationary=True)
    rows = []
    for snr in (15, 25):
        pairs = []
        for k, x in enumerate(voices):
            added = noise_of(k % 3, len(x), k) * speech_rms(x) * 10 ** (-snr / 20)
            pairs.append((x, (x + added).astype(np.float32)))
        rows += compare(f"noise at {snr} dB", pairs, methods)
    return rows


def humming(voices: list[Mono]) -> list[Row]:
    pairs = []
    for k, x in enumerate(voices):
        added = faults.hum(len(x), RATE, 50.0 + 0.03 * k, 0.05, 10)
        pairs.append((x, (x + added * np.sqrt(np.mean(x**2)) * 10 ** (-10 / 20)).astype(np.float32)))
    return compare("hum at 10 dB, drifting", pairs, {"Dubbin, dehum": ours(use("dehum"))})


def clicking(voices: list[Mono]) -> list[Row]:
    pairs = []
    for k, x in enumerate(voices):
        added = faults.clicks(x.astype(float), RATE, 40, k).sound
        added *= np.sqrt(np.sum(x.astype(float) ** 2) / np.sum(added**2)) * 10 ** (-23 / 20)
        pairs.append((x, (x + added).astype(np.float32)))
    return compare("clicks at 23 dB", pairs, {"Dubbin, declick": ours(use("declick"))})


def clipping(voices: list[Mono]) -> list[Row]:
    pairs = [(x, np.clip(x, -np.max(np.abs(x)) / 2, np.max(np.abs(x)) / 2)) for x in voices]
    return compare("clipped by 6 dB", pairs, {"Dubbin, declip": ours(use("declip"))})


def echoing(voices: list[Mono]) -> list[Row]:
    methods = {"Dubbin, dereverb": ours(use("dereverb"))}
    if have("nara_wpe"):
        methods["nara_wpe at 16 kHz"] = _nara_wpe
    rows = []
    for rt60 in (0.35, 0.65):
        pairs = []
        for k, x in enumerate(voices):
            response = room_response(RATE, rt60, (4.6, 3.5, 2.7), (2.1, 1.7, 1.3), (2.7, 2.4, 1.0), k)
            direct = int(np.argmax(np.abs(response) > 0.5))
            early = response.copy()
            early[direct + RATE // 20 :] = 0
            truth, echo = (signal.oaconvolve(x, h)[: len(x)].astype(np.float32) for h in (early, response))
            pairs.append((truth, echo))
        rows += compare(f"echo, RT60 {rt60} s", pairs, methods)
    return rows


def _nara_wpe(x: Mono) -> Mono:
    from nara_wpe.utils import istft, stft
    from nara_wpe.wpe import wpe

    low = soxr.resample(x, RATE, 16000)
    X = stft(low[None], 512, 128).transpose(2, 0, 1)
    y = istft(wpe(X, taps=10, delay=3, iterations=3).transpose(1, 2, 0), 512, 128)[0]
    return np.resize(soxr.resample(y, 16000, RATE), len(x)).astype(np.float32)


def measuring(voices: list[Mono]) -> list[str]:
    """Speed of the measurements, in times real time, on one minute."""
    x = np.resize(np.concatenate(voices), 60 * RATE).astype(np.float32)
    stereo = Sound(np.stack([x, x]), RATE)
    mono = Sound(x[None], RATE)
    limit = ours(Use(Limiter(), LimiterSettings(gain_db=6.0)))
    tasks: dict[str, Callable[[], object]] = {
        "loudness, range and true peak (stereo)": lambda: measure_loudness(stereo),
        "hum": lambda: describe_hum(find_hum(mono)),
        "clicks": lambda: find_clicks(mono),
        "room echo": lambda: measure_echo(mono),
        "limiter (mono)": lambda: limit(x),
    }
    out = []
    for name, run in tasks.items():
        run()
        started = time.perf_counter()
        run()
        out.append(f"| {name} | {60 / (time.perf_counter() - started):.0f} |")
        print(out[-1], flush=True)
    return out


def main() -> None:
    voices = clips()
    rows = denoising(voices) + humming(voices) + clicking(voices) + clipping(voices) + echoing(voices)
    lines = [
        "# Benchmarks",
        "",
        "Made by `python benchmarks/run.py` from the demo's synthetic voices; figures for real voices differ. PESQ is wide-band",
        "(ITU-T P.862.2), STOI as published in 2011, SI-SDR against the clean voice; echo is scored against direct sound and the first",
        "50 ms. Speed in times real time on the machine at hand, two cores; compare rows of one run only.",
        "",
        "| fault | method | before: PESQ / STOI / SI-SDR | after | x real time |",
        "| --- | --- | --- | --- | --- |",
        *(f"| {r.what} | {r.method} | {r.before} | {r.after} | {r.speed} |" for r in rows),
        "",
        "| measurement | x real time |",
        "| --- | --- |",
        *measuring(voices),
        "",
    ]
    OUT.write_text("\n".join(lines))


if __name__ == "__main__":
    main()
