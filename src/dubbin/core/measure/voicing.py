"""What kind of sound there is, 100 times a second: pitch, how periodic it is, and the shape of its spectrum.

Pitch is taken from the autocorrelation, freed from that of the window. Source: Boersma, "Accurate short-term analysis of the fundamental
frequency and the harmonics-to-noise ratio of a sampled sound", IFA Proceedings 17, 1993. Spectra are in mel bands (O'Shaughnessy's formula).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier
from dubbin.core.sound.source import Source, read_padded

FRAMES_PER_S = 100
RATE = 16000
WINDOW = 640  # 40 ms: two periods of the deepest voice
SIZE = 1024  # of the transforms: a window and the longest lag
LOWEST_HZ, HIGHEST_HZ = 60.0, 420.0
OCTAVE_COST = 0.03  # a lag twice as long must fit better by this
MEL_BANDS = 24
MEL_RANGE_HZ = (100.0, 7600.0)
CHUNK_S = 20.0
BATCH = 512  # frames whose spectra fit into a processor's cache
VOICED_FROM = 0.55
SHORTEST_VOWEL_S = 0.06


@dataclass(frozen=True)
class Voicing:
    """Per 10 ms frame: pitch_hz, 0 where there is none; periodicity, 0 to 1; mel, (n, MEL_BANDS) levels in dB."""

    pitch_hz: NDArray[np.float32]
    periodicity: NDArray[np.float32]
    mel: NDArray[np.float32]

    @property
    def voiced(self) -> NDArray[np.bool_]:
        """Frames that have a pitch, (frames,)."""
        return self.pitch_hz > 0

    def kept(self) -> KeptVoicing:
        """What is asked for once words are written down."""
        return KeptVoicing(self.voiced, self.mel.astype(np.float16))


@dataclass(frozen=True)
class KeptVoicing:
    """What a voicing is kept as, in half of its memory: three hours of a voice take 112 MB as they are measured. voiced: (frames,), whether a frame has a pitch;
    mel: (frames, MEL_BANDS) levels in dB, good to three hundredths."""

    voiced: NDArray[np.bool_]
    mel: NDArray[np.float16]


def vowels(voicing: Voicing) -> NDArray[np.bool_]:
    """Frames in which a pitch is held for SHORTEST_VOWEL_S, (frames,): rustling has one for a moment now and then."""
    out = voicing.voiced
    edges = np.flatnonzero(np.diff(np.concatenate([[0], out.astype(np.int8), [0]])))
    for a, b in edges.reshape(-1, 2):
        out[a:b] = b - a >= SHORTEST_VOWEL_S * FRAMES_PER_S
    return out


def find_voicing(source: Source, task: Task | None = None) -> Voicing:
    """Look through a whole source, its channels mixed."""
    task = task or Task()
    count = max(1, -(-source.frames * FRAMES_PER_S // source.rate))
    pitch, periodicity = np.zeros(count, np.float32), np.zeros(count, np.float32)
    mel = np.full((count, MEL_BANDS), -100.0, np.float32)
    per_chunk = round(CHUNK_S * FRAMES_PER_S)
    margin_s = 0.05

    def look(first: int) -> None:
        number = min(per_chunk, count - first)
        a = first / FRAMES_PER_S - margin_s
        b = (first + number) / FRAMES_PER_S + margin_s
        x = read_padded(source, round(a * source.rate), round(b * source.rate)).mean(axis=0)
        y = soxr.resample(x, source.rate, RATE, quality="MQ").astype(np.float32)
        here = slice(first, first + number)
        pitch[here], periodicity[here], mel[here] = look_at(y, number, round(margin_s * RATE))

    in_parallel(look, range(0, count, per_chunk), task)
    return Voicing(pitch, periodicity, mel)


def look_at(y: NDArray[np.float32], count: int, skip: int) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Pitch, periodicity and mel levels of `count` frames of y at RATE, the first beginning at frame `skip`."""
    hop = RATE // FRAMES_PER_S
    starts = skip + np.arange(count) * hop + hop // 2 - WINDOW // 2
    y = np.pad(y, (0, max(0, int(starts[-1]) + WINDOW - len(y))))
    frames = np.lib.stride_tricks.sliding_window_view(y, WINDOW)[starts]
    window = np.hanning(WINDOW).astype(np.float32)
    frames = (frames - frames.mean(axis=1, keepdims=True)) * window
    own = fourier.irfft(np.abs(fourier.rfft(window, SIZE)) ** 2, SIZE)[: round(RATE / LOWEST_HZ) + 2]
    mel, r = np.empty((count, MEL_BANDS), np.float32), np.empty((count, len(own)), np.float32)
    for a in range(0, count, BATCH):
        mel[a : a + BATCH], r[a : a + BATCH] = _spectrum_and_correlation(frames[a : a + BATCH], len(own))
    r /= np.maximum(r[:, :1], 1e-9) * (own / own[0]).astype(np.float32)
    first, last = round(RATE / HIGHEST_HZ), round(RATE / LOWEST_HZ)
    lags = np.arange(first, last + 1)
    part = r[:, first : last + 1] - OCTAVE_COST * np.log2(lags / first)
    best = np.argmax(part, axis=1)
    strength = np.clip(r[np.arange(count), best + first], 0.0, 1.0)
    inner = (best > 0) & (best < len(lags) - 1)
    voiced = (strength > VOICED_FROM) & inner
    pitch = np.where(voiced, RATE / (best + first), 0.0)
    return pitch.astype(np.float32), strength.astype(np.float32), mel.astype(np.float32)


def _spectrum_and_correlation(frames: NDArray[np.float32], lags: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Mel levels in dB, and the autocorrelation of the lows."""
    X = fourier.rfft(frames, SIZE)
    P = X.real**2 + X.imag**2
    mel = 10.0 * np.log10(2.0 * (P @ _mel_matrix()) + 1e-9)
    P[:, round(1800 * SIZE / RATE) :] = 0.0  # pitch is in the lows; consonants are not
    return mel, fourier.irfft(P, SIZE)[:, :lags]


@lru_cache(maxsize=1)
def _mel_matrix() -> NDArray[np.float32]:
    low, high = (2595.0 * np.log10(1.0 + hz / 700.0) for hz in MEL_RANGE_HZ)
    edges_mel = np.linspace(low, high, MEL_BANDS + 2)
    edges = 700.0 * (10.0 ** (edges_mel / 2595.0) - 1.0)
    hz = np.arange(SIZE // 2 + 1) * RATE / SIZE
    rising = (hz[:, None] - edges[None, :-2]) / (edges[1:-1] - edges[:-2])
    falling = (edges[None, 2:] - hz[:, None]) / (edges[2:] - edges[1:-1])
    return np.clip(np.minimum(rising, falling), 0.0, None).astype(np.float32)


def cepstra(mel: NDArray[np.float32] | NDArray[np.float16], count: int = 13) -> NDArray[np.float32]:
    """(n, count) cepstral coefficients of mel levels; the first is the loudness."""
    return np.asarray(scipy.fft.dct(mel.astype(np.float32, copy=False), axis=1, norm="ortho")[:, :count], np.float32)
