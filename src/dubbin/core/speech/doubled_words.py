"""Words that one may well say twice, language by language: for emphasis (very, very) or because grammar has it so (what it is is; nous nous sommes).

Any other word that is said twice at once is a stumble, in a language of which this is known; of another one nobody can tell.
"""

from __future__ import annotations

DOUBLED = {
    language: frozenset(texts.split())
    for language, texts in {
        "en": "very really no yes so far many much ha bye yeah okay well long more that had is",
        "ca": "molt sí no més bé nos vos tant va vinga",
        "cs": "velmi moc ano ne tak to jo no",
        "da": "meget ja nej så der det den de lang mange jo nå",
        "de": "sehr ja nein nee so ganz viel viele die das der den doch gut lange weit immer okay na wer",
        "es": "muy sí no mucho mucha más bien tan ya vale bueno poco claro",
        "fi": "joo ei niin hyvin se kyllä",
        "fr": "nous vous très oui non si bien trop tout tous beaucoup bon là loin ah allez",
        "it": "molto sì no piano bene così quasi poco via vero proprio ben",
        "nl": "heel ja nee zo veel die dat echt goed erg jaja",
        "no": "veldig ja nei så det der den de mange jo",
        "pl": "bardzo tak nie dużo no to już",
        "pt": "muito muita sim não mais bem tão já pouco",
        "ro": "foarte da nu așa mult bine abia",
        "ru": "очень да нет так много еле чуть вот давно ну мало",
        "sv": "väldigt mycket ja nej så det där den de jo många",
        "uk": "дуже так ні багато ледь ось давно ну",
    }.items()
}


def may_be_doubled(word: str, language: str) -> bool:
    """Whether a word, as `plain` gives it, may be said twice without a stumble, as far as anybody knows."""
    return language not in DOUBLED or word in DOUBLED[language]
