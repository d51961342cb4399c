"""Who speaks when in an episode: each lane's own speech, and where two speak at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Lane
from dubbin.core.mix.cover import OTHER, uncovered
from dubbin.core.speech.activity import FRAMES_PER_S, Activity
from dubbin.core.speech.transcript import Transcript
from dubbin.core.speech.turns import crosstalk, hears_the_other, own_speech

Place = tuple[tuple[str, ...], float, float]
Voices = Sequence[tuple[Lane, Activity]]  # lanes on one session clock, each with what was seen of its recording


@dataclass(frozen=True)
class Overlaps:
    """places: (ids of two lanes, or of one that two share, start and end in seconds of the session) where both speak, sorted. hearing: for each of them the id of the
    lane whose microphone hears the other one; that of a shared one."""

    places: tuple[Place, ...] = ()
    hearing: tuple[str, ...] = ()


def own_marks(voices: Voices, rate: int) -> list[NDArray[np.bool_]]:
    """For each lane the frames of its recording, FRAMES_PER_S a second, in which its own voice is heard: neither bleed nor what is another's. rate: of the episode."""
    own = own_speech([(lane.start_frame / rate, activity) for lane, activity in voices])
    return [uncovered(marks, lane, rate, FRAMES_PER_S, OTHER) for (lane, _), marks in zip(voices, own, strict=True)]


def find_overlaps(voices: Voices, rate: int, transcripts: Sequence[Transcript] = ()) -> Overlaps:
    """Where two of the voices speak at once, also of those that share a microphone."""
    shared = _in_one(voices, rate, transcripts)
    places, hearing = _between(voices, rate)
    both = sorted([*zip(places, hearing, strict=True), *((place, place[0][0]) for place in shared)], key=lambda found: found[0][1])
    return Overlaps(tuple(place for place, _ in both), tuple(other for _, other in both))


def _in_one(voices: Voices, rate: int, transcripts: Sequence[Transcript]) -> list[Place]:
    """Places in which two are heard in one microphone, as it was found when they were told apart."""
    starts = {lane.id: lane.start_frame for lane, _ in voices}
    return [
        ((t.lane,), (starts[t.lane] + a) / rate, (starts[t.lane] + b) / rate)
        for t in transcripts
        if t.lane in starts
        for a, b in t.together
    ]


def heard_together(transcript: Transcript | None, start_frame: int, end_frame: int) -> tuple[str, ...]:
    """Names of the two of several speakers who are heard in a stretch of their recording: whose words touch it; none where that is not clear."""
    if transcript is None or len(transcript.speakers) < 2:
        return ()
    if len(transcript.speakers) == 2:
        return transcript.speakers
    near = {w.speaker for w in transcript.words if w.start_frame < end_frame and w.end_frame > start_frame}
    return tuple(transcript.speakers[k] for k in sorted(near)) if len(near) == 2 else ()


def _between(voices: Voices, rate: int) -> tuple[list[Place], list[str]]:
    """Places of two lanes, and whose microphone hears the other."""
    if len(voices) < 2:
        return [], []
    own, starts_s = own_marks(voices, rate), [lane.start_frame / rate for lane, _ in voices]
    found = crosstalk(own, starts_s)
    hearing = hears_the_other([(start, activity) for start, (_, activity) in zip(starts_s, voices, strict=True)], own, found)
    ids = [lane.id for lane, _ in voices]
    places: list[Place] = [((ids[c.lanes[0]], ids[c.lanes[1]]), c.start_s, c.end_s) for c in found]
    return places, [ids[k] for k in hearing]
