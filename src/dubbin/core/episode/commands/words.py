"""Words: transcripts, corrections, who said what."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dubbin.core.episode.commands.change import Change
from dubbin.core.episode.commands.cuts import pauses_beside_words
from dubbin.core.episode.model import Episode
from dubbin.core.speech.transcript import Spoken, Transcript, Word, plain
from dubbin.core.texts import tr


def set_transcript(episode: Episode, transcript: Transcript) -> Change:
    """Take over the words of a lane."""
    others = tuple(t for t in episode.transcripts if t.lane != transcript.lane)
    voice = episode.lane(transcript.lane).voice
    changed = pauses_beside_words(replace(episode, transcripts=(*others, transcript)))
    return Change(tr("Words of {voice}").format(voice=voice), changed, f"words {transcript.lane}")


def set_spoken(episode: Episode, language: str, terms: Sequence[str]) -> Change:
    """What is known of what is said: its language, and names and terms as they are written. Words that are there already stay."""
    unique = {" ".join(t.split()): None for t in terms if t.strip()}
    return Change(tr("Language and names of the show"), replace(episode, spoken=Spoken(language, tuple(unique))))


def correct_word(episode: Episode, lane_id: str, number: int, text: str) -> Change:
    """Write a word as it was said; the sound stays as it is. An empty text removes the word."""
    transcript = episode.transcript(lane_id)
    assert transcript is not None
    word = transcript.words[number]
    text = " ".join(text.split())
    new = (replace(word, text=text, confidence=1.0),) if text else ()
    words = (*transcript.words[:number], *new, *transcript.words[number + 1 :])
    return _change_words(
        episode,
        transcript,
        words,
        tr("Correct “{before}” to “{after}”").format(before=word.text, after=text)
        if text
        else tr("Remove the word “{text}”").format(text=word.text),
    )


def correct_everywhere(episode: Episode, wrong: str, right: str) -> Change:
    """Write a word another way wherever it stands; capitals and punctuation around it stay. A name joins the names of the show."""
    wanted, count, transcripts = plain(wrong), 0, []
    for transcript in episode.transcripts:
        words: list[Word] = []
        for word in transcript.words:
            if wanted and plain(word.text) == wanted:
                words.append(replace(word, text=_dressed(right, word.text)))
                count += 1
            else:
                words.append(word)
        transcripts.append(replace(transcript, words=tuple(words)))
    changed = replace(episode, transcripts=tuple(transcripts), spoken=_with_term(episode.spoken, right)) if count else episode
    return Change(tr("Correct “{wrong}” to “{right}”, {count} times").format(wrong=wrong, right=right, count=count), changed)


def _with_term(spoken: Spoken, right: str) -> Spoken:
    """The list with one more name on it: a word with a capital or a figure in it, that isn't there yet."""
    term = right.strip(" .,!?;:…\"'“”‘’()¿¡")
    is_name = any(c.isupper() or c.isdigit() for c in term)
    known = {t.casefold() for t in spoken.terms}
    return replace(spoken, terms=(*spoken.terms, term)) if is_name and term.casefold() not in known else spoken


def _dressed(text: str, old: str) -> str:
    """A word with the punctuation of the one that it replaces."""
    head = old[: len(old) - len(old.lstrip("\"'“‘(¿¡"))]
    tail = old[len(old.rstrip(".,!?;:…\"'”’)")) :]
    return f"{head}{text}{tail}"


def name_speaker(episode: Episode, lane_id: str, speaker: int, name: str) -> Change:
    """Name one of several speakers of a recording."""
    transcript = episode.transcript(lane_id)
    assert transcript is not None
    names = list(transcript.speakers)
    names[speaker] = name.strip() or names[speaker]
    return _change_transcript(
        episode, replace(transcript, speakers=tuple(names)), tr("Name a speaker {names}").format(names=names[speaker])
    )


def _change_words(episode: Episode, transcript: Transcript, words: tuple[Word, ...], title: str) -> Change:
    return _change_transcript(episode, replace(transcript, words=words), title)


def _change_transcript(episode: Episode, transcript: Transcript, title: str) -> Change:
    return Change(title, replace(episode, transcripts=tuple(transcript if t.lane == transcript.lane else t for t in episode.transcripts)))
