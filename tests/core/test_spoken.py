"""What is known of a show before it is heard: its language and its names, kept in the episode, in recipes, and by corrections."""

from __future__ import annotations

from dataclasses import replace

import pytest

from dubbin.core.deliver.recipe import Recipe, RecipePart, apply_recipe, load_recipe, recipe_of, save_recipe
from dubbin.core.deliver.recipe_contents import contents
from dubbin.core.episode.commands.words import correct_everywhere, set_spoken, set_transcript
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.speech.transcript import Spoken, Transcript, Word

EPISODE = Episode("e", recordings=(Recording("r", "/nowhere/a.wav", "f", 48000, 1, 480000),), lanes=(Lane("l", "r", (0,), voice="Ines"),))
SHOW = Spoken("en", ("Ines Calder", "Slow Ferry"))


def saying(*texts: str) -> Episode:
    words = tuple(Word(t, 4800 * k, 4800 * k + 4000) for k, t in enumerate(texts))
    return set_transcript(EPISODE, Transcript("l", words)).episode


def test_it_is_kept_in_the_file(tmp_path):
    episode = set_spoken(EPISODE, "fr", ["Ines  Calder ", "", "Slow Ferry", "Slow Ferry"]).episode
    assert episode.spoken == Spoken("fr", ("Ines Calder", "Slow Ferry"))
    save_episode(episode, tmp_path / "a.dubbin")
    assert load_episode(tmp_path / "a.dubbin").spoken == episode.spoken


def test_a_recipe_keeps_it_for_the_next_episode(tmp_path):
    recipe = recipe_of(replace(EPISODE, spoken=SHOW), "The Slow Ferry")
    save_recipe(recipe, tmp_path / "show.recipe.json")
    loaded = load_recipe(tmp_path / "show.recipe.json")
    (line,) = [x for x in contents(loaded) if x.part is RecipePart.WORDS]
    assert line.text == "en, Ines Calder, Slow Ferry"
    following = replace(EPISODE, spoken=Spoken("", ("Tobias Wren", "Slow Ferry")))
    assert apply_recipe(following, loaded).episode.spoken == Spoken("en", ("Ines Calder", "Slow Ferry", "Tobias Wren"))
    assert apply_recipe(following, loaded, [RecipePart.MASTERS]).episode.spoken == following.spoken


def test_a_recipe_that_knows_none_takes_none_away():
    assert apply_recipe(replace(EPISODE, spoken=SHOW), Recipe()).episode.spoken == SHOW
    assert not [x for x in contents(recipe_of(EPISODE)) if x.part is RecipePart.WORDS]


@pytest.mark.parametrize(
    ("wrong", "right", "terms"),
    [
        ("calter", "Calder", ("Calder",)),
        ("calter", "Calder.", ("Calder",)),
        ("calter", "colder", ()),  # a word as any other
        ("calter", "FK506", ("FK506",)),
        ("nobody", "Nobody", ()),  # was not said: nothing is corrected
    ],
)
def test_a_name_that_is_corrected_everywhere_joins_the_list(wrong, right, terms):
    changed = correct_everywhere(saying("Ines", "Calter,", "and", "calter"), wrong, right).episode
    assert changed.spoken.terms == terms


def test_it_joins_once_and_undone_with_the_correction():
    episode = replace(saying("Calter"), spoken=Spoken("en", ("CALDER",)))
    assert correct_everywhere(episode, "calter", "Calder").episode.spoken == episode.spoken
    assert correct_everywhere(saying("Calter"), "calter", "Calder").title == "Correct “calter” to “Calder”, 1 times"
