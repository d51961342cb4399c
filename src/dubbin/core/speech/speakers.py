"""Who speaks when, of voices that share one recording, told apart by how they sound.

Short stretches are described by the mean of their cepstra and of their pitch, and grouped; then every voice gets a mixture of bell curves of its own, and the most
likely course through the recording is found, with a price on every change of speaker. Repeated until it settles.

Sources: Reynolds and Rose, "Robust text-independent speaker identification using Gaussian mixture speaker models", IEEE TSAP 1995; Anguera and others,
"Speaker diarization: a review of recent research", IEEE TASLP 2012 (resegmentation by Viterbi). Limits: voices much alike, or heard for less than some seconds, can't be
told apart; where two speak at once the louder one counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from dubbin.core.measure.voicing import Voicing, cepstra
from dubbin.core.speech.activity import FRAMES_PER_S
from dubbin.core.speech.transcript import Word, WordKind

STRETCH_S, STRETCH_HOP_S = 1.4, 0.35
COEFFICIENTS = 13  # the first, loudness, is left out
PITCH_WEIGHT = 2.2  # against the cepstra, each scaled to a spread of 1
COMPONENTS = 6
ROUNDS = 4
CHANGE_COST = 26.0  # log likelihood a change of speaker must gain
SCALE = 0.22  # frames that follow one another are alike: each counts for so much
LEAST_S = 4.0  # of speech for a voice of its own


@dataclass(frozen=True)
class _Mixture:
    weights: NDArray[np.float64]
    means: NDArray[np.float64]
    variances: NDArray[np.float64]

    def log_likelihood(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        parts = np.empty((len(x), len(self.weights)))
        for k in range(len(self.weights)):
            d = (x - self.means[k]) ** 2 / self.variances[k]
            parts[:, k] = np.log(self.weights[k]) - 0.5 * (d.sum(axis=1) + np.log(2 * np.pi * self.variances[k]).sum())
        top = parts.max(axis=1)
        return np.asarray(top + np.log(np.exp(parts - top[:, None]).sum(axis=1)))


def tell_apart(voicing: Voicing, said: NDArray[np.bool_], count: int = 2) -> NDArray[np.int8]:
    """The number of the speaker in every 10 ms frame, in the order in which they first speak; -1 where nobody does.

    said: marks of frames with speech. count: how many voices there are.
    """
    n = min(len(said), len(voicing.pitch_hz))
    said = said[:n]
    x = _features(voicing, said)
    frames = np.flatnonzero(said)
    if count < 2 or len(frames) < 2 * LEAST_S * FRAMES_PER_S:
        return np.where(said, 0, -1).astype(np.int8)
    labels = _first_guess(x, frames, count)
    inner = x[:, :COEFFICIENTS]
    for _ in range(ROUNDS):
        scores = np.stack(
            [_fit(inner[labels == k]).log_likelihood(inner) if np.any(labels == k) else np.full(len(inner), -1e3) for k in range(count)], 1
        )
        labels = _course(scores * SCALE, frames)
    out = np.full(n, -1, np.int8)
    out[frames] = _in_order(labels)
    return out


def _features(voicing: Voicing, said: NDArray[np.bool_]) -> NDArray[np.float64]:
    """(frames that are said, COEFFICIENTS): cepstra without loudness, and the pitch, each with a spread of 1."""
    n = len(said)
    c = cepstra(voicing.mel[:n], COEFFICIENTS)[said][:, 1:].astype(np.float64)
    pitch = np.where(voicing.voiced[:n], np.log(np.maximum(voicing.pitch_hz[:n], 1.0)), np.nan)
    known = pitch[said & voicing.voiced[:n]]
    usual = float(np.median(known)) if len(known) else 5.0
    index = np.arange(n)
    good = np.isfinite(pitch)
    filled = np.interp(index, index[good], pitch[good]) if good.any() else np.full(n, usual)
    filled = scipy.ndimage.median_filter(filled, 31)[said]
    x = np.concatenate([c, filled[:, None]], axis=1)
    x = (x - x.mean(axis=0)) / np.maximum(x.std(axis=0), 1e-6)
    x[:, -1] *= PITCH_WEIGHT
    out: NDArray[np.float64] = x
    return out


def _first_guess(x: NDArray[np.float64], frames: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    size, hop = round(STRETCH_S * FRAMES_PER_S), round(STRETCH_HOP_S * FRAMES_PER_S)
    starts = np.arange(0, max(len(x) - size, 1), hop)
    stretches = np.stack([np.concatenate([x[s : s + size].mean(axis=0), 0.5 * x[s : s + size, :-1].std(axis=0)]) for s in starts])
    stretches = (stretches - stretches.mean(axis=0)) / np.maximum(stretches.std(axis=0), 1e-6)
    stretches[:, COEFFICIENTS - 1] *= PITCH_WEIGHT
    u, s, _ = np.linalg.svd(stretches, full_matrices=False)
    near = u[:, :4] * s[:4]
    best, labels = np.inf, np.zeros(len(near), np.int64)
    for seed in range(8):
        centres, found = (
            scipy.cluster.vq.kmeans2(near, count, minit="++", seed=seed, missing="warn")
            if len(near) >= count
            else (near, np.arange(len(near)))
        )
        cost = float(np.sum((near - centres[found]) ** 2))
        if len(np.unique(found)) == count and cost < best:
            best, labels = cost, found.astype(np.int64)
    votes = np.zeros((len(x), count))
    for start, label in zip(starts, labels, strict=True):
        votes[start : start + size, label] += 1
    return np.asarray(np.argmax(votes, axis=1))


def _fit(x: NDArray[np.float64]) -> _Mixture:
    """A mixture by expectation and maximisation, from fixed beginnings."""
    count = int(min(COMPONENTS, max(1, len(x) // 60)))
    floor = 0.05 + 0.0 * x.var(axis=0)
    centres, found = (
        scipy.cluster.vq.kmeans2(x, count, minit="++", seed=3, missing="warn")
        if count > 1
        else (x.mean(axis=0, keepdims=True), np.zeros(len(x), int))
    )
    weights = np.array([max(np.mean(found == k), 1e-3) for k in range(count)])
    variances = np.stack([np.maximum(x[found == k].var(axis=0) if np.sum(found == k) > 8 else x.var(axis=0), floor) for k in range(count)])
    mixture = _Mixture(weights / weights.sum(), centres, variances)
    for _ in range(6):
        parts = np.stack(
            [
                np.log(mixture.weights[k])
                - 0.5 * (((x - mixture.means[k]) ** 2 / mixture.variances[k]).sum(axis=1) + np.log(mixture.variances[k]).sum())
                for k in range(count)
            ],
            1,
        )
        parts = np.exp(parts - parts.max(axis=1, keepdims=True))
        share = parts / parts.sum(axis=1, keepdims=True)
        mass = share.sum(axis=0) + 1e-6
        means = (share.T @ x) / mass[:, None]
        variances = np.maximum((share.T @ x**2) / mass[:, None] - means**2, floor)
        mixture = _Mixture(mass / mass.sum(), means, variances)
    return mixture


def _course(scores: NDArray[np.float64], frames: NDArray[np.int64]) -> NDArray[np.int64]:
    """The most likely speakers, with a price on changes, which is lower over pauses."""
    count = scores.shape[1]
    gaps = np.diff(frames, prepend=frames[:1]) / FRAMES_PER_S
    price = CHANGE_COST * SCALE / (1.0 + 4.0 * gaps)
    total = scores[0].copy()
    back = np.empty(scores.shape, np.int64)
    back[0] = np.arange(count)
    for t in range(1, len(scores)):
        best = int(np.argmax(total))
        change = total[best] - price[t]
        stay = total >= change
        back[t] = np.where(stay, np.arange(count), best)
        total = np.where(stay, total, change) + scores[t]
    out = np.empty(len(scores), np.int64)
    out[-1] = int(np.argmax(total))
    for t in range(len(scores) - 1, 0, -1):
        out[t - 1] = back[t, out[t]]
    return out


def _in_order(labels: NDArray[np.int64]) -> NDArray[np.int64]:
    seen: dict[int, int] = {}
    for label in labels:
        seen.setdefault(int(label), len(seen))
    return np.array([seen[int(label)] for label in labels])


def with_speakers(words: Sequence[Word], speakers: NDArray[np.int8], rate: int) -> list[Word]:
    """Words with the speaker who is heard in most of each; a word alone among another's goes to its neighbours."""
    per = rate / FRAMES_PER_S
    out = []
    last = 0
    for word in words:
        part = speakers[int(word.start_frame / per) : max(int(word.end_frame / per), int(word.start_frame / per) + 1)]
        part = part[part >= 0]
        last = int(np.argmax(np.bincount(part))) if len(part) else last
        out.append(replace(word, speaker=last))
    for k in range(1, len(out) - 1):
        before, here, after = out[k - 1], out[k], out[k + 1]
        close = here.start_frame - before.end_frame < 0.25 * rate and after.start_frame - here.end_frame < 0.25 * rate
        if before.speaker == after.speaker != here.speaker and close and here.kind is WordKind.WORD:
            out[k] = replace(here, speaker=before.speaker)
    return out
