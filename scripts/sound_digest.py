"""Runs the command line of a checkout over the demo and prints a digest of the samples of each sound that comes out.

Only the command line is used, for it is the same in every version; each run begins with an empty cache.
"""

from __future__ import annotations

import hashlib
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile as sf

REPAIRS = ("declip", "declick", "dehum", "derumble", "denoise", "dereverb")
VOICES = ("steady", "close", "clear", "laptop")
TARGETS = ("podcast-stereo", "podcast-mono", "broadcast-r128")


def digest(path: Path) -> str:
    """Of the samples alone: what stands in headers and tags may change."""
    x, rate = sf.read(path, dtype="float64", always_2d=True)
    return f"{hashlib.sha256(np.ascontiguousarray(x).tobytes()).hexdigest()[:32]} {len(x)} frames {rate} Hz"


class Checkout:
    def __init__(self, folder: Path, home: Path) -> None:
        self._program = folder / ".venv" / "bin" / "dubbin"
        self._environment = {**os.environ, "DUBBIN_HOME": str(home)}

    def run(self, *arguments: object) -> str:
        """What a command prints; one whose checks fail (exit code 1) has made its files all the same."""
        command = [str(self._program), *map(str, arguments)]
        done = subprocess.run(command, env=self._environment, capture_output=True, text=True, check=False)
        if done.returncode not in (0, 1):
            raise SystemExit(f"{' '.join(command)}\n{done.stderr}")
        return done.stdout


def say(name: str, path: Path) -> None:
    print(f"{name:44} {digest(path)}", flush=True)


def main(folder: Path) -> None:
    with tempfile.TemporaryDirectory(prefix="dubbin-digest-") as name:
        work = Path(name)
        checkout = Checkout(folder, work / "home")
        checkout.run("demo", "--dir", work / "demo", "--no-window")
        recordings = sorted(p for p in (work / "demo").rglob("*") if p.suffix in (".wav", ".flac"))
        for path in recordings:
            say(f"recorded {path.stem}", path)
        for path in (p for p in recordings if p.suffix == ".wav"):
            for engine in ("statistical", "neural"):
                out = work / f"{path.stem}-{engine}.wav"
                treats = [x for t in REPAIRS for x in ("--treat", f"{t}=80")]
                checkout.run("clean", path, "-o", out, *treats, "--engine", engine, "--quiet")
                say(f"repaired {path.stem}, {engine}", out)
            out = work / f"{path.stem}-suggested.wav"
            checkout.run("clean", path, "-o", out, "--quiet")
            say(f"repaired {path.stem}, as suggested", out)
            for preset in VOICES:
                out = work / f"{path.stem}-{preset}.wav"
                checkout.run("voice", path, "-o", out, "--preset", preset, "--quiet")
                say(f"voice {path.stem}, {preset}", out)
            out = work / f"{path.stem}-pauses.wav"
            checkout.run("pauses", path, "-o", out, "--quiet")
            say(f"without pauses {path.stem}", out)
        masters = work / "card"
        episode = next((work / "demo").glob("*.dubbin"))
        recipe = work / "plain.recipe.json"  # all defaults: it has the card run over both microphones
        recipe.write_text('{"schema": "dubbin-recipe", "version": 1, "recipe": {}}')
        checkout.run("batch", episode, "-o", masters, "--recipe", recipe, "--quiet", "--workers", "1")
        made = next(masters.rglob("*.dubbin"))
        plain = json.loads(made.read_text())["episode"]
        cuts = [(c["start_frame"], c["end_frame"], c.get("kind")) for c in plain["cuts"]]
        print(f"{'cuts of the card':44} {hashlib.sha256(repr(sorted(cuts)).encode()).hexdigest()[:32]} {len(cuts)} cuts", flush=True)
        for path in sorted(masters.rglob("*.wav")) + sorted(masters.rglob("*.flac")):
            say(f"card, {path.name}", path)
        out = work / "masters"
        checkout.run("master", made, "-o", out, "--target", *TARGETS, "--format", "wav", "--quiet")
        for path in sorted(out.glob("*.wav")):
            say(f"mastered, {path.name}", path)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
