"""What a recipe holds, in words for people: listed before it is saved, and before it is applied."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from dubbin.core.deliver.recipe import Recipe, RecipePart, VoiceRecipe
from dubbin.core.episode.model import TreatmentUse
from dubbin.core.speech.pauses import STARTING_POINTS
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
        RecipePart.REPAIRS: ("Repairs", lambda r: _by_voice(r, lambda v: _uses(v.repairs or ()))),
        RecipePart.VOICE: ("Voice treatments", lambda r: _by_voice(r, lambda v: _uses(v.voice_chain or ()))),
        RecipePart.LEVELS: ("Levels", lambda r: _by_voice(r, _levels)),
        RecipePart.MUSIC: ("Music", lambda r: "; ".join(f"{m.voice} ({Path(m.path).name})" for m in r.music)),
        RecipePart.PAUSES: ("Pauses", _pauses),
        RecipePart.FILLERS: ("Fillers", lambda r: "cut where that is unheard" if r.fillers else "left as they are"),
        RecipePart.RETAKES: ("Retakes", lambda r: "the last take of every line" if r.retakes else "left as they are"),
        RecipePart.MASTERS: ("Masters", _masters),
        RecipePart.TEXTS: ("Texts", _texts),
        RecipePart.WORDS: ("Language and names", lambda r: ", ".join(t for t in (r.spoken.language, *r.spoken.terms) if t)),
    }
    found = [RecipeLine(part, title, text(recipe)) for part, (title, text) in lines.items() if part in recipe.holds]
    return [line for line in found if line.text]


def _by_voice(recipe: Recipe, text: Callable[[VoiceRecipe], str]) -> str:
    return "; ".join(f"{v.voice}: {said}" for v in recipe.voices if (said := text(v)))


def _uses(uses: Sequence[TreatmentUse]) -> str:
    titles = [(TREATMENTS[u.name].title if u.name in TREATMENTS else u.name, u.strength) for u in uses if u.on]
    return ", ".join(f"{title} {strength} %" for title, strength in titles)


def _levels(voice: VoiceRecipe) -> str:
    parts = [f"levelling to {_minus(f'{voice.levelling.target_lufs:g}')} LUFS"] if voice.levelling.on else []
    parts += [f"bleed control {_minus(f'{-voice.bleed.range_db:g}')} dB"] if voice.bleed.on else []
    parts += [f"level {_minus(f'{voice.level_db:+g}')} dB"] if voice.level_db else []
    parts += [f"{abs(voice.pan):.0f} % {'left' if voice.pan < 0 else 'right'}"] if voice.pan else []
    return ", ".join(parts) or "as recorded"


def _pauses(recipe: Recipe) -> str:
    if not recipe.pauses_on:
        return "left as they are"
    known = next((name for name, point in STARTING_POINTS.items() if point == recipe.pauses), None)
    s = recipe.pauses
    left = s.keep_s or s.leave_before_s + s.leave_after_s
    return (f"{known}: " if known else "") + f"longer than {s.longer_than_s:g} s shortened to {left:g} s"


def _masters(recipe: Recipe) -> str:
    delivery = recipe.delivery
    return f"{', '.join(delivery.targets)} as {', '.join(f.upper() for f in delivery.formats)}"


def _texts(recipe: Recipe) -> str:
    tags = recipe.delivery.tags
    said = [t for t in (tags.show, tags.author, tags.season and f"season {tags.season}", tags.copyright) if t]
    return ", ".join(said) + (" with cover" if recipe.delivery.cover and said else "cover" if recipe.delivery.cover else "")


def _minus(text: str) -> str:
    return text.replace("-", "−")
