"""A recipe: settings kept for the next episode of a show. An open JSON file (docs/recipes.md)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.model import CutKind, Delivery, Episode, Lane, Role, TreatmentUse
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.sound.writing import replacing
from dubbin.core.speech.pauses import EVEN, PauseSettings

SCHEMA, VERSION = "dubbin-recipe", 2
SUFFIX = ".recipe.json"


@dataclass(frozen=True)
class VoiceRecipe:
    """Of one voice. repairs: None: what its recording asks for."""

    voice: str
    repairs: tuple[TreatmentUse, ...] | None = None
    voice_chain: tuple[TreatmentUse, ...] | None = None
    voice_strength: int = 100
    pan: float = 0.0
    level_db: float = 0.0
    levelling: Levelling = field(default_factory=Levelling)
    bleed: BleedControl = field(default_factory=BleedControl)


@dataclass(frozen=True)
class MusicRecipe:
    """Music of the show, taken from its file again."""

    voice: str
    path: str
    bed: Bed = field(default_factory=Bed)
    ducking: Ducking = field(default_factory=Ducking)
    level_db: float = 0.0
    fade_in_frames: int = 0
    fade_out_frames: int = 0


@dataclass(frozen=True)
class Recipe:
    """fillers, retakes: whether they are cut, where that is unheard. pauses_on: whether pauses are shortened."""

    name: str = ""
    voices: tuple[VoiceRecipe, ...] = ()
    music: tuple[MusicRecipe, ...] = ()
    pauses: PauseSettings = EVEN
    pauses_on: bool = True
    fillers: bool = True
    retakes: bool = True
    delivery: Delivery = field(default_factory=Delivery)


def recipe_of(episode: Episode, name: str = "", *, keep_repairs: bool = False) -> Recipe:
    """The settings of an episode. keep_repairs: its repairs too; else every recording gets what it asks for itself."""
    voices = tuple(
        VoiceRecipe(
            lane.voice,
            lane.repairs if keep_repairs else None,
            lane.voice_chain or None,
            lane.voice_strength,
            lane.pan,
            lane.level_db,
            lane.levelling,
            lane.bleed,
        )
        for lane in episode.session_voices
    )
    music = tuple(
        MusicRecipe(
            lane.voice,
            episode.recording(lane.recording).path,
            lane.bed,
            lane.ducking,
            lane.level_db,
            lane.fade_in_frames,
            lane.fade_out_frames,
        )
        for lane in episode.beds
        if lane.bed is not None
    )
    kinds = {c.kind for c in episode.cuts}
    # What is of this one episode only stays out.
    tags = replace(episode.delivery.tags, title="", description="", number="")
    delivery = replace(episode.delivery, tags=tags, notes=None)
    return Recipe(
        name or episode.delivery.tags.show or episode.title,
        voices,
        music,
        episode.pauses,
        episode.pauses_on,
        CutKind.FILLER in kinds,
        CutKind.RETAKE in kinds,
        delivery,
    )


def apply_recipe(episode: Episode, recipe: Recipe) -> Change:
    """Take a recipe's settings over: voices by their names, those with other names in their order; pauses, targets and texts too.

    What a recipe says nothing of (repairs, the voice treatments of a voice without any) is left as it is.
    """
    lanes, left = [], [v for v in recipe.voices if not any(v.voice == lane.voice for lane in episode.session_lanes)]
    for lane in episode.lanes:
        found = None
        if lane.role is Role.VOICE and lane.bed is None and not lane.is_insert:
            found = next((v for v in recipe.voices if v.voice == lane.voice), None)
            if found is None and recipe.voices:
                found = left.pop(0) if left else recipe.voices[-1]
        lanes.append(_with_voice(lane, found) if found is not None else lane)
    tags = replace(
        recipe.delivery.tags,
        title=episode.delivery.tags.title,
        description=episode.delivery.tags.description,
        number=episode.delivery.tags.number,
    )
    delivery = replace(recipe.delivery, tags=tags, notes=episode.delivery.notes)
    return Change(f"Recipe {recipe.name}".strip(), replace(episode, lanes=tuple(lanes), pauses=recipe.pauses, delivery=delivery))


def _with_voice(lane: Lane, voice: VoiceRecipe) -> Lane:
    return replace(
        lane, repairs=lane.repairs if voice.repairs is None else voice.repairs, voice_chain=lane.voice_chain if voice.voice_chain is None else voice.voice_chain,
        voice_strength=voice.voice_strength, pan=voice.pan, level_db=voice.level_db, levelling=voice.levelling, bleed=voice.bleed,
    )  # fmt: skip


def balance_of(recipe: Recipe) -> Callable[[Episode], Change]:
    """The recipe's own balance again, over the suggested one."""

    def change(episode: Episode) -> Change:
        levels = apply_recipe(episode, recipe).episode
        lanes = []
        for lane, other in zip(episode.lanes, levels.lanes, strict=True):
            music = next((m for m in recipe.music if m.voice == lane.voice and lane.role is not Role.VOICE), None)
            if lane.role is Role.VOICE and recipe.voices:
                lane = replace(lane, levelling=other.levelling, bleed=other.bleed, level_db=other.level_db, pan=other.pan)
            elif music is not None:
                lane = replace(
                    lane,
                    bed=music.bed,
                    ducking=music.ducking,
                    level_db=music.level_db,
                    fade_in_frames=music.fade_in_frames,
                    fade_out_frames=music.fade_out_frames,
                )
            lanes.append(lane)
        return Change("Balance of the recipe", replace(episode, lanes=tuple(lanes)))

    return change


def save_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe: whole or not at all. Raises CannotWrite."""
    body = {"schema": SCHEMA, "version": VERSION, "recipe": msgspec.to_builtins(recipe)}
    try:
        with replacing(path) as temporary:
            temporary.write_bytes(msgspec.json.format(msgspec.json.encode(body), indent=2) + b"\n")
    except OSError as error:
        raise CannotWrite(f"{path} could not be saved: {error.strerror}.") from error


def load_recipe(path: Path) -> Recipe:
    """Raises DubbinError when the file is no recipe."""
    try:
        body = msgspec.json.decode(path.read_bytes())
    except OSError as error:
        raise DubbinError(f"{path} could not be read: {error.strerror}.") from error
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise DubbinError(f"{path} is not a recipe: it is no JSON file.") from error
    if not isinstance(body, dict) or body.get("schema") != SCHEMA:
        raise DubbinError(f"{path} is not a recipe of Dubbin.")
    if not isinstance(body.get("version"), int) or body["version"] > VERSION:
        raise DubbinError(f"{path} was made by a newer Dubbin (version {body.get('version')}); this one reads up to {VERSION}.")
    try:
        return msgspec.convert(_migrated(body.get("recipe"), body["version"]), Recipe)
    except msgspec.ValidationError as error:
        raise DubbinError(f"{path} can't be understood: {error}.") from error


def _migrated(plain: Any, version: int) -> Any:
    """A recipe of an earlier version as the present one has it: in version 1 a voice's treatments were its `voicing`."""
    if version >= 2 or not isinstance(plain, dict) or not isinstance(plain.get("voices"), list):
        return plain
    voices = [{"voice_chain" if k == "voicing" else k: v for k, v in x.items()} if isinstance(x, dict) else x for x in plain["voices"]]
    return {**plain, "voices": voices}
