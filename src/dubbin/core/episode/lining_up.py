"""Recordings of one session put on one clock, by their sound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.recordings import place_recording
from dubbin.core.episode.model import Episode, Lane
from dubbin.core.figures import number
from dubbin.core.jobs import Task
from dubbin.core.measure.alignment import Alignment, align
from dubbin.core.measure.channels import are_swapped
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.texts import tr, tr_count

LEAST_DRIFT_PPM = 0.5  # less is no more than the scatter of the measurement: half a millisecond in a quarter of an hour


@dataclass(frozen=True)
class LinedUp:
    """What was found of one recording against that of the first voice. found: None where they have too little sound in common. frames: its length once its drift is
    corrected. is_swapped: its left and right against the other's."""

    lane: Lane
    first: Lane
    found: Alignment | None
    frames: int
    is_swapped: bool = False

    @property
    def drift_ppm(self) -> float:
        """By how much its clock is to be corrected."""
        drift = self.found.drift_ppm if self.found is not None else 0.0
        return round(drift, 2) if abs(drift) >= LEAST_DRIFT_PPM else 0.0

    @property
    def drift_text(self) -> str:
        """The drift in words; empty where there is none."""
        return tr(", its clock {drift_ppm} ppm off").format(drift_ppm=number(self.drift_ppm, sign=True)) if self.drift_ppm else ""

    def texts(self) -> list[str]:
        """What was found, in sentences."""
        if self.found is None:
            return [
                tr("{voice} and {voice2} have too little sound in common to be lined up.").format(
                    voice=self.lane.voice, voice2=self.first.voice
                )
            ]
        at = tr("{voice} begins {offset_s} s after {voice2}").format(
            voice=self.lane.voice, offset_s=number(self.found.offset_s, 4, sign=True), voice2=self.first.voice
        )
        swapped = (
            [tr("Left and right of {voice} are swapped against {voice2}.").format(voice=self.lane.voice, voice2=self.first.voice)]
            if self.is_swapped
            else []
        )
        return [
            tr("{at}{drift_text} (± {scatter_ms} ms).").format(
                at=at, drift_text=self.drift_text, scatter_ms=number(self.found.scatter_ms, 2)
            ),
            *swapped,
        ]


def to_line_up(episode: Episode) -> list[Lane]:
    """A lane of every recording of voices, the first of which is what the others are lined up with."""
    lanes: dict[str, Lane] = {}
    for lane in episode.session_voices:
        lanes.setdefault(lane.recording, lane)
    return list(lanes.values())


def line_up(episode: Episode, copies: WorkingCopies, task: Task | None = None) -> list[LinedUp]:
    """Measure where every recording of voices belongs against the first. Raises UnusableSound and Cancelled."""
    task = task or Task()
    lanes = to_line_up(episode)
    if len(lanes) < 2:
        return []
    first, *others = lanes
    own = episode.recording(first.recording)
    reference = copies.obtain(Path(own.path), episode.rate, drift_ppm=own.drift_ppm)
    out = []
    for lane, part in zip(others, task.shares(len(others)), strict=True):
        path = Path(episode.recording(lane.recording).path)
        # Measured on the clock of the recorder itself, whatever was corrected before.
        copy = copies.obtain(path, episode.rate, part.part(0.0, 0.3))
        found = align(reference, copy, part.part(0.3, 0.8))
        result = LinedUp(lane, first, found, copy.frames)
        if found is not None:
            frames = copies.obtain(path, episode.rate, part.part(0.8, 1.0), drift_ppm=result.drift_ppm).frames
            result = LinedUp(lane, first, found, frames, are_swapped(reference, copy, round(found.offset_s * episode.rate)))
        out.append(result)
    return out


def lined_up(episode: Episode, results: Sequence[LinedUp]) -> Change:
    """Put the recordings where they were found to belong."""
    for result in results:
        if result.found is not None:
            start = episode.lane(result.first.id).start_frame + round(result.found.offset_s * episode.rate)
            episode = place_recording(episode, result.lane.recording, start, result.drift_ppm, result.frames, "").episode
    placed = [r for r in results if r.found is not None]
    one = (
        f"{placed[0].lane.voice}: {number(placed[0].found.offset_s, 3, sign=True)} s{placed[0].drift_text}"
        if len(placed) == 1 and placed[0].found
        else ""
    )
    return Change(tr("Line up {what}").format(what=one or tr_count("{count} recording", "{count} recordings", len(placed))), episode)
