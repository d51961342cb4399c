"""A recording that was in an episode before: its words, name and treatments, so that they can be given back when it is added again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.model import Episode, Lane, Recording, new_id
from dubbin.core.speech.transcript import Transcript
from dubbin.core.texts import tr


@dataclass(frozen=True)
class FormerLane:
    """A lane as it was when its recording was taken out; drift_ppm: by which the recording's clock was corrected."""

    lane: Lane
    transcript: Transcript | None
    drift_ppm: float
    frames: int


def former_lanes(earlier: Iterable[Episode], recording: Recording) -> list[FormerLane]:
    """The lanes of a recording with the same sound in the latest of earlier episodes that had one. earlier: the latest first."""
    for episode in earlier:
        known = {r.id: r for r in episode.recordings if r.fingerprint == recording.fingerprint and r.id != recording.id}
        lanes = [lane for lane in episode.lanes if lane.recording in known and not lane.is_insert]
        if lanes:
            return [
                FormerLane(lane, episode.transcript(lane.id), known[lane.recording].drift_ppm, known[lane.recording].frames)
                for lane in lanes
            ]
    return []


def is_worth_it(former: Iterable[FormerLane]) -> bool:
    """Whether something was done to the lanes that is not done by adding them."""
    return any(
        f.transcript is not None
        or f.lane.repairs
        or f.lane.voice_chain
        or f.lane.touch_ups
        or f.lane.covers
        or f.lane.line
        or f.lane.start_frame
        for f in former
    )


def give_back(episode: Episode, recording_id: str, former: Iterable[FormerLane]) -> Change:
    """Have the lanes of a recording as they were: name, place, words, treatments, covers and levels. Lanes with other channels stay.

    Where several lanes shared channels, each speaker's their own, there are as many again.
    """
    changed, former = episode, tuple(former)
    taken: set[str] = set()
    for item in former:
        alike = [lane for lane in changed.lanes if lane.recording == recording_id and lane.channels == item.lane.channels]
        if not alike:
            continue
        now = next((lane for lane in alike if lane.id not in taken), None)
        lane = replace(item.lane, id=now.id if now is not None else new_id(), recording=recording_id)
        taken.add(lane.id)
        recording = replace(changed.recording(recording_id), drift_ppm=item.drift_ppm, frames=item.frames)
        lanes = tuple(lane if x.id == lane.id else x for x in changed.lanes)
        changed = replace(
            changed,
            lanes=lanes if now is not None else (*lanes, lane),
            recordings=tuple(recording if r.id == recording_id else r for r in changed.recordings),
        )
        if item.transcript is not None:
            changed = set_transcript(changed, replace(item.transcript, lane=lane.id)).episode
    names = ", ".join(dict.fromkeys(item.lane.voice for item in former))
    return Change(tr("Give {names} back what was done before").format(names=names), changed)
