"""Points that lie near one another, one a stretch of speech, brought together to as many groups as there are voices.

Spherical k-means, begun from many sides: voices that say little must be found beside one that says nearly everything, where a beginning by lot seldom meets them. So the points are
first brought to small groups, those are joined from the nearest on, and what is left of them at every count is one beginning. Of all partitions that come of it, and whose groups
are as unlike as voices, the one that lies nearest to the points counts.

Sources: Dhillon and Modha, "Concept decompositions for large sparse text data using clustering", Machine Learning 42, 2001 (k-means on the sphere); Arthur and Vassilvitskii,
"k-means++: the advantages of careful seeding", SODA 2007. Limits: who changes his voice for a twentieth of the time (plays a part, shouts) may count as two.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

MOST_VOICES = 6
# Cosine between the middles of two groups above which they are one voice: half of what is said may be more like the other half than a twentieth may, which is more
# often the same voice in another mood. On mixtures of one to four of eight real voices that finds the number in 71 of 88, one limit for all in 65.
ONE_VOICE, MORE_A_SHARE, AT_MOST = 0.74, 0.5, 0.86
ONE_VOICE_GIVEN = 0.9  # the same where somebody said how many there are
# Of all speech, for one of as many as somebody said there are; the next where there are not so many that differ.
GIVEN_SHARES = (0.02, 0.005, 0.0)
SMALL_GROUPS = (12, 24, 40)
BY_LOT = 6  # beginnings
ROUNDS = 30
MOST_GROUPED = 1500  # points that are grouped; the others are like them


def differing_groups(points: NDArray[np.float32], seconds: NDArray[np.float64], least_s: float) -> NDArray[np.float32]:
    """Middles (voices, size), of length 1, of as many groups as differ like voices do, up to MOST_VOICES.

    points: (n, size) of length 1; seconds: (n,) of speech that each of them stands for; least_s: seconds of the smallest group."""
    cloud = _Cloud.of(points, seconds)
    for count in range(MOST_VOICES, 1, -1):
        middles = _best(cloud, [m for m in _partitions(cloud, count, least_s) if _differ(cloud, m)])
        if middles is not None:
            return middles
    return _unit(cloud.sums(np.zeros(len(cloud.x), np.int64), 1))


def groups_of(points: NDArray[np.float32], seconds: NDArray[np.float64], count: int) -> NDArray[np.float32]:
    """The same of as many groups as somebody said there are voices. Who says very little is looked for where nobody else differs enough."""
    cloud = _Cloud.of(points, seconds)
    partitions: list[NDArray[np.float32]] = []
    for share in GIVEN_SHARES:
        partitions += _partitions(cloud, count, share * float(cloud.seconds.sum()))
        middles = _best(cloud, [m for m in partitions if _alike(m) <= ONE_VOICE_GIVEN])
        if middles is not None:
            return middles
    return min(partitions, key=_alike, default=cloud.x[:count])


def _best(cloud: _Cloud, partitions: list[NDArray[np.float32]]) -> NDArray[np.float32] | None:
    """The partition whose middles are nearest to its points."""
    return max(partitions, key=lambda middles: float(np.max(cloud.x @ middles.T, axis=1).mean()), default=None)


def _differ(cloud: _Cloud, middles: NDArray[np.float32]) -> bool:
    """Whether the two groups that are most alike are as unlike as two voices that say so much."""
    mass = cloud.mass(np.argmax(cloud.x @ middles.T, axis=1), len(middles))
    a, b = divmod(int(np.argmax(middles @ middles.T - 2.0 * np.eye(len(middles)))), len(middles))
    share = min(mass[a], mass[b]) / mass.sum()
    return _alike(middles) <= min(ONE_VOICE + MORE_A_SHARE * float(share), AT_MOST)


@dataclass(frozen=True)
class _Cloud:
    """Points x (n, size), and the seconds (n,) that each stands for."""

    x: NDArray[np.float32]
    seconds: NDArray[np.float64]

    @staticmethod
    def of(points: NDArray[np.float32], seconds: NDArray[np.float64]) -> _Cloud:
        """At most MOST_GROUPED of the points, evenly picked, which stand for the seconds of all."""
        some = np.unique(np.linspace(0, len(points) - 1, min(len(points), MOST_GROUPED)).astype(int))
        return _Cloud(points[some], seconds[some] * (seconds.sum() / max(float(seconds[some].sum()), 1e-9)))

    def sums(self, near: NDArray[np.int64], count: int) -> NDArray[np.float64]:
        """Sums (count, size) of the points of each group."""
        return np.asarray((near == np.arange(count)[:, None]).astype(np.float32) @ self.x, np.float64)

    def mass(self, near: NDArray[np.int64], count: int) -> NDArray[np.float64]:
        """Seconds of each group."""
        return np.asarray(np.bincount(near, weights=self.seconds, minlength=count), np.float64)

    def drawn(self, count: int, rng: np.random.Generator) -> NDArray[np.float32]:
        """Points to begin from, drawn by lot, such as lie far from those before rather than near."""
        drawn = [self.x[rng.integers(len(self.x))]]
        while len(drawn) < count:
            far = np.maximum(1.0 - np.max(self.x @ np.array(drawn).T, axis=1), 1e-9)
            drawn.append(self.x[rng.choice(len(self.x), p=far / far.sum())])
        return np.array(drawn, np.float32)

    def settled(self, middles: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
        """Middles moved to the mean of the points that are nearest to each until they stay, and the nearest of each point."""
        near = np.argmax(self.x @ middles.T, axis=1)
        for _ in range(ROUNDS):
            there = self.mass(near, len(middles)) > 0
            middles = np.where(there[:, None], _unit(self.sums(near, len(middles))), middles)
            now = np.argmax(self.x @ middles.T, axis=1)
            if np.array_equal(now, near):
                break
            near = now
        return middles, near


def _partitions(cloud: _Cloud, count: int, least_s: float) -> list[NDArray[np.float32]]:
    """Middles of partitions into `count` groups none of which is smaller."""
    if len(cloud.x) < count:
        return []
    rng = np.random.default_rng(0)
    beginnings = [cloud.drawn(count, rng) for _ in range(BY_LOT)]
    for small in SMALL_GROUPS:
        joined = _joined(cloud, cloud.settled(cloud.drawn(min(small, len(cloud.x)), rng))[0], 0.5 * least_s)
        beginnings += [middles for middles in joined if len(middles) == count]
    settled = (cloud.settled(begin) for begin in beginnings)
    return [middles for middles, near in settled if cloud.mass(near, count).min() >= max(least_s, 1e-9)]


def _joined(cloud: _Cloud, middles: NDArray[np.float32], least_s: float) -> list[NDArray[np.float32]]:
    """What small groups come to when the nearest two are joined again and again: at every step the middles of those that are large enough, the largest first."""
    near = np.argmax(cloud.x @ middles.T, axis=1)
    mass, sums = cloud.mass(near, len(middles)), cloud.sums(near, len(middles))
    out = []
    while len(sums) > 1:
        order = np.argsort(-mass, kind="stable")
        out.append(_unit(sums[order[mass[order] >= least_s]]))
        unit = _unit(sums)
        a, b = sorted(divmod(int(np.argmax(unit @ unit.T - 2.0 * np.eye(len(unit)))), len(unit)))
        sums[a] += sums[b]
        mass[a] += mass[b]
        sums, mass = np.delete(sums, b, axis=0), np.delete(mass, b)
    return out


def _alike(middles: NDArray[np.float32]) -> float:
    """Cosine of the two that are most alike."""
    return float((middles @ middles.T - 2.0 * np.eye(len(middles))).max())


def _unit(sums: NDArray[np.float64]) -> NDArray[np.float32]:
    return np.asarray(sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-9), np.float32)
