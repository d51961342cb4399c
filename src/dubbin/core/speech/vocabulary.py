"""Which words of a language say little, and which belong to one stem: what counting words has to know of it.

English has a list of its own, made for conversations; other languages have those of the package stop-words, and the stems of the Snowball algorithms (Porter, "Snowball: a
language for stemming algorithms", 2001). Of a language without a list the most frequent words of the talk itself say little (Luhn, "The automatic creation of
literature abstracts", 1958).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache

from dubbin.core.texts import tr

ENGLISH = "en"
OTHER_CODES = {"no": "nb", "nn": "nb"}  # of the recogniser, and of the list
STEMMERS = {
    "ar": "arabic", "ca": "catalan", "cs": "czech", "da": "danish", "de": "german", "el": "greek", "es": "spanish", "et": "estonian", "eu": "basque", "fi": "finnish",
    "fr": "french", "hu": "hungarian", "hy": "armenian", "it": "italian", "lt": "lithuanian", "nb": "norwegian", "nl": "dutch", "pl": "polish", "pt": "portuguese",
    "ro": "romanian", "ru": "russian", "sr": "serbian", "sv": "swedish", "tr": "turkish",
}  # fmt: skip
ELIDING = frozenset(("fr", "it", "ca"))  # the article is written onto the word: l'eau, dell'acqua
FREQUENT = 60  # words of a talk in a language without a list
COMMON_TEXT = tr("""
a about above across after again against all along among around also am an and any are as at be because been before being but by came can come could did do does doing
done down each even every few first for from get go goes going gone good got great had has have having he her here hers him his how
i if in into is it its it's i'm just know last let like little long look looks made make many maybe me mean more most much must my
never next no not now of off oh ok okay on once one only or other our out over own people quite really right said same say says see
she should so some something sort still such sure take than thank thanks that that's the their them then there these they thing things
think this those three through time to today too two under up us very want was way we well went were what when where which while who
why will with would yeah years yes you your you're i've don't didn't it'd there's they're we're let's lot bit kind actually
welcome hello
""")
COMMON = frozenset(COMMON_TEXT.split())
# Words with which a sentence leans on the one before.
LEANING_TEXTS = {
    "en": tr("""and but so or nor yet because then also too it he she they him them her his their its this that these those which who whose there yes no yeah well exactly right
        okay mm"""),
    "ca": tr("i però doncs o ni perquè llavors també ell ella ells elles això aquest aquesta aquell que qui sí no bé exacte"),
    "da": tr("og men så eller for fordi derfor også den det han hun de dem denne dette disse som der ja nej jo nå præcis"),
    "de": tr("und aber also oder denn weil dann auch er sie es ihm ihr ihnen dies diese dieser das der die welche ja nein doch genau na"),
    "es": tr("y e pero pues o ni porque entonces también él ella ellos ellas eso esto este esta ese aquel que quien sí no bueno exacto"),
    "fr": tr(
        "et mais donc ou ni car parce alors aussi il elle ils elles lui leur ce ça cela celui celle ceux qui que oui non bon exactement voilà"
    ),
    "it": tr("e ed ma quindi o né perché allora anche lui lei loro esso questo questa quello quella che chi sì no beh esatto"),
    "nl": tr("en maar dus of want omdat dan ook hij zij ze het dit dat deze die ja nee nou precies"),
    "pl": tr("i a ale więc albo lub bo ponieważ wtedy też on ona ono oni one to ten ta który tak nie no dokładnie"),
    "pt": tr("e mas então ou nem porque também ele ela eles elas isso isto este esta esse aquele que quem sim não bem exato"),
    "ro": tr("și dar deci sau nici pentru atunci iar el ea ei ele asta acesta aceasta acela care cine da nu bine exact"),
    "ru": "и а но так или ни потому тогда тоже он она оно они это этот эта тот который кто да нет ну точно",
    "sv": tr("och men så eller för därför också den det han hon de dem denna detta dessa som ja nej jo precis"),
}
LEANING = frozenset(LEANING_TEXTS["en"].split())


@dataclass(frozen=True)
class Vocabulary:
    """common: words that say little. leaning: with which a sentence leans on the one before. stem: of a plain word."""

    common: frozenset[str]
    leaning: frozenset[str]
    stem: Callable[[str], str]
    elides: bool
    is_english: bool

    @property
    def joint(self) -> str:
        """What stands between the two subjects of a title."""
        return tr(" and ") if self.is_english else ", "

    def bare(self, word: str) -> str:
        """A plain word without an article that is written onto it."""
        return word.rsplit("'", 1)[-1] if self.elides else word

    def term(self, word: str) -> str | None:
        """What a plain word is counted as; None where it says little."""
        bare = self.bare(word)
        if bare in self.common or word in self.common or len(bare) < 3 or bare.isdigit():
            return None
        stem = self.stem(bare)
        return None if stem in self.common or len(stem) < 3 else stem


def vocabulary_of(languages: Sequence[str], words: Iterable[str] = ()) -> Vocabulary:
    """Of a talk in some languages (ISO 639-1 codes). words: its plain words, from which the most frequent are taken where no language has a list."""
    codes = tuple(dict.fromkeys(OTHER_CODES.get(code, code) for code in languages)) or (ENGLISH,)
    common = frozenset[str]().union(*(_common(code) for code in codes))
    if not common:
        common = frozenset(word for word, _ in Counter(words).most_common(FREQUENT))
    leaning = frozenset(word for code in codes for word in LEANING_TEXTS.get(code, "").split())
    return Vocabulary(common, leaning, _stemmer(codes[0]), bool(ELIDING & set(codes)), codes == (ENGLISH,))


@lru_cache(maxsize=8)
def _common(code: str) -> frozenset[str]:
    if code == ENGLISH:
        return COMMON
    from stop_words import AVAILABLE_LANGUAGES, LANGUAGE_MAPPING, get_stop_words

    if LANGUAGE_MAPPING.get(code) not in AVAILABLE_LANGUAGES:
        return frozenset()
    return frozenset(get_stop_words(code)) | frozenset(LEANING_TEXTS.get(code, "").split())


@lru_cache(maxsize=8)
def _stemmer(code: str) -> Callable[[str], str]:
    if code == ENGLISH:
        return _english_stem
    if code not in STEMMERS:
        return str
    import snowballstemmer

    stem: Callable[[str], str] = snowballstemmer.stemmer(STEMMERS[code]).stemWord
    return stem


def _english_stem(word: str) -> str:
    """Of a noun: what is counted is shown as it was said, so that words must not fall together that mean other things."""
    for ending in ("'s", "ies", "es", "s"):
        if word.endswith(ending) and len(word) - len(ending) >= 3 and not word.endswith("ss"):
            return word[: -len(ending)] + ("y" if ending == "ies" else "")
    return word
