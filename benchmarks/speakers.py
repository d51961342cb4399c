"""Voices that share one recording: how much of the speech time goes to the right one. Mixtures of recordings of real people, in turn, one to four of them."""

from __future__ import annotations

import json
from itertools import combinations
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from overlapped import overlap_rows
from scipy import optimize, signal

from dubbin.core.measure.voicing import find_voicing
from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.speakers import tell_apart

Row = tuple[str, str]
RATE, SECONDS = 16000, 180.0
PAIRS = 8  # of all there are, spread over them
MORE = {1: 4, 3: 3, 4: 3}  # mixtures of so many voices
LONGEST_S = 7.0  # of an utterance: longer ones are several, so that nobody says nearly everything
TELEPHONE_HZ = (300.0, 3400.0)


def rows(folder: Path) -> list[Row]:
    """folder: of recordings (.flac), and utterances.json with the start and end of what is said in each."""
    said = {name: _shorter(of["utterances"]) for name, of in json.loads((folder / "utterances.json").read_text()).items()}
    sounds = {name: soxr.resample(*_read(folder / f"{name}.flac"), RATE) for name in said if (folder / f"{name}.flac").is_file()}
    out = []
    for title, alike in (("each with a microphone of their own", False), ("one telephone line, brought to one colour", True)):
        right, counts = {}, {}
        for number, some in enumerate(
            _some(sounds, 2, PAIRS) + [mix for count, mixes in MORE.items() for mix in _some(sounds, count, mixes)]
        ):
            sound, truth = _in_turn({n: (sounds[n], said[n]) for n in some}, alike, number)
            audible, voicing = find_activity(sound).audible, find_voicing(sound)
            right[some] = _right(tell_apart(sound, voicing, audible, len(some)), truth)
            counts[some] = int(tell_apart(sound, voicing, audible).max()) + 1
        for many, named in ((False, "two voices"), (True, "three or four voices")):
            these = {some: share for some, share in right.items() if len(some) > 1 and (len(some) > 2) == many}
            worst = min(these, key=lambda some: these[some])
            share = f"{np.mean(list(these.values())):.2f} (worst {these[worst]:.2f}: {', '.join(worst)})"
            out.append((f"{named} in turn in one recording, {title}: share of speech time given to the right one", share))
        found = [
            f"of {n}: {sum(counts[some] == n for some in counts if len(some) == n)} of {sum(len(some) == n for some in counts)}"
            for n in (1, 2, 3, 4)
        ]
        out.append((f"… where nobody says how many there are, {title}: the number is found", ", ".join(found)))
    return out + overlap_rows([{n: (sounds[n], said[n]) for n in some} for some in _some(sounds, 2, PAIRS)])


def _some(sounds: dict[str, np.ndarray], count: int, mixes: int) -> list[tuple[str, ...]]:
    """Mixtures of so many voices, spread over all there are."""
    every = list(combinations(sorted(sounds), count))
    return [every[k] for k in np.linspace(0, len(every) - 1, min(mixes, len(every))).astype(int)]


def _shorter(utterances: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """The same, long ones in pieces."""
    out = []
    for a, b in utterances:
        edges = np.linspace(a, b, int(np.ceil((b - a) / LONGEST_S)) + 1)
        out += list(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True))
    return out


def _read(path: Path) -> tuple[np.ndarray, int]:
    x, rate = sf.read(path, dtype="float32")
    return x, rate


def _in_turn(voices: dict[str, tuple[np.ndarray, list[tuple[float, float]]]], alike: bool, seed: int) -> tuple[Sound, np.ndarray]:
    """Turns of one to three utterances, and which voice (-1: none) says every sample."""
    rng = np.random.default_rng(seed)
    colours = {n: signal.welch(x, RATE, nperseg=1024)[1] for n, (x, _) in voices.items()}
    common = np.exp(np.mean([np.log(c + 1e-12) for c in colours.values()], axis=0))
    telephone = signal.butter(4, TELEPHONE_HZ, "band", fs=RATE, output="sos")
    parts, labels, turn, pools = [], [], 0, {n: [] for n in voices}
    while sum(map(len, labels)) < SECONDS * RATE:
        name = list(voices)[turn % len(voices)]
        x, utterances = voices[name]
        if alike:
            gain = np.clip(np.sqrt((common + 1e-12) / (colours[name] + 1e-12)), 0.05, 20.0)
            response = np.fft.fftshift(np.fft.irfft(gain)) * np.hanning(1024)
            x = signal.sosfilt(telephone, signal.fftconvolve(x, response, "same"))
        x = x / np.sqrt(np.mean(x[np.abs(x) > 1e-4] ** 2)) * 0.05
        for _ in range(int(rng.integers(1, 4))):
            pools[name] = pools[name] or rng.permutation(len(utterances)).tolist()
            a, b = utterances[pools[name].pop()]
            gap = int(rng.uniform(0.05, 0.5) * RATE)
            parts += [x[int(a * RATE) : int(b * RATE)], np.zeros(gap)]
            labels += [np.full(len(parts[-2]), turn % len(voices)), np.full(gap, -1)]
        turn += 1
    x = np.concatenate(parts)
    return Sound((x + 0.0008 * rng.standard_normal(len(x)))[None].astype(np.float32), RATE), np.concatenate(labels)


def _right(speakers: np.ndarray, truth: np.ndarray) -> float:
    """The share under the numbering that fits best."""
    wanted = truth[:: RATE // 100][: len(speakers)]
    known = (wanted >= 0) & (speakers[: len(wanted)] >= 0)
    size = int(max(wanted.max(), speakers.max())) + 1
    table = np.zeros((size, size))
    np.add.at(table, (wanted[known], speakers[: len(wanted)][known]), 1)
    return float(table[optimize.linear_sum_assignment(-table)].sum() / known.sum())
