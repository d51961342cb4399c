"""What a voice sounds like, as a point on a sphere: stretches of one voice lie near one another, whatever is said in them.

A network of three recurrent layers hears 1.6 s of speech and gives 256 figures. It was trained on thousands of voices to bring what one of them said together, and to part
it from all others. Source: Wan, Wang, Papir and Lopez Moreno, "Generalized end-to-end loss for speaker verification", ICASSP 2018. Weights: Resemblyzer
(Apache-2.0, `weights/speaker-encoder-LICENSE`), in half precision (`scripts/make_speaker_weights.py`). Limits: 1.6 s in which two voices are heard give a point between
theirs; music and laughter lie anywhere.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import soxr
from numpy.typing import NDArray

from dubbin.core import array_files
from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Source, read_padded

RATE = 16000
WINDOW, HOP = 400, 160  # of the spectra, in frames
STEPS = 160  # spectra that the network hears at once
SPAN_S = STEPS * HOP / RATE
BANDS = 40
LEVEL = 10.0 ** (-30 / 20)  # root mean square to which speech is brought
SIZE = 256  # of a point
SIDE_BY_SIDE = 64
LAYERS = 3


def embed(source: Source, spans_s: Sequence[tuple[float, float]], task: Task | None = None) -> NDArray[np.float32]:
    """Points (len(spans_s), SIZE) of length 1 of stretches (start, end) in seconds, all channels mixed; of longer ones than SPAN_S their beginning. What is
    shorter is heard over and over."""
    out = np.zeros((len(spans_s), SIZE), np.float32)

    def work(first: int) -> None:
        heard = [_spectra(_sound_of(source, a, b)) for a, b in spans_s[first : first + SIDE_BY_SIDE]]
        out[first : first + SIDE_BY_SIDE] = points_of(np.stack(heard))

    in_parallel(work, range(0, len(spans_s), SIDE_BY_SIDE), task or Task())
    return out


def points_of(spectra: NDArray[np.float32]) -> NDArray[np.float32]:
    """Points (n, SIZE) of spectra (n, STEPS, BANDS)."""
    from dubbin.core.speech.speaker_encoder_kernels import step

    weights = _weights()
    x = np.ascontiguousarray(spectra.transpose(1, 0, 2))
    for layer in range(LAYERS):
        from_below, from_before, bias = weights[layer]
        gates = (x.reshape(-1, x.shape[2]) @ from_below + bias).reshape(*x.shape[:2], -1)
        hidden, cell = (np.zeros((x.shape[1], SIZE), np.float32) for _ in range(2))
        x = np.empty((len(gates), *hidden.shape), np.float32)
        for t, g in enumerate(gates):
            step(g + hidden @ from_before, cell, hidden)
            x[t] = hidden
    matrix, bias = weights[LAYERS]
    y = np.maximum(x[-1] @ matrix + bias, 0.0)
    out: NDArray[np.float32] = y / np.maximum(np.linalg.norm(y, axis=1, keepdims=True), 1e-6)
    return out


def _sound_of(source: Source, start_s: float, end_s: float) -> NDArray[np.float32]:
    """A stretch at RATE and LEVEL, of the length that the network hears."""
    wanted = (STEPS - 1) * HOP + WINDOW
    end_s = min(end_s, start_s + wanted / RATE)
    x = read_padded(source, round(start_s * source.rate), max(round(end_s * source.rate), round(start_s * source.rate) + 1)).mean(axis=0)
    y = soxr.resample(x, source.rate, RATE, quality="HQ").astype(np.float32)
    if len(y) < wanted - WINDOW:
        y = np.tile(y, -(-wanted // max(len(y), 1)))
    y = np.pad(y, (0, max(0, wanted - len(y))))[:wanted]
    level = float(np.sqrt(np.mean(np.square(y, dtype=np.float64))))
    return y * np.float32(LEVEL / level) if level > 1e-7 else y


def _spectra(y: NDArray[np.float32]) -> NDArray[np.float32]:
    """(STEPS, BANDS) powers in mel bands."""
    frames = np.lib.stride_tricks.sliding_window_view(y, WINDOW)[: (STEPS - 1) * HOP + 1 : HOP]
    window = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(WINDOW) / WINDOW)).astype(np.float32)
    X = fourier.rfft(frames * window)
    return np.asarray((X.real**2 + X.imag**2) @ _mel_matrix(), np.float32)


@lru_cache(maxsize=1)
def _mel_matrix() -> NDArray[np.float32]:
    """(WINDOW / 2 + 1, BANDS): triangles of equal area on Slaney's scale, straight up to 1 kHz and logarithmic above (Auditory Toolbox, 1998)."""
    straight, octave = 200.0 / 3.0, np.log(6.4) / 27.0
    top = 15.0 + np.log(RATE / 2 / 1000.0) / octave
    mel = np.linspace(0.0, top, BANDS + 2)
    edges = np.where(mel < 15.0, straight * mel, 1000.0 * np.exp(octave * (np.maximum(mel, 15.0) - 15.0)))
    hz = np.arange(WINDOW // 2 + 1) * RATE / WINDOW
    rising = (hz[:, None] - edges[None, :-2]) / np.diff(edges)[:-1]
    falling = (edges[None, 2:] - hz[:, None]) / np.diff(edges)[1:]
    triangles = np.clip(np.minimum(rising, falling), 0.0, None)
    return np.asarray(triangles * 2.0 / (edges[2:] - edges[:-2]), np.float32)


@lru_cache(maxsize=1)
def _weights() -> list[tuple[NDArray[np.float32], ...]]:
    """Of every layer: from below, from the step before, bias; last the matrix and the bias that lead out."""
    w = {name: stored.astype(np.float32) for name, stored in array_files.weights("dubbin.core.speech", "speaker-encoder").items()}
    layers: list[tuple[NDArray[np.float32], ...]] = []
    for n in range(LAYERS):
        below, before = (np.ascontiguousarray(w[f"lstm.weight_{kind}_l{n}"].T) for kind in ("ih", "hh"))
        layers.append((below, before, w[f"lstm.bias_ih_l{n}"] + w[f"lstm.bias_hh_l{n}"]))
    layers.append((np.ascontiguousarray(w["linear.weight"].T), w["linear.bias"]))
    return layers
