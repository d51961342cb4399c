"""What a recipe holds, in words for people: listed before it is saved, and before it is applied."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.deliver.recipe import Recipe, RecipePart, VoiceRecipe
from dubbin.core.episode.model import TreatmentUse
from dubbin.core.figures import number, short_number
from dubbin.core.speech.pauses import STARTING_POINTS
from dubbin.core.texts import tr
from dubbin.core.treat.registry import TREATMENTS


@dataclass(frozen=True)
class RecipeLine:
    """A part of a recipe: its title, and in a few words what it says."""

    part: RecipePart
    title: str
    text: str


def contents(recipe: Recipe) -> list[RecipeLine]:
    """A line for every part that a recipe holds and says something of."""
    lines: dict[RecipePart, tuple[str, Callable[[Recipe], str]]] = {
        RecipePart.REPAIRS: (tr("Repairs"), lambda r: _by_voice(r, lambda v: _uses(v.repairs or ()))),
        RecipePart.VOICE: (tr("Voice treatments"), lambda r: _by_voice(r, lambda v: _uses(v.voice_chain or ()))),
        RecipePart.LEVELS: (tr("Levels"), lambda r: _by_voice(r, _levels)),
        RecipePart.MUSIC: (tr("Music"), lambda r: "; ".join(f"{m.voice} ({Path(m.path).name})" for m in r.music)),
        RecipePart.PAUSES: (tr("Pauses"), _pauses),
        RecipePart.FILLERS: (tr("Fillers"), lambda r: tr("cut where that is unheard") if r.fillers else tr("left as they are")),
        RecipePart.RETAKES: (tr("Retakes"), lambda r: tr("the last take of every line") if r.retakes else tr("left as they are")),
        RecipePart.MASTERS: (tr("Masters"), _masters),
        RecipePart.TEXTS: (tr("Texts"), _texts),
        RecipePart.WORDS: (tr("Language and names"), lambda r: ", ".join(t for t in (r.spoken.language, *r.spoken.terms) if t)),
    }
    found = [RecipeLine(part, title, text(recipe)) for part, (title, text) in lines.items() if part in recipe.holds]
    return [line for line in found if line.text]


def _by_voice(recipe: Recipe, text: Callable[[VoiceRecipe], str]) -> str:
    return "; ".join(f"{v.voice}: {said}" for v in recipe.voices if (said := text(v)))


def _uses(uses: Sequence[TreatmentUse]) -> str:
    titles = [(TREATMENTS[u.name].title if u.name in TREATMENTS else u.name, u.strength) for u in uses if u.on]
    return ", ".join(f"{title} {strength} %" for title, strength in titles)


def _levels(voice: VoiceRecipe) -> str:
    parts = [tr("levelling to {level} LUFS").format(level=short_number(voice.levelling.target_lufs))] if voice.levelling.on else []
    parts += [tr("bleed control {level} dB").format(level=short_number(-voice.bleed.range_db))] if voice.bleed.on else []
    parts += [tr("level {level} dB").format(level=short_number(voice.level_db, sign=True))] if voice.level_db else []
    parts += [(tr("{pan} % left") if voice.pan < 0 else tr("{pan} % right")).format(pan=number(abs(voice.pan), 0))] if voice.pan else []
    return ", ".join(parts) or tr("as recorded")


def _pauses(recipe: Recipe) -> str:
    if not recipe.pauses_on:
        return tr("left as they are")
    known = next((name for name, point in STARTING_POINTS.items() if point == recipe.pauses), None)
    s = recipe.pauses
    left = s.keep_s or s.leave_before_s + s.leave_after_s
    return (f"{tr(known)}: " if known else "") + tr("longer than {longer_than_s} s shortened to {left} s").format(
        longer_than_s=short_number(s.longer_than_s), left=short_number(left)
    )


def _masters(recipe: Recipe) -> str:
    delivery = recipe.delivery
    return tr("{targets} as {formats}").format(targets=", ".join(delivery.targets), formats=", ".join(f.upper() for f in delivery.formats))


def _texts(recipe: Recipe) -> str:
    tags = recipe.delivery.tags
    said = [t for t in (tags.show, tags.author, tags.season and tr("season {season}").format(season=tags.season), tags.copyright) if t]
    return ", ".join(said) + (tr(" with cover") if recipe.delivery.cover and said else "cover" if recipe.delivery.cover else "")


def _minus(text: str) -> str:
    return text.replace("-", "−")
