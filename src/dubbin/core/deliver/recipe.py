"""A recipe: settings kept for the next episode of a show. An open JSON file (docs/recipes.md)."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling
from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.importing import ImportedFile
from dubbin.core.episode.model import CutKind, Delivery, Episode, Lane, Role, TreatmentUse
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.sound.writing import replacing
from dubbin.core.speech.pauses import EVEN, PauseSettings
from dubbin.core.speech.transcript import Spoken
from dubbin.core.texts import tr

SCHEMA, VERSION = "dubbin-recipe", 4
SUFFIX = ".recipe.json"
RECORDING_SETTINGS = frozenset(("noise_from_s",))  # settings of treatments that mean a place in one recording


class RecipePart(StrEnum):
    """What a recipe can hold; each can be left out when it is saved, and when it is applied."""

    REPAIRS = "repairs"
    VOICE = "voice"
    LEVELS = "levels"
    MUSIC = "music"
    PAUSES = "pauses"
    FILLERS = "fillers"
    RETAKES = "retakes"
    MASTERS = "masters"
    TEXTS = "texts"
    WORDS = "words"


ALL_PARTS = tuple(RecipePart)


@dataclass(frozen=True)
class VoiceRecipe:
    """Of one voice. repairs: None: what its recording asks for; voice_chain: None: what the voice asks for."""

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

    def on(self, lane: Lane) -> Lane:
        """A lane with these settings."""
        return replace(
            lane, role=Role.MUSIC, voice=self.voice, bed=self.bed, ducking=self.ducking, level_db=self.level_db,
            fade_in_frames=self.fade_in_frames, fade_out_frames=self.fade_out_frames,
        )  # fmt: skip


@dataclass(frozen=True)
class Recipe:
    """holds: the parts that it says something of; the fields of the others mean nothing. fillers, retakes: whether they are cut, where that is unheard.
    pauses_on: whether pauses are shortened."""

    name: str = ""
    voices: tuple[VoiceRecipe, ...] = ()
    music: tuple[MusicRecipe, ...] = ()
    pauses: PauseSettings = EVEN
    pauses_on: bool = True
    fillers: bool = True
    retakes: bool = True
    delivery: Delivery = field(default_factory=Delivery)
    holds: tuple[RecipePart, ...] = ALL_PARTS
    spoken: Spoken = field(default_factory=Spoken)

    def cuts(self, kind: CutKind) -> bool | None:
        """Whether a kind of cut is made by itself; None where the recipe says nothing of it."""
        said = {
            CutKind.PAUSE: (RecipePart.PAUSES, self.pauses_on),
            CutKind.FILLER: (RecipePart.FILLERS, self.fillers),
            CutKind.RETAKE: (RecipePart.RETAKES, self.retakes),
        }
        part, on = said[kind]
        return on if part in self.holds else None


def recipe_of(episode: Episode, name: str = "", parts: Collection[RecipePart] = ALL_PARTS) -> Recipe:
    """The settings of an episode. parts: what is kept of them; without the repairs every recording gets what it asks for itself.

    What fits one recording only (stretches of a treatment, a stretch of noise) stays out, and so do the titles of the one episode.
    """
    voices = tuple(
        VoiceRecipe(
            lane.voice,
            tuple(_of_any_recording(use) for use in lane.repairs) if RecipePart.REPAIRS in parts and lane.repairs else None,
            lane.voice_chain if RecipePart.VOICE in parts and lane.voice_chain else None,
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
            lane.voice, episode.recording(lane.recording).path, lane.bed, lane.ducking, lane.level_db, lane.fade_in_frames, lane.fade_out_frames
        )
        for lane in episode.beds
        if lane.bed is not None and RecipePart.MUSIC in parts
    )  # fmt: skip
    kinds = {c.kind for c in episode.cuts}
    # What is of this one episode only stays out.
    tags = replace(episode.delivery.tags, title="", description="", number="")
    return Recipe(
        name or episode.delivery.tags.show or episode.title, voices, music, episode.pauses, episode.pauses_on, CutKind.FILLER in kinds,
        CutKind.RETAKE in kinds, replace(episode.delivery, tags=tags, notes=None), tuple(p for p in RecipePart if p in parts),
        episode.spoken,
    )  # fmt: skip


def _of_any_recording(use: TreatmentUse) -> TreatmentUse:
    """A treatment without what is of one recording only."""
    return replace(use, spans=(), settings={k: v for k, v in use.settings.items() if k not in RECORDING_SETTINGS})


def apply_recipe(episode: Episode, recipe: Recipe, parts: Collection[RecipePart] = ALL_PARTS) -> Change:
    """Take over what a recipe holds of `parts`: voices by their names, those with other names in their order; what a pause is; targets and texts.

    Cuts and music are not made here, since they need what is heard and files (`Recipe.cuts`, `missing_music`): pauses are open again. What a recipe says nothing of is left as it is.
    """
    taken = frozenset(recipe.holds) & frozenset(parts)
    lanes, left = [], [v for v in recipe.voices if not any(v.voice == lane.voice for lane in episode.session_voices)]
    for lane in episode.lanes:
        found = None
        if lane.role is Role.VOICE and lane.bed is None and not lane.is_insert:
            found = next((v for v in recipe.voices if v.voice == lane.voice), None)
            if found is None and recipe.voices:
                found = left.pop(0) if left else recipe.voices[-1]
        music = next((m for m in recipe.music if lane.bed is not None and m.voice == lane.voice), None)
        if found is not None:
            lane = _with_voice(lane, found, taken)
        elif music is not None and RecipePart.MUSIC in taken:
            lane = music.on(lane)
        lanes.append(lane)
    changed = replace(episode, lanes=tuple(lanes))
    if RecipePart.PAUSES in taken:
        # Cuts that were made with other settings would be stale.
        cuts = tuple(c for c in episode.cuts if c.kind is not CutKind.PAUSE)
        changed = replace(changed, pauses=recipe.pauses, pauses_on=False, cuts=cuts)
    if RecipePart.WORDS in taken and recipe.spoken != Spoken():
        terms = dict.fromkeys((*recipe.spoken.terms, *episode.spoken.terms))
        changed = replace(changed, spoken=Spoken(recipe.spoken.language or episode.spoken.language, tuple(terms)))
    return Change(
        tr("Apply the recipe {name}").format(name=recipe.name).strip(),
        replace(changed, delivery=_delivery(episode.delivery, recipe.delivery, taken)),
    )


def _with_voice(lane: Lane, voice: VoiceRecipe, taken: Collection[RecipePart]) -> Lane:
    if RecipePart.REPAIRS in taken and voice.repairs is not None:
        lane = replace(lane, repairs=voice.repairs)
    if RecipePart.VOICE in taken and voice.voice_chain is not None:
        lane = replace(lane, voice_chain=voice.voice_chain, voice_strength=voice.voice_strength)
    return _with_levels(lane, voice) if RecipePart.LEVELS in taken else lane


def _with_levels(lane: Lane, voice: VoiceRecipe) -> Lane:
    return replace(lane, pan=voice.pan, level_db=voice.level_db, levelling=voice.levelling, bleed=voice.bleed)


def _delivery(now: Delivery, new: Delivery, taken: Collection[RecipePart]) -> Delivery:
    """Targets and formats of a recipe, and its texts, as far as they are taken; what is of the one episode stays."""
    out = now
    if RecipePart.MASTERS in taken:
        out = replace(new, tags=now.tags, notes=now.notes, cover=now.cover)
    if RecipePart.TEXTS in taken:
        tags = replace(new.tags, title=now.tags.title, description=now.tags.description, number=now.tags.number)
        out = replace(out, tags=tags, cover=new.cover)
    return out


def missing_music(episode: Episode, recipe: Recipe) -> list[MusicRecipe]:
    """Music of the show that an episode has not yet."""
    held = recipe.music if RecipePart.MUSIC in recipe.holds else ()
    return [m for m in held if not any(lane.voice == m.voice and lane.bed is not None for lane in episode.lanes)]


def with_music(episode: Episode, music: MusicRecipe, imported: ImportedFile) -> Change:
    """The music of a show under an episode, from its file."""
    changed = add_recordings(episode, [imported.recording], [music.on(lane) for lane in imported.lanes]).episode
    return Change(tr("Music of the recipe: {voice}").format(voice=music.voice), changed)


def balance_of(recipe: Recipe) -> Callable[[Episode], Change]:
    """The recipe's own balance again, over the suggested one."""

    def change(episode: Episode) -> Change:
        wanted = [p for p in (RecipePart.LEVELS, RecipePart.MUSIC) if p in recipe.holds]
        lanes = apply_recipe(episode, recipe, wanted).episode.lanes
        return Change(tr("Balance of the recipe"), replace(episode, lanes=lanes))

    return change


def voice_in(recipe: Recipe, name: str, *, alone: bool) -> str:
    """What a voice is called in an episode made with a recipe: as the recipe's voice that the name of its file names.

    alone: whether the recording holds one voice only; in a show of one voice it is that one. Anybody else keeps the name that the file gave.
    """
    plain = name.casefold()
    named = next((v.voice for v in recipe.voices if v.voice.casefold() in plain), None)
    if named is None and alone and len(recipe.voices) == 1:
        named = recipe.voices[0].voice
    return named or name


def save_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe: whole or not at all. Raises CannotWrite."""
    body = {"schema": SCHEMA, "version": VERSION, "recipe": msgspec.to_builtins(recipe)}
    try:
        with replacing(path) as temporary:
            temporary.write_bytes(msgspec.json.format(msgspec.json.encode(body), indent=2) + b"\n")
    except OSError as error:
        raise CannotWrite(tr("{path} could not be saved: {strerror}.").format(path=path, strerror=error.strerror)) from error


def load_recipe(path: Path) -> Recipe:
    """Raises DubbinError when the file is no recipe."""
    try:
        body = msgspec.json.decode(path.read_bytes())
    except OSError as error:
        raise DubbinError(tr("{path} could not be read: {strerror}.").format(path=path, strerror=error.strerror)) from error
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise DubbinError(tr("{path} is not a recipe: it is no JSON file.").format(path=path)) from error
    if not isinstance(body, dict) or body.get("schema") != SCHEMA:
        raise DubbinError(tr("{path} is not a recipe of Dubbin.").format(path=path))
    if not isinstance(body.get("version"), int) or body["version"] > VERSION:
        raise DubbinError(
            tr("{path} was made by a newer Dubbin (version {found}); this one reads up to {version}.").format(
                path=path, found=body.get("version"), version=VERSION
            )
        )
    try:
        return msgspec.convert(_migrated(body.get("recipe"), body["version"]), decodable(Recipe))
    except msgspec.ValidationError as error:
        raise DubbinError(tr("{path} can't be understood: {error}.").format(path=path, error=error)) from error


def _migrated(plain: Any, version: int) -> Any:
    """A recipe of an earlier version as the present one has it: in version 1 a voice's treatments were its `voicing`."""
    if version >= 2 or not isinstance(plain, dict) or not isinstance(plain.get("voices"), list):
        return plain
    voices = [{"voice_chain" if k == "voicing" else k: v for k, v in x.items()} if isinstance(x, dict) else x for x in plain["voices"]]
    return {**plain, "voices": voices}
