"""Ways to change a voice as a whole: starting points, copies, matching, one strength for all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.commands import Change, change_lane, set_level
from dubbin.core.episode.model import Episode, TreatmentUse
from dubbin.core.measure.voice_tone import ToneIdea
from dubbin.core.treat.registry import VOICE


def set_voice(episode: Episode, lane_id: str, uses: Mapping[str, Mapping[str, Any]], title: str) -> Change:
    """Have exactly these voice treatments on, each with its settings; the others off."""
    voicing = tuple(TreatmentUse(t.name, t.name in uses, 100, dict(uses.get(t.name, {}))) for t in VOICE if t.name in uses)
    return change_lane(episode, lane_id, f"{title} · {episode.lane(lane_id).voice}", voicing=voicing)


def copy_voice(episode: Episode, from_id: str, to_ids: Sequence[str]) -> Change:
    """Give other voices all voice treatments of one."""
    source = episode.lane(from_id)
    lanes = tuple(
        replace(lane, voicing=source.voicing, voice_strength=source.voice_strength) if lane.id in to_ids else lane for lane in episode.lanes
    )
    names = ", ".join(episode.lane(i).voice for i in to_ids)
    return Change(f"Copy the voice settings of {source.voice} to {names}", replace(episode, lanes=lanes))


def set_voice_strength(episode: Episode, lane_id: str, strength: float) -> Change:
    """Take the whole voice chain back, or give it in full."""
    value = round(min(max(strength, 0.0), 100.0))
    voice = episode.lane(lane_id).voice
    return change_lane(episode, lane_id, f"Voice of {voice} at {value} %", f"voice strength {lane_id}", voice_strength=value)


def with_tone(voicing: Sequence[TreatmentUse], ideas: Sequence[ToneIdea]) -> dict[str, Any]:
    """EQ settings of a voice with changes of its tone."""
    settings = dict(next((u.settings for u in voicing if u.name == "equalise"), {}))
    for idea in ideas:
        settings |= {f"{idea.filter}_hz": idea.hz, f"{idea.filter}_db": idea.db}
    return settings


def match_voice(episode: Episode, lane_id: str, ideas: Sequence[ToneIdea], level_db: float, like: str) -> Change:
    """Bring a voice to another's tone and level."""
    lane = episode.lane(lane_id)
    uses = {u.name: dict(u.settings) for u in lane.voicing if u.on}
    uses["equalise"] = with_tone(lane.voicing, ideas)
    changed = set_voice(episode, lane_id, uses, "Match").episode
    changed = set_level(changed, lane_id, lane.level_db + level_db).episode
    return Change(f"Match {lane.voice} to {like}", changed)
