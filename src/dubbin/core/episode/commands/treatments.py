"""Treatments of a lane: repairs, touch-ups, and the voice chain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from dubbin.core.episode.commands.balance import set_level
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.model import Episode, Lane, TreatmentUse
from dubbin.core.measure.voice_tone import ToneIdea
from dubbin.core.texts import tr
from dubbin.core.treat.registry import TREATMENTS, VOICE
from dubbin.core.treat.touch_up import Spot


def find_use(lane: Lane, name: str) -> TreatmentUse:
    """A lane's use of a treatment; one that is off, if it has none yet."""
    return next((u for u in (*lane.repairs, *lane.voice_chain) if u.name == name), TreatmentUse(name))


def change_use(
    episode: Episode,
    lane_id: str,
    treatment: str,
    title: str,
    *,
    merge_key: str | None = None,
    **fields: Any,
) -> Change:
    """Set fields (on, strength, settings) of a lane's treatment. What is kept of each lane stands in the order in which it is applied."""
    lane, order = episode.lane(lane_id), list(TREATMENTS)
    part = "voice_chain" if any(t.name == treatment for t in VOICE) else "repairs"
    use = replace(find_use(lane, treatment), **fields)
    others = [u for u in getattr(lane, part) if u.name != treatment]
    uses = tuple(sorted([*others, use], key=lambda u: order.index(u.name) if u.name in order else len(order)))
    return change_lane(episode, lane_id, title, merge_key, **{part: uses})


def set_repairs(episode: Episode, strengths: Mapping[str, Mapping[str, int]], title: str) -> Change:
    """Have repairs on at these strengths (0 to 100), by lane id and name, in one step; all others stay as they are."""
    changed = episode
    for lane_id, of_lane in strengths.items():
        for name, strength in of_lane.items():
            changed = change_use(changed, lane_id, name, title, on=True, strength=strength).episode
    return Change(title, changed)


def add_touch_up(episode: Episode, lane_id: str, spot: Spot) -> Change:
    """Take one sound out of a rectangle of time and frequency of a lane."""
    lane = episode.lane(lane_id)
    return change_lane(episode, lane_id, tr("Touch up {voice}").format(voice=lane.voice), touch_ups=(*lane.touch_ups, spot))


def remove_touch_up(episode: Episode, lane_id: str, spot: Spot) -> Change:
    """Have the sound heard again that a touch-up took down."""
    lane = episode.lane(lane_id)
    kept = tuple(s for s in lane.touch_ups if s != spot)
    return change_lane(episode, lane_id, tr("Put a touch-up of {voice} back").format(voice=lane.voice), touch_ups=kept)


def set_voice(episode: Episode, lane_id: str, uses: Mapping[str, Mapping[str, Any]], title: str) -> Change:
    """Have exactly these voice treatments on, each with its settings; the others off."""
    chain = tuple(TreatmentUse(t.name, t.name in uses, 100, dict(uses.get(t.name, {}))) for t in VOICE if t.name in uses)
    return change_lane(episode, lane_id, f"{title} · {episode.lane(lane_id).voice}", voice_chain=chain)


def copy_voice(episode: Episode, from_id: str, to_ids: Sequence[str]) -> Change:
    """Give other voices all voice treatments of one."""
    source = episode.lane(from_id)
    lanes = tuple(
        replace(lane, voice_chain=source.voice_chain, voice_strength=source.voice_strength) if lane.id in to_ids else lane
        for lane in episode.lanes
    )
    names = ", ".join(episode.lane(i).voice for i in to_ids)
    return Change(
        tr("Copy the voice settings of {voice} to {names}").format(voice=source.voice, names=names), replace(episode, lanes=lanes)
    )


def set_voice_strength(episode: Episode, lane_id: str, strength: float) -> Change:
    """Take the whole voice chain back, or give it in full."""
    value = round(min(max(strength, 0.0), 100.0))
    voice = episode.lane(lane_id).voice
    return change_lane(
        episode,
        lane_id,
        tr("Voice of {voice} at {value} %").format(voice=voice, value=value),
        f"voice strength {lane_id}",
        voice_strength=value,
    )


def with_tone(chain: Sequence[TreatmentUse], ideas: Sequence[ToneIdea]) -> dict[str, Any]:
    """EQ settings of a voice with changes of its tone."""
    settings = dict(next((u.settings for u in chain if u.name == "equalise"), {}))
    for idea in ideas:
        settings |= {f"{idea.filter}_hz": idea.hz, f"{idea.filter}_db": idea.db}
    return settings


def match_voice(episode: Episode, lane_id: str, ideas: Sequence[ToneIdea], level_db: float, like: str) -> Change:
    """Bring a voice to another's tone and level."""
    lane = episode.lane(lane_id)
    uses = {u.name: dict(u.settings) for u in lane.voice_chain if u.on}
    uses["equalise"] = with_tone(lane.voice_chain, ideas)
    changed = set_voice(episode, lane_id, uses, tr("Match")).episode
    changed = set_level(changed, lane_id, lane.level_db + level_db).episode
    return Change(tr("Match {voice} to {like}").format(voice=lane.voice, like=like), changed)
