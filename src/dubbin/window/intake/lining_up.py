"""Lining up recordings by their sound, in the background."""

from __future__ import annotations

from pathlib import Path

from dubbin.core.episode.commands.recordings import place_recording
from dubbin.core.episode.model import Lane
from dubbin.core.jobs import Task
from dubbin.core.measure.alignment import Alignment, align
from dubbin.core.measure.channels import are_swapped
from dubbin.window.session.session import Session

LEAST_DRIFT_PPM = 0.5  # less is no more than the scatter of the measurement: half a millisecond in a quarter of an hour


class LiningUp:
    """alignments: by recording, what was found when it was lined up last."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.alignments: dict[str, Alignment] = {}

    def line_up(self) -> None:
        """Line all recordings up with the first voice by their sound, in the background."""
        episode = self._session.episode
        voices = [lane for lane in episode.voices if lane.recording in self._session.recordings]
        first = voices[0] if voices else None
        others = {lane.recording: lane for lane in voices if first and lane.recording != first.recording}
        if first is None or not others:
            self._session.said.emit("There must be at least two recordings of voices to line up.")
            return
        reference = self._session.recordings.copy(first.recording)
        assert reference is not None

        def work(task: Task) -> list[tuple[Lane, Alignment | None, int, bool]]:
            out = []
            for k, lane in enumerate(others.values()):
                part = task.part(k / len(others), (k + 1) / len(others))
                recording = episode.recording(lane.recording)
                path = Path(recording.path)
                # Measured on the clock of the recorder itself, whatever was corrected before.
                copy = self._session.recordings.copies.obtain(path, episode.rate, part.part(0.0, 0.3))
                found = align(reference, copy, part.part(0.3, 0.8))
                frames = copy.frames
                if found is not None and abs(found.drift_ppm) >= LEAST_DRIFT_PPM:
                    made = self._session.recordings.copies.obtain(
                        path, episode.rate, part.part(0.8, 1.0), drift_ppm=round(found.drift_ppm, 2)
                    )
                    frames = made.frames
                at = round(found.offset_s * episode.rate) if found else 0
                swapped = found is not None and are_swapped(reference, copy, at)
                out.append((lane, found, frames, swapped))
            return out

        def done(result: list[tuple[Lane, Alignment | None, int, bool]]) -> None:
            said = []
            for lane, found, frames, swapped in result:
                if found is None:
                    said.append(f"{lane.voice} and {first.voice} have too little sound in common to be lined up.")
                    continue
                drift = round(found.drift_ppm, 2) if abs(found.drift_ppm) >= LEAST_DRIFT_PPM else 0.0
                start = first.start_frame + round(found.offset_s * episode.rate)
                drifting = f", its clock {drift:+.1f} ppm off" if drift else ""
                text = f"Line up {lane.voice}: {found.offset_s:+.3f} s{drifting}"
                self.alignments[lane.recording] = found
                self._session.do(place_recording(self._session.episode, lane.recording, start, drift, frames, text))
                said.append(f"{lane.voice} begins {found.offset_s:+.4f} s after {first.voice}{drifting} (± {found.scatter_ms:.2f} ms).")
                if swapped:
                    said.append(f"Left and right of {lane.voice} are swapped against {first.voice}.")
            self._session.said.emit(" ".join(said))

        self._session.jobs.start("line up", "Lining up the recordings", work, done)
