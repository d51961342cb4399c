"""Show notes drafted from what was said, by counting words: a draft to edit, and it says so.

Key phrases after Rose et al., "Automatic keyword extraction from individual documents" (RAKE, 2010): runs of words between stop words, each scored by how much
company its words keep. Sentences that carry most: those whose words are many of the frequent ones (Luhn, "The automatic creation of literature
abstracts", 1958), one for each stretch of the program.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.deliver.publication import Publication, clock
from dubbin.core.speech.transcript import WordKind, ends_sentence, plain
from dubbin.core.speech.vocabulary import Vocabulary, vocabulary_of
from dubbin.core.speech.written import written

PHRASES, SENTENCES, QUOTES = 8, 4, 4
SHORTEST, LONGEST = 8, 40  # words of a sentence worth quoting
LONGEST_PHRASE = 3
TITLES, TITLE_WORDS = 5, (3, 9)  # how many are drafted, and how many words one may have
USUAL = vocabulary_of(())
MEANING = re.compile(r"[\\`*\[\]]|(?<!\w)_|_(?!\w)|<(?=[A-Za-z/!?])|&(?=#?\w+;)|^[#>]|^[-+](?= )|~(?=~)|(?<=\d)\.(?= )(?<=^\d\.)")


@dataclass(frozen=True)
class Sentence:
    """A sentence of the program, with where it is heard."""

    text: str
    speaker: str
    start_s: float
    words: tuple[str, ...]


def sentences(words: Sequence[SpokenWord]) -> list[Sentence]:
    """What was said, sentence by sentence and speaker by speaker, without fillers and sounds."""
    out: list[list[SpokenWord]] = []
    for word in words:
        if word.kind is not WordKind.WORD:
            continue
        last = out[-1] if out else None
        if last is None or ends_sentence(last[-1].text) or last[-1].speaker != word.speaker:
            out.append([word])
        else:
            last.append(word)
    return [Sentence(written(w.text for w in s), s[0].speaker, s[0].start_s, tuple(plain(w.text) for w in s)) for s in out]


def key_phrases(found: Sequence[Sentence], count: int = PHRASES, vocabulary: Vocabulary = USUAL) -> list[str]:
    """What is talked about, most telling first."""
    runs: list[tuple[str, ...]] = []
    for sentence in found:
        run: list[str] = []
        for raw, word in zip(sentence.text.split(), sentence.words, strict=False):
            bare = vocabulary.bare(word)
            if vocabulary.term(word) is None or not bare.isalpha():
                runs += [tuple(run)] if run else []
                run = []
                continue
            run.append(bare)
            if re.search(r"[,;:.!?]$", raw):
                runs.append(tuple(run))
                run = []
        runs += [tuple(run)] if run else []
    runs = [r[:LONGEST_PHRASE] for r in runs]
    frequency = Counter(w for r in runs for w in r)
    company = Counter({w: 0 for w in frequency})
    for r in runs:
        for w in r:
            company[w] += len(r)
    times = Counter(runs)
    score = {r: times[r] * sum(company[w] / frequency[w] for w in r) * (1.0 if times[r] > 1 else 0.4) for r in times}
    out: list[str] = []
    for r in sorted(score, key=lambda r: (-score[r], r)):
        if not any(set(r) & set(o.split()) for o in out):
            out.append(" ".join(r))
        if len(out) == count:
            break
    return out


def telling_sentences(found: Sequence[Sentence], count: int = SENTENCES, vocabulary: Vocabulary = USUAL) -> list[Sentence]:
    """One sentence for every part of the program, in order."""
    terms = {w: vocabulary.term(w) for s in found for w in s.words}
    frequency = Counter(t for s in found for w in s.words if (t := terms[w]) is not None)
    usable = [s for s in found if SHORTEST <= len(s.words) <= LONGEST]
    if not usable:
        return []

    def weight(s: Sentence) -> float:
        out: float = sum(frequency[t] for t in {terms[w] for w in s.words} if t is not None) / len(s.words) ** 0.5
        return out

    size = -(-len(usable) // count)
    return [max(usable[k : k + size], key=weight) for k in range(0, len(usable), size)]


def draft_titles(found: Sequence[Sentence], count: int = TITLES, vocabulary: Vocabulary = USUAL) -> list[str]:
    """Titles to choose from: a question that is asked, the shortest telling sentences, and what is talked about most."""
    phrases = key_phrases(found, 4, vocabulary)
    subjects = {w for p in phrases for w in p.split()}
    usable = [s for s in found if TITLE_WORDS[0] <= len(s.words) <= TITLE_WORDS[1] and s.words[0] not in vocabulary.leaning]
    short = [s for s in usable if subjects & set(s.words)]
    short.sort(key=lambda s: (-sum(w in subjects for w in s.words) / len(s.words), s.start_s))
    asked = [s.text for s in short if s.text.endswith(("?", "？", "؟"))][:1]
    out = [*asked, *(s.text.rstrip(".!…") for s in short if not s.text.endswith(("?", "？", "؟")))][: max(count - 2, 1)]
    if len(phrases) > 1:
        out.append(f"{phrases[0].capitalize()}{vocabulary.joint}{phrases[1]}")
    out += [f"About {p}" if vocabulary.is_english else p for p in phrases[2:]]
    return list(dict.fromkeys(t[:1].upper() + t[1:] for t in (t.strip() for t in out)))[:count]


def plain_text(text: str) -> str:
    """Text in Markdown in which no sign means anything: no tag, entity, link, emphasis or heading. As few as possible are marked, for people read it as it is."""
    return MEANING.sub(r"\\\g<0>", " ".join(text.split()))


def draft_notes(publication: Publication, title: str) -> str:
    """Show notes in Markdown: titles to choose from, what it is about, chapters, quotes, names and times."""
    found = sentences(publication.words)
    vocabulary = vocabulary_of(publication.languages, (w for s in found for w in s.words))
    name = publication.tags.title or title
    lines = [f"# {plain_text(name)}", "", "*Draft, made by counting words: read it, and make it yours.*", ""]
    if publication.tags.description:
        lines += [plain_text(publication.tags.description), ""]
    titles = draft_titles(found, vocabulary=vocabulary)
    if titles:
        lines += ["## Titles to choose from", "", *(f"- {plain_text(t)}" for t in titles), ""]
    people = sorted(map(plain_text, {w.speaker for w in publication.words}))
    if people:
        lines += [f"With {' and '.join([', '.join(people[:-1]), people[-1]] if len(people) > 1 else people)}.", ""]
    summary = telling_sentences(found, vocabulary=vocabulary)
    if summary:
        lines += ["## In short", "", " ".join(plain_text(s.text) for s in summary), ""]
    phrases = key_phrases(found, vocabulary=vocabulary)
    if phrases:
        lines += ["## About", "", *(f"- {p}" for p in phrases), ""]
    if publication.chapters:
        lines += ["## Chapters", "", *(f"- {clock(c.start_s)} {plain_text(c.title)}" for c in publication.chapters), ""]
    used = {s.start_s for s in summary}
    quotes = telling_sentences([s for s in found if s.start_s not in used], QUOTES, vocabulary)
    if quotes:
        lines += ["## Said", ""]
        for quote in quotes:
            lines += [f"> “{plain_text(quote.text)}”", f"> {plain_text(quote.speaker)}, {clock(quote.start_s)}", ""]
    return "\n".join(lines).rstrip() + "\n"
