"""Repairs of one recording by themselves: computed, no stronger than the voice allows, with an echo that shows only behind the noise."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

from dubbin.core.jobs import Task
from dubbin.core.measure.report import RecordingReport
from dubbin.core.sound.source import Source
from dubbin.core.treat.chain import Chain, Stage, Use
from dubbin.core.treat.guard import Guard
from dubbin.core.treat.hidden_echo import hidden_echo
from dubbin.core.treat.tiles import TileCache


@dataclass(frozen=True)
class Cleaned:
    """chain: the recording with its repairs. uses: these, at the strengths that hold; guards: how much of the voice each takes along."""

    chain: Chain
    uses: tuple[Use, ...]
    guards: tuple[Guard, ...]


def cleaned(
    source: Source, name: str, tile_cache: TileCache, uses: Sequence[Use], report: RecordingReport, task: Task | None = None, *,
    chosen: Collection[str] = (), hidden: Callable[[Use], Use] | None = None,
) -> Cleaned:  # fmt: skip
    """A recording with repairs in the order in which they are applied.

    name: of what the source's tiles are kept under. report: on the source. chosen: names of treatments whose strength somebody gave; the others go no further than the
    voice allows. hidden: is asked for an echo that shows only behind the noise, how it is to be treated; None: it is not looked for.
    """
    task = task or Task()
    chain = Chain(source, uses, name, tile_cache)
    chain.prepare(task.part(0.0, 0.67), report, then=Stage.guard)
    if hidden is not None and (echo := hidden_echo(chain, report, task.part(0.67, 0.7))) is not None:
        uses = [*uses, hidden(echo)]
        chain = Chain(source, uses, name, tile_cache)
        chain.prepare(task.part(0.7, 1.0), then=Stage.guard)
    guards = tuple(stage.guard() for stage in chain.stages)
    strengths = [
        use.strength if use.treatment.name in chosen else min(use.strength, guard.highest_strength)
        for use, guard in zip(uses, guards, strict=True)
    ]
    held = tuple(replace(use, strength=strength) for use, strength in zip(uses, strengths, strict=True))
    return Cleaned(chain.with_strengths(strengths), held, guards)
