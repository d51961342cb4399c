"""Who speaks when, of voices that share one recording, told apart by how they sound.

Stretches of 1.6 s become points that lie near one another where one voice speaks (speaker_encoder.py); the points are brought to as many groups as there are voices
(voice_groups.py). Then every voice gets a mixture of bell curves of its own over cepstra and pitch, 100 a second, and the most likely course through the recording is found
from both, with a price on every change of speaker. Repeated until it settles.

Sources: Anguera and others, "Speaker diarization: a review of recent research", IEEE TASLP 2012 (clustering, resegmentation by Viterbi); Reynolds and Rose,
"Robust text-independent speaker identification using Gaussian mixture speaker models", IEEE TSAP 1995. Limits: where nobody says how many
there are, who is heard for less than a twentieth of the whole, or for less than eight seconds, is not told apart; where two speak at once the louder one counts.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from dubbin.core.jobs import Task
from dubbin.core.measure.voicing import Voicing, cepstra
from dubbin.core.sound import neighbours
from dubbin.core.sound.source import Source
from dubbin.core.speech.activity import FRAMES_PER_S, runs
from dubbin.core.speech.speaker_encoder import SPAN_S, embed
from dubbin.core.speech.transcript import Word, WordKind
from dubbin.core.speech.voice_groups import differing_groups, groups_of

HOP_S, MOST_POINTS = 0.25, 7000  # from stretch to stretch; of hours of speech they lie further apart
JOIN_S, SHORTEST_S = 0.3, 0.25  # gaps inside of a stretch; what is shorter tells nothing
COEFFICIENTS = 13  # the first, loudness, is left out
PITCH_WEIGHT = 2.2  # against the cepstra, each scaled to a spread of 1
COMPONENTS, MOST_FITTED = 6, 60_000
ROUNDS = 4
CHANGE_COST = 8.0  # log likelihood a change of speaker must gain
SCALE = 0.11  # frames that follow one another are alike: each counts for so much
LEAST_S = 4.0  # of speech for a voice of its own
LEAST_SHARE, LEAST_FOUND_S = 0.05, 8.0  # of what is said, and seconds, for a voice that is found where nobody said how many there are
FEWEST_FRAMES = 200


@dataclass(frozen=True)
class _Mixture:
    weights: NDArray[np.float64]
    means: NDArray[np.float64]
    variances: NDArray[np.float64]

    def log_likelihood(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """Natural logarithm of the density at each of the points x (n, size): (n,)."""
        parts = np.empty((len(x), len(self.weights)))
        for k in range(len(self.weights)):
            d = (x - self.means[k]) ** 2 / self.variances[k]
            parts[:, k] = np.log(self.weights[k]) - 0.5 * (d.sum(axis=1) + np.log(2 * np.pi * self.variances[k]).sum())
        top = parts.max(axis=1)
        return np.asarray(top + np.log(np.exp(parts - top[:, None]).sum(axis=1)))


def tell_apart(
    source: Source, voicing: Voicing, said: NDArray[np.bool_], count: int | None = None, task: Task | None = None
) -> NDArray[np.int8]:
    """The number of the speaker in every 10 ms frame, in the order in which they first speak; -1 where nobody does.

    said: marks of frames with speech. count: how many voices there are; None: as many as are found, up to MOST_VOICES.
    """
    n = min(len(said), len(voicing.pitch_hz))
    said = said[:n]
    frames = np.flatnonzero(said)
    nobody = np.where(said, 0, -1).astype(np.int8)
    if count == 1 or len(frames) < 2 * LEAST_S * FRAMES_PER_S:
        return nobody
    spans = _stretches(said)
    points = embed(source, spans, task)
    middles = groups_of(points, _stood_for(spans), count) if count else _found(points, spans)
    if len(middles) < 2:
        return nobody
    x, near = _features(voicing, said), _nearness(points @ middles.T, spans, said)
    labels = np.argmax(near, axis=1).astype(np.int64)
    for _ in range(ROUNDS):
        scores = np.full((len(x), len(middles)), -60.0)
        for k in range(len(middles)):
            own = x[labels == k]
            if len(own) > FEWEST_FRAMES:
                scores[:, k] = _fit(own[:: -(-len(own) // MOST_FITTED)]).log_likelihood(x)
        labels = _course(scores * SCALE + near, frames)
    out = np.full(n, -1, np.int8)
    out[frames] = _in_order(labels)
    return out


def _stretches(said: NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Stretches of SPAN_S, in seconds, of what is said without a longer break; of what is shorter all of it."""
    whole: list[list[float]] = []
    for a, b in zip(*runs(said), strict=True):
        if whole and a / FRAMES_PER_S - whole[-1][1] < JOIN_S:
            whole[-1][1] = b / FRAMES_PER_S
        else:
            whole.append([a / FRAMES_PER_S, b / FRAMES_PER_S])
    hop = max(HOP_S, sum(b - a for a, b in whole) / MOST_POINTS)
    out: list[tuple[float, float]] = []
    for a, b in whole:
        if b - a < SHORTEST_S:
            continue
        if b - a <= SPAN_S + hop:
            out.append((a, b))
            continue
        starts = np.minimum(a + hop * np.arange(int(np.ceil((b - a - SPAN_S) / hop)) + 1), b - SPAN_S)
        out += [(float(s), float(s) + SPAN_S) for s in starts]
    return out


def count_voices(source: Source, said: NDArray[np.bool_], task: Task | None = None) -> int:
    """How many voices a recording seems to hold, 1 to MOST_VOICES. said: marks, 100 a second, of frames with speech."""
    spans = _stretches(said)
    if not spans:
        return 1
    return len(_found(embed(source, spans, task), spans))


def _found(points: NDArray[np.float32], spans: Sequence[tuple[float, float]]) -> NDArray[np.float32]:
    """Middles of as many voices as seem to be there: each says a share of all, and enough to be no mere outcry of another's."""
    seconds = _stood_for(spans)
    return differing_groups(points, seconds, max(LEAST_SHARE * float(seconds.sum()), LEAST_FOUND_S))


def _stood_for(spans: Sequence[tuple[float, float]]) -> NDArray[np.float64]:
    """Seconds of each stretch that it does not share with others, and half of those that it does."""
    a, b = np.array(spans, np.float64).reshape(-1, 2).T
    between = 0.5 * (b[:-1] + a[1:])
    return np.asarray(np.minimum(b, np.append(between, np.inf)) - np.maximum(a, np.append(-np.inf, between)), np.float64)


def _nearness(scores: NDArray[np.float32], spans: Sequence[tuple[float, float]], said: NDArray[np.bool_]) -> NDArray[np.float64]:
    """(frames that are said, voices): mean score of the stretches over a frame, those that lie around it counting most."""
    total, weight = np.zeros((len(said), scores.shape[1])), np.zeros(len(said))
    for (start, end), score in zip(spans, scores, strict=True):
        a, b = round(start * FRAMES_PER_S), min(round(end * FRAMES_PER_S), len(said))
        bell = np.hanning(b - a + 2)[1:-1]
        total[a:b] += bell[:, None] * score
        weight[a:b] += bell
    known = weight > 0
    total[known] /= weight[known, None]
    total[~known] = total[known].mean(axis=0) if known.any() else 0.0
    return np.asarray(total[said])


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
    filled = neighbours.median_filter(filled, 31)[said]
    x = np.concatenate([c, filled[:, None]], axis=1)
    x = (x - x.mean(axis=0)) / np.maximum(x.std(axis=0), 1e-6)
    x[:, -1] *= PITCH_WEIGHT
    out: NDArray[np.float64] = x
    return out


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
    from dubbin.core.speech.speakers_kernels import course

    gaps = np.diff(frames, prepend=frames[:1]) / FRAMES_PER_S
    out = np.empty(len(scores), np.int64)
    course(np.ascontiguousarray(scores), CHANGE_COST / (1.0 + 4.0 * gaps), out)
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
