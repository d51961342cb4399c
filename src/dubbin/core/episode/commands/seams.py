"""How seams are joined."""

from __future__ import annotations

from dataclasses import replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import Episode, SeamSetting, SeamShape
from dubbin.core.texts import tr


def set_seams(episode: Episode, *, ms: float | None = None, auto: bool | None = None) -> Change:
    """How all seams are joined that have no setting of their own."""
    changed = replace(
        episode, seam_ms=episode.seam_ms if ms is None else min(max(ms, 0.0), 500.0), seam_auto=episode.seam_auto if auto is None else auto
    )
    return Change(tr("Change the crossfades"), changed, "seams")


def set_seam(episode: Episode, before_frame: int, after_frame: int, ms: float | None, shape: SeamShape) -> Change:
    """How one seam is joined; automatic length and shape: like all others."""
    others = [s for s in episode.seams if (s.before_frame, s.after_frame) != (before_frame, after_frame)]
    if ms is not None or shape is not SeamShape.AUTO:
        others.append(SeamSetting(before_frame, after_frame, ms, shape))
    return Change(
        tr("Change a crossfade"), replace(episode, seams=tuple(sorted(others, key=lambda s: (s.before_frame, s.after_frame)))), "seam"
    )
