"""An hour of two microphones to measure on: the demo's voices, or two of a folder of real ones in turn with the usual faults."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from degraded import noise_of, speech_rms
from scores import RATE, Mono

from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Episode, Role
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.demo import faults
from dubbin.demo.recordings import build_sounds

BLEED_DB, HUM_DB, CLICK_DB = -24.0, -26.0, -23.0
NOISE_DB = (-30.0, -22.0)
LOOP_S = 300  # of faults, which then come again


def build(folder: Path, minutes: float, voices: Path | None = None) -> tuple[Path, Path]:
    """Both microphones as 24 bit WAV files of so many minutes."""
    sounds = _from_folder(voices, minutes) if voices is not None else {v: x for v, x in build_sounds().recorded.items()}
    frames, out = round(minutes * 60 * RATE), []
    for voice, x in sounds.items():
        path = folder / f"{voice}.wav"
        with sf.SoundFile(path, "w", RATE, 1, "PCM_24") as f:
            for start in range(0, frames, len(x)):
                f.write(x[: frames - start])
        out.append(path)
    return out[0], out[1]


def _from_folder(folder: Path, minutes: float) -> dict[str, Mono]:
    """The two longest voices, taking turns over LOOP_S or what is wanted, each heard faintly in the other microphone."""
    table = json.loads((folder / "utterances.json").read_text())
    said: dict[str, list[Mono]] = {}
    for name in sorted(table):
        path = folder / f"{name}.flac" if not name.endswith(".flac") else folder / name
        x, rate = sf.read(path, dtype="float32")
        spans = table[name]["utterances"] if isinstance(table[name], dict) else table[name]
        said[path.stem] = [soxr.resample(x[round(a * rate) : round(b * rate)], rate, RATE) for a, b in spans]
    longest = sorted(said, key=lambda v: -sum(map(len, said[v])))[:2]
    frames = round(min(minutes * 60, LOOP_S * 2) * RATE)
    clean = {v: np.zeros(frames, np.float32) for v in longest}
    at, turn, rng = RATE, 0, np.random.default_rng(1)
    while True:
        voice = longest[turn % 2]
        x = said[voice][(turn // 2) % len(said[voice])]
        if at + len(x) >= frames:
            break
        clean[voice][at : at + len(x)] = x * (0.08 / speech_rms(x))
        at, turn = at + len(x) + round(rng.uniform(0.2, 1.6) * RATE), turn + 1
    return {v: _recorded(clean[v], clean[longest[1 - k]], k) for k, v in enumerate(longest)}


def _recorded(own: Mono, other: Mono, k: int) -> Mono:
    level = speech_rms(own)
    x = own + other * 10 ** (BLEED_DB / 20)
    x = x + noise_of(2 if k else 1, len(x), k) * level * 10 ** (NOISE_DB[k] / 20)
    x = x + faults.hum(len(x), RATE, 50.02, 0.03, 8) * level * 10 ** (HUM_DB / 20)
    made = faults.clicks(x.astype(float), RATE, len(x) // RATE // 4, k)
    return (x + made.sound * np.sqrt(np.sum(x**2) / np.sum(made.sound**2)) * 10 ** (CLICK_DB / 20)).astype(np.float32)


def episode_of(paths: tuple[Path, Path], copies: WorkingCopies, to: Path) -> Episode:
    """The episode of both recordings, saved."""
    recordings, lanes = [], []
    for path in paths:
        taken = import_file(path, copies, RATE)
        recordings.append(taken.recording)
        lanes.append(replace(taken.lanes[0], role=Role.VOICE, voice=path.stem.title(), id=path.stem))
    episode = add_recordings(new_episode("An hour"), recordings, lanes).episode
    save_episode(episode, to)
    return episode
