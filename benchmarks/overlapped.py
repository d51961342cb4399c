"""Two voices at once in one recording: how much of it is found, and how much of what is found is right. Mixtures of recordings of real people in rooms."""

from __future__ import annotations

import numpy as np
from scipy import ndimage, signal

from dubbin.core.sound.source import Sound
from dubbin.core.speech.activity import find_activity
from dubbin.core.speech.models import built_in_model
from dubbin.core.speech.recogniser import recogniser
from dubbin.core.speech.two_at_once import find_together
from dubbin.demo.room import room_response

Row = tuple[str, str]
Voice = tuple[np.ndarray, list[tuple[float, float]]]
RATE, SECONDS, STEPS_PER_S = 16000, 150.0, 50
SOUNDING_DB = -32.0  # of a voice's loud frames
NEAR_S = 0.3  # a place that is told lies so near to a true one


def overlap_rows(mixes: list[dict[str, Voice]]) -> list[Row]:
    """mixes: pairs of voices, each with its sound at RATE and the seconds of what it says."""
    told_right, told, true_found, true, frames = 0, 0, 0, 0, np.zeros(3)
    minutes = 0.0
    for seed, mix in enumerate(mixes):
        sound, both = overlapping(mix, seed)
        found = find_together(sound, find_activity(sound).audible, recogniser(built_in_model()))
        marks = np.zeros(len(both), bool)
        for a, b in found:
            marks[round(a * STEPS_PER_S) : round(b * STEPS_PER_S)] = True
        near = ndimage.binary_dilation(both, np.ones(2 * round(NEAR_S * STEPS_PER_S) + 1))
        told += len(found)
        told_right += sum(both[round(a * STEPS_PER_S) : round(b * STEPS_PER_S)].any() for a, b in found)
        labels, count = ndimage.label(both)
        lengths = ndimage.sum_labels(both, labels, range(1, count + 1))
        for k in np.flatnonzero(lengths >= 0.3 * STEPS_PER_S) + 1:
            true += 1
            true_found += bool(marks[labels == k].any())
        frames += np.array((np.sum(marks & both), np.sum(marks & ~near), np.sum(both)))
        minutes += len(both) / STEPS_PER_S / 60
    return [
        ("two voices at once in one recording: places of .3 s or more that are found", f"{true_found / true:.2f} of {true}"),
        ("… places told where only one speaks", f"{told - told_right} of {told}, {(told - told_right) / minutes:.1f} a minute"),
        ("… of the time in which two speak what is marked; of the time that is marked what lies .3 s and more beside it", f"{frames[0] / frames[2]:.2f}; {frames[1] / max(frames[0] + frames[1], 1):.2f}"),
    ]  # fmt: skip


def overlapping(mix: dict[str, Voice], seed: int) -> tuple[Sound, np.ndarray]:
    """Talk in turn in which now and then one begins while the other still speaks, and where both are heard, STEPS_PER_S a second."""
    rng = np.random.default_rng(seed)
    tracks = [np.zeros(int((SECONDS + 20) * RATE), np.float32) for _ in mix]
    at, turn = 0.3, 0
    pools: dict[str, list[int]] = {name: [] for name in mix}
    gains = [10 ** (rng.normal(0, 2) / 20) for _ in mix]
    while at < SECONDS:
        k = turn % len(mix)
        name = list(mix)[k]
        x, said = mix[name]
        scale = 0.05 / np.sqrt(np.mean(x[np.abs(x) > 1e-4] ** 2)) * gains[k]
        for _ in range(int(rng.integers(1, 4))):
            pools[name] = pools[name] or rng.permutation(len(said)).tolist()
            a, b = said[pools[name].pop()]
            y = x[int(a * RATE) : int(b * RATE)] * scale
            start = int(at * RATE)
            tracks[k][start : start + len(y)] += y[: max(0, len(tracks[k]) - start)]
            at += b - a + rng.uniform(0.05, 0.5)
        at = max(at - rng.uniform(0.4, 2.0), 0.1) if rng.random() < 0.35 else at
        turn += 1
    sounding = [_sounding(track) for track in tracks]
    if rng.random() < 0.6:
        for k, track in enumerate(tracks):
            h = room_response(
                RATE, float(rng.uniform(0.2, 0.5)), (4.2, 3.5, 2.6), (1.5 + k, 1.2, 1.2), (2.6, 2.2, 1.2), int(rng.integers(1 << 30))
            )
            first = int(np.argmax(np.abs(h)))
            tracks[k] = signal.oaconvolve(track, h / np.sqrt(np.sum(h**2)))[first : first + len(track)]
    whole = np.sum(tracks, axis=0)[: int(SECONDS * RATE)]
    whole = whole + 10 ** (-rng.uniform(55, 75) / 20) * rng.standard_normal(len(whole))
    return Sound(whole[None].astype(np.float32), RATE), (sounding[0] & sounding[1])[: int(SECONDS * STEPS_PER_S)]


def _sounding(x: np.ndarray) -> np.ndarray:
    """Where a voice is heard, gaps of a tenth of a second included."""
    hop = RATE // STEPS_PER_S
    db = 10 * np.log10(ndimage.uniform_filter1d(x.astype(np.float64) ** 2, 3 * hop)[hop // 2 :: hop] + 1e-12)
    on = db > np.quantile(db[db > -80], 0.9) + SOUNDING_DB
    return ndimage.binary_closing(np.pad(on, 6), np.ones(6))[6:-6]
