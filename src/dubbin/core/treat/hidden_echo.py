"""Echo that noise has hidden: where a recording is too noisy for its room to be heard, it is looked for again behind the denoiser."""

from __future__ import annotations

from dubbin.core.jobs import Task
from dubbin.core.measure.echo import echo_behind_noise, echo_strength
from dubbin.core.measure.report import RecordingReport
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TREATMENTS


def hidden_echo(chain: Chain, report: RecordingReport, task: Task | None = None) -> Use | None:
    """The treatment of a room that shows only now; None where the room was measured, nothing was denoised, or none shows.

    chain: prepared, of what was suggested. report: of the recording.
    """
    by_name = {stage.treatment.name: stage for stage in chain.stages}
    if report.echo.rt60_s is not None or "denoise" not in by_name or "dereverb" in by_name:
        return None
    denoise = by_name["denoise"]
    rt60_s = echo_behind_noise(denoise.upstream, denoise, task).rt60_s
    treatment = TREATMENTS["dereverb"]
    return None if rt60_s is None else Use(treatment, treatment.settings_type(), echo_strength(rt60_s) / 100.0)
