"""Texts that are no words, language by language: hesitations and laughter, as they are written down.

What is a hesitation in one language is a word in the next: "er" is he in German and is in Danish, "um" one in Portuguese, "ha" has in Spanish and Italian. So only
what a language itself writes for a hesitation is one in it; of a language without a list only what is a word nowhere.
"""

from __future__ import annotations

import re

from dubbin.core.speech.transcript import plain
from dubbin.core.speech.vocabulary import ENGLISH

SAME_LISTS = {"nn": "no", "nb": "no", "sk": "cs", "bs": "sr", "hr": "sr", "yue": "zh"}
EVERYWHERE = frozenset(("hm", "hmm", "mm", "mhm", "mmh", "uhm", "umm", "uhh", "erm", "ehm"))
HESITATIONS = {
    language: frozenset(texts.split())
    for language, texts in {
        ENGLISH: "um uh er ah eh",
        "bg": "ъъ ъм", "ca": "eeh emm", "cs": "ee éé", "da": "øh øhm øøh æh æhm", "de": "äh ääh ähm äähm öh öhm", "el": "εε εμ", "es": "eeh emm", "et": "ää",
        "fi": "öö ööh öhm", "fr": "euh heu euhm", "hu": "öö", "is": "öö", "it": "eeh", "ja": "えー ええと えーと えっと うーん", "ko": "음", "nl": "eh euh uh", "no": "øh øhm øøh eh", "pl": "ee yy yhm",
        "pt": "ahn", "ro": "ăă îî", "ru": "э ээ эм эмм мм хм хмм гм", "sr": "ee", "sv": "öh öhm äh ähm eh", "tr": "ıı", "uk": "ее емм мм хм хмм гм", "zh": "呃",
    }.items()
}  # fmt: skip
# What is written for one that is heard and that no recogniser wrote down: closed by an m, and open.
HEARD = {
    ENGLISH: ("um", "uh"), "ca": ("emm", "eeh"), "cs": ("ehm", "ee"), "da": ("øhm", "øh"), "de": ("ähm", "äh"), "es": ("emm", "eeh"), "fi": ("öhm", "öö"), "fr": ("euhm", "euh"),
    "it": ("ehm", "eeh"), "nl": ("ehm", "eh"), "no": ("øhm", "øh"), "pl": ("yhm", "yy"), "ru": ("эм", "э"), "sv": ("öhm", "öh"), "uk": ("емм", "ее"),
}  # fmt: skip
HEARD_ELSEWHERE = ("hm", "ehm")
SYLLABLES = frozenset(("ha", "hah", "haha", "hahaha", "heh", "hehe", "huh", "uh", "ah", "hee", "ho"))  # of laughter
ALONE = frozenset(("haha", "hahaha", "hehe"))  # laughter by themselves, everywhere
ALONE_IN = {
    ENGLISH: frozenset(("ha", "hah", "heh", "hee")),
    "es": frozenset(("jaja", "jajaja", "jeje")),
    "ca": frozenset(("jaja", "jajaja")),
}


def is_filler_text(text: str, language: str = ENGLISH) -> bool:
    """Whether a text is a hesitation and no word. language: a code such as en."""
    word, known = plain(text), EVERYWHERE | HESITATIONS.get(SAME_LISTS.get(language, language), frozenset())
    drawn = re.compile(r"(.)\1{2,}")  # however long
    return word in known or (bool(drawn.search(word)) and not known.isdisjoint((drawn.sub(r"\1\1", word), drawn.sub(r"\1", word))))


def heard_hesitation(*, is_closed: bool, language: str = ENGLISH) -> str:
    """How a language writes a hesitation that is heard. is_closed: by an m."""
    closed, open_ = HEARD.get(SAME_LISTS.get(language, language), HEARD_ELSEWHERE)
    return closed if is_closed else open_


def is_laughter_text(text: str, language: str = ENGLISH) -> bool:
    """Whether a text is written-down laughter."""
    parts = [plain(p) for p in text.lower().replace("-", " ").split()]
    if len(parts) == 1:
        return parts[0] in ALONE or parts[0] in ALONE_IN.get(language, ())
    if not parts or not all(p in SYLLABLES for p in parts):
        return False
    return len(parts) > 2 or parts[0] not in ("uh", "ah")
