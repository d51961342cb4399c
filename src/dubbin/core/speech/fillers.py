"""Hesitations and sounds that are no speech, found by what they sound like: recognisers like to leave them out.

A hesitation is a vowel that stands still: pitch and spectrum hardly move for much longer than in a word, often closed by an m. It is looked
for where a voice is heard and no word was recognised, beside a word, and in words that last far longer than their letters tell.
What is left is told apart by its outline: breaths are noise, soft and long; coughs start at once and loud; a laugh comes in bursts, four or five a second;
clicks are over in no time.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.measure.by_blocks import by_blocks
from dubbin.core.measure.voicing import Voicing, cepstra
from dubbin.core.sound import neighbours
from dubbin.core.sound.filtering import running_mean
from dubbin.core.speech.activity import FRAMES_PER_S, Activity, runs
from dubbin.core.speech.hesitations import heard_hesitation, is_filler_text, is_laughter_text
from dubbin.core.speech.transcript import Word, WordKind
from dubbin.core.speech.vocabulary import ENGLISH
from dubbin.core.speech.written import letters_to_say
from dubbin.core.texts import tr

SHORTEST_S, LONGEST_S = 0.14, 1.6  # of a hesitation
STEADY_S = 0.07  # for which its vowel stands still
STEADY_SHARE = 0.28  # of what is voiced in a hesitation
STILL = 2.2  # spectral change a frame (cepstral distance in dB) below which a vowel stands still
PITCH_STEP = 0.035  # of the logarithm of the pitch, a frame
USUAL_RT60_S, LATE = 0.25, 5  # frames after which a room's sound counts as its tail
FRESH = 2.5  # times the tail
ONSET_S, NASAL_S = 0.2, 0.45  # of a hesitation before and after its vowel, at most
NOT_UNDERSTOOD = tr("not understood")  # speech without words
SNAP = 60  # frames before a recognised hesitation in which its vowel is looked for, and half as many after it
ISLAND_DB = 16.0
NASAL_DB = 9.0  # by which an m is darker than the vowel before it
BESIDE_S = 0.35  # from a word: a vowel that stands alone may as well be an answer, or a letter that is spelled
DRAWN_OUT = 2.6  # times the usual length of such a word
DRAWN_OUT_S = 0.42
KNOWN = 0.5  # confidence of a word of which somebody may say that it is over: of another one nobody knows what was said
LAUGH_BURST_S = (0.11, 0.36)  # from one burst of a laugh to the next
UNKNOWN_GAP_S, UNKNOWN_VOICED = 0.3, 0.15  # what nobody understood is one sound over shorter gaps, and at least so much of it is voiced
UNKNOWN_S = 0.3  # speech this long that nobody recognised is shown as such
BREATH_UNDER_VOICE_DB = 12.0
CLICK_S, COUGH_S, BREATH_S, LAUGH_S = 0.045, (0.12, 0.8), (0.12, 1.4), 0.45


def mark_kinds(words: Sequence[Word], language: str = ENGLISH) -> list[Word]:
    """Words that are hesitations by their text become fillers; laughter that was written down becomes a sound. language: a code such as en."""
    out: list[Word] = []
    for word in words:
        if is_filler_text(word.text, language):
            out.append(replace(word, kind=WordKind.FILLER, text=word.text.strip(" ,.…")))
        elif is_laughter_text(word.text, language):
            last = out[-1] if out else None
            if last and last.kind is WordKind.SOUND and last.text == "laugh" and last.speaker == word.speaker:
                out[-1] = replace(last, end_frame=word.end_frame)
            else:
                out.append(replace(word, kind=WordKind.SOUND, text="laugh"))
        else:
            out.append(word)
    return out


def speech_without_words(own: NDArray[np.bool_], voicing: Voicing, rate: int) -> list[Word]:
    """Everything that a voice says, as not understood: of a language in which no word and no hesitation can be told.

    own: marks (n,) of frames in which this voice is heard. rate: of the words' frames.
    """
    per, gap = rate / FRAMES_PER_S, round(UNKNOWN_GAP_S * FRAMES_PER_S)
    count = min(len(own), len(voicing.pitch_hz))
    joined = neighbours.closed(np.pad(own[:count], gap), gap)[gap:-gap]
    return [
        Word(NOT_UNDERSTOOD, round(a * per), round(b * per), WordKind.SOUND, 0.6)
        for a, b in zip(*runs(joined), strict=True)
        if b - a >= UNKNOWN_S * FRAMES_PER_S and voicing.voiced[a:b].mean() >= UNKNOWN_VOICED
    ]


def add_unheard(
    words: Sequence[Word], own: NDArray[np.bool_], activity: Activity, voicing: Voicing, rate: int, rt60_s: float | None = None, language: str = ENGLISH,
) -> list[Word]:  # fmt: skip
    """The words with the hesitations and sounds between them that were not recognised.

    own: marks (n,) of frames in which this voice is heard. rate: of the words' frames. rt60_s: of the room, if it is known. language: in which hesitations are
    written.
    """
    per = rate / FRAMES_PER_S
    fresh = spoken_freshly(voicing, rt60_s)
    moving = _steady(voicing) & fresh
    words = _snapped(words, moving, activity, voicing, per)
    covered = np.zeros(len(own), np.bool_)
    for word in words:
        covered[int(word.start_frame / per) : int(np.ceil(word.end_frame / per))] = True
    count = min(len(own), len(voicing.pitch_hz), len(activity.level_db))
    steady, near = moving[:count], round(BESIDE_S * FRAMES_PER_S)
    voice_db = float(np.quantile(activity.level_db[own], 0.8)) if own.any() else -30.0
    found: list[Word] = []
    free = own[:count] & fresh[:count] & ~covered[:count]
    free = neighbours.closed(np.pad(free, 8), 7)[8:-8] & ~covered[:count]
    for a, b in zip(*runs(free), strict=True):
        kind = _kind_of(int(a), int(b), steady, activity, voicing, voice_db, language)
        if kind is not None:
            text, what = kind
            if what is WordKind.FILLER and not covered[max(int(a) - near, 0) : int(b) + near].any():
                text, what = NOT_UNDERSTOOD, WordKind.SOUND
            found.append(Word(text, round(a * per), round(b * per), what, 0.6))
    kept: list[Word] = []
    usual = _usual_length(words, per)
    for word in words:
        filler = _drawn_out(word, usual, steady, voicing, per, language)
        kept.append(replace(word, end_frame=filler.start_frame) if filler is not None and filler.start_frame > word.start_frame else word)
        if filler is not None:
            found.append(filler)
    return sorted([*kept, *found], key=lambda w: w.start_frame)


def spoken_freshly(voicing: Voicing, rt60_s: float | None) -> NDArray[np.bool_]:
    """Frames that are more than what the room still sounds of the sound before."""
    power = by_blocks(lambda mel: np.sum(10.0 ** (mel.astype(np.float64) / 10.0), axis=1), voicing.mel)
    decay = 10.0 ** (-6.0 / FRAMES_PER_S / min(max(rt60_s or USUAL_RT60_S, 0.15), 1.2))
    state = running_mean(power, decay)
    late = np.zeros_like(power)
    late[LATE:] = state[:-LATE] * decay**LATE
    return np.asarray(neighbours.median_filter((power > FRESH * late).astype(np.uint8), 5) > 0)


def _steady(voicing: Voicing) -> NDArray[np.bool_]:
    """Frames of a vowel that stands still."""
    moved = by_blocks(_moved, voicing.mel, margin=3)
    moved[:2] = moved[-2:] = 0.0  # there is nothing beside to be compared with
    log_pitch = np.log(np.where(voicing.voiced, voicing.pitch_hz, 1.0))
    pitch_moved = np.abs(np.diff(log_pitch, prepend=log_pitch[:1]))
    still = (moved < STILL) & voicing.voiced & (neighbours.median_filter(pitch_moved, 3) < PITCH_STEP)
    out: NDArray[np.bool_] = neighbours.closed(np.pad(still, 4), 4)[4:-4]
    return out


def _moved(mel: NDArray[np.float32]) -> NDArray[np.float64]:
    """How far the timbre moves around every frame."""
    c = neighbours.uniform_filter1d(cepstra(mel), 3, axis=0, mode="nearest")
    out = np.zeros(len(c))
    out[2:-2] = np.sqrt(np.mean((c[4:, 1:] - c[:-4, 1:]) ** 2, axis=1)) / 2.0
    return out


def _snapped(words: Sequence[Word], steady: NDArray[np.bool_], activity: Activity, voicing: Voicing, per: float) -> list[Word]:
    """Hesitations that were recognised, put to the steady vowel near by: recognisers place them worst of all words.

    The vowel is an island of sound: it reaches as far as the level stays near its own.
    """
    out = list(words)
    count = min(len(steady), len(activity.level_db), len(voicing.pitch_hz))
    for k, word in enumerate(words):
        if word.kind is not WordKind.FILLER:
            continue
        a, b = int(word.start_frame / per), int(word.end_frame / per)
        low, high = max(a - SNAP, 0), min(b + SNAP // 2, count)
        if k > 0:
            low = max(low, int((words[k - 1].start_frame + words[k - 1].end_frame) / 2 / per))
        if k + 1 < len(words):
            high = min(high, int((words[k + 1].start_frame + words[k + 1].end_frame) / 2 / per))
        if high - low < 6:
            continue
        best: tuple[float, int, int] | None = None
        for first, last in zip(*runs(steady[low:high]), strict=True):
            if last - first < STEADY_S * FRAMES_PER_S:
                continue
            first, last = low + int(first), low + int(last)
            top = float(activity.level_db[first:last].max())
            away = abs((first + last) / 2 - (a + b) / 2) / FRAMES_PER_S
            score = top / 6.0 + min(last - first, 40) / 20.0 - 3.0 * away
            start, end = first, last
            earliest, latest = first - round(ONSET_S * FRAMES_PER_S), last + round(NASAL_S * FRAMES_PER_S)
            while start > max(low, earliest) and activity.level_db[start - 1] > top - ISLAND_DB:
                start -= 1
            while end < min(high, latest) and activity.level_db[end] > top - ISLAND_DB:
                end += 1
            if best is None or score > best[0]:
                best = score, start, end
        if best is None or best[2] - best[1] < 8:
            continue
        start, end = round(best[1] * per), round(best[2] * per)
        if k > 0:
            before = out[k - 1]
            if before.end_frame > start:
                out[k - 1] = replace(before, end_frame=max(start, before.start_frame + round(3 * per)))
            start = max(start, out[k - 1].end_frame)
        if k + 1 < len(words) and words[k + 1].start_frame < end:
            end = max(words[k + 1].start_frame, start + round(6 * per))
        out[k] = replace(word, start_frame=start, end_frame=max(end, start + round(6 * per)))
    return out


def _longest(marks: NDArray[np.bool_]) -> tuple[int, int]:
    starts, ends = runs(marks)
    if not len(starts):
        return 0, 0
    k = int(np.argmax(ends - starts))
    return int(starts[k]), int(ends[k])


def _kind_of(
    a: int, b: int, steady: NDArray[np.bool_], activity: Activity, voicing: Voicing, voice_db: float, language: str
) -> tuple[str, WordKind] | None:
    """What a stretch of sound without words is; None for nothing worth a name."""
    length_s = (b - a) / FRAMES_PER_S
    level = activity.level_db[a:b]
    voiced = voicing.voiced[a:b]
    first, last = _longest(steady[a:b])
    loud_enough = float(level.max()) > voice_db - 18.0
    if SHORTEST_S <= length_s <= LONGEST_S and (last - first) >= STEADY_S * FRAMES_PER_S and loud_enough and voiced.mean() > 0.45:
        if _is_laughter(level) and length_s >= LAUGH_S:
            return "laugh", WordKind.SOUND
        if (last - first) >= STEADY_SHARE * float(voiced.sum()):
            return _filler_text(voicing, a + first, b, language), WordKind.FILLER
    if length_s >= LAUGH_S and loud_enough and voiced.mean() > 0.15 and _is_laughter(level):
        return "laugh", WordKind.SOUND
    if length_s >= UNKNOWN_S and loud_enough and voiced.mean() > 0.35:
        return NOT_UNDERSTOOD, WordKind.SOUND
    if length_s <= CLICK_S:
        return ("click", WordKind.SOUND) if level.max() > voice_db - 25 else None
    rise = float(level[: max(4, len(level) // 4)].max() - level[0])
    if COUGH_S[0] <= length_s <= COUGH_S[1] and level.max() > voice_db - 4.0 and rise > 9.0 and voiced.mean() < 0.5:
        return "cough", WordKind.SOUND
    gains_per_stretch = int(np.argmax(level)) > len(level) // 4 and float(level.max() - level[0]) > 4.0  # a room's tail only falls
    if (
        BREATH_S[0] <= length_s <= BREATH_S[1]
        and voiced.mean() < 0.35
        and level.max() < voice_db - BREATH_UNDER_VOICE_DB
        and gains_per_stretch
    ):
        return "breath", WordKind.SOUND
    return None


def _filler_text(voicing: Voicing, start: int, end: int, language: str) -> str:
    """um, where the end is as dark as an m; else uh; as the language writes them."""
    mel = voicing.mel[start:end]
    dark = mel[:, :5].mean(axis=1) - mel[:, 8:18].mean(axis=1)
    third = max(len(dark) // 3, 3)
    return heard_hesitation(is_closed=float(dark[-third:].mean() - dark[:third].mean()) > NASAL_DB, language=language)


def _is_laughter(level: NDArray[np.float32]) -> bool:
    """Four bursts or more, parted by dips of 6 dB, at the even pace of a laugh."""
    smooth = neighbours.gaussian_filter1d(level, 1.5)
    peaks: list[int] = []
    high_at, low, rising = 0, 200.0, True
    for k, value in enumerate(smooth):
        if rising:
            high_at = k if value >= smooth[high_at] else high_at
            if value < smooth[high_at] - 6.0:
                peaks.append(high_at)
                rising, low = False, value
        else:
            low = min(low, value)
            if value > low + 6.0:
                rising, high_at = True, k
    steps = np.diff(peaks) / FRAMES_PER_S
    fitting = (steps >= LAUGH_BURST_S[0]) & (steps <= LAUGH_BURST_S[1])
    return len(peaks) >= 4 and fitting.mean() > 0.7 and float(np.std(steps[fitting])) < 0.08


def _usual_length(words: Sequence[Word], per: float) -> float:
    """Frames a letter, of a voice's words."""
    lengths = [(w.end_frame - w.start_frame) / per / (letters_to_say(w.text) + 1.6) for w in words if w.kind is WordKind.WORD]
    return float(np.median(lengths)) if lengths else 6.0


def _drawn_out(word: Word, usual: float, steady: NDArray[np.bool_], voicing: Voicing, per: float, language: str) -> Word | None:
    """The hesitation that a recogniser hid in a word: its vowel stands still long after the word should be over, and no longer than it does. In a word that it was not sure of it
    may as well be another word."""
    if word.kind is not WordKind.WORD:
        return None
    a, b = int(word.start_frame / per), min(int(word.end_frame / per), len(steady))
    expected = usual * (letters_to_say(word.text) + 1.6)
    if b - a < DRAWN_OUT * expected or b - a < DRAWN_OUT_S * FRAMES_PER_S:
        return None
    first, last = _longest(steady[a:b])
    start = max(first, round(1.3 * expected))
    if last - start < 2 * STEADY_S * FRAMES_PER_S:
        return None
    end = min(last + round(NASAL_S * FRAMES_PER_S), b - a)
    is_known = word.confidence >= KNOWN
    return Word(
        _filler_text(voicing, a + start, a + end, language) if is_known else NOT_UNDERSTOOD,
        round((a + start) * per),
        min(round((a + end) * per), word.end_frame),
        WordKind.FILLER if is_known else WordKind.SOUND,
        0.4,
    )
