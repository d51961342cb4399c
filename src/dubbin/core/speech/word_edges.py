"""Where words begin and end, to within some hundredths of a second.

A recogniser knows about where a word lies. What its letters sound like in this very recording is learned from that: every letter (or pair
such as "sh") gets a bell curve over the spectrum, made from the frames that it may lie in, and the best course through letters and gaps is found
with these; from the better edges the curves are made again. So it needs no acoustic model, and fits any voice, room and language that
writes by sound. The recogniser's own times, less what they are late as a rule, stay in the sum as a prior. Where a pause follows, a word lasts until its sound has ended.

Sources: Viterbi training from a flat start: Young and others, "The HTK book", 2006; Brugnara, Falavigna and Omologo, "Automatic segmentation and
labeling of speech based on hidden Markov models", Speech Communication 12, 1993. Letters for phones: Kanthak and Ney, "Context-dependent acoustic modeling using
graphemes", ICASSP 2002. Figures: docs/benchmarks.md. Limits: under half a minute of speech the letters are hardly learned and the edges are little better
than the recogniser's.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import scipy
import soxr
from numpy.typing import NDArray

from dubbin.core.jobs import Task, in_parallel
from dubbin.core.sound import fourier, neighbours
from dubbin.core.sound.filtering import running_mean
from dubbin.core.sound.source import Source, read_padded
from dubbin.core.speech.activity import FRAMES_PER_S, Activity
from dubbin.core.speech.beside_pauses import STEP_S, audible_steps, sounding_on, usual_lags
from dubbin.core.speech.decoding import HeardWord
from dubbin.core.speech.transcript import plain

RATE = 16000
HOP = round(STEP_S * RATE)
WINDOW = 320
BANDS_HZ = (80, 200, 320, 450, 600, 800, 1000, 1250, 1550, 1900, 2350, 2900, 3600, 4500, 5800, 7900)
COEFFICIENTS = 6
CHUNK_S = 30.0
BLOCK = 1 << 16  # steps that are worked on at once
DELTA = 3  # steps to both sides over which change is taken
SPREAD_S = 0.040  # one sigma of what is left of their error
BEND = 2.0  # sigmas from which on an error counts no longer by its square
REACH_S = 0.5  # an edge is looked for this far around its estimate
ROUNDS = 5
FRAME_WEIGHT = 0.12  # frames that follow one another are alike: each counts for so much
STAY = -0.001  # log probability a step
GAP_ENTRY = 1.0
INAUDIBLE = -2.3  # a step of a word in which nothing is heard
KAPPA = 35  # frames of all speech that every letter's curve is made with
PHRASE_GAP_S, LONGEST_PHRASE_S = 0.6, 60.0
USUAL_RT60_S, LATE_S = 0.25, 0.05
LATE_WEIGHT, LEAST_LEFT = 3.0, 0.1  # of the late power that is taken off; of the power that stays at least
LIVE_RT60_S = 0.3  # from which on what sounds on behind a word is the room


def find_features(source: Source, task: Task | None = None) -> NDArray[np.float32]:
    """Band levels in dB of a whole source, its channels mixed: (n, bands), one every STEP_S."""
    task = task or Task()
    count = max(1, int(source.frames / source.rate / STEP_S))
    levels = np.full((count, len(BANDS_HZ) - 1), -100.0, np.float32)
    per_chunk = round(CHUNK_S / STEP_S)
    margin_s = 0.1

    def look(first: int) -> None:
        number = min(per_chunk, count - first)
        start_s = first * STEP_S - margin_s
        stop_s = start_s + number * STEP_S + 2 * margin_s
        x = read_padded(source, round(start_s * source.rate), round(stop_s * source.rate)).mean(axis=0)
        y = soxr.resample(x, source.rate, RATE, quality="MQ").astype(np.float32)
        levels[first : first + number] = band_levels(y, round(margin_s * RATE), number)

    in_parallel(look, range(0, count, per_chunk), task)
    return levels


def band_levels(y: NDArray[np.float32], skip: int, count: int) -> NDArray[np.float32]:
    """Levels of `count` steps of y (frames,) at RATE, the first beginning at frame `skip`."""
    starts = skip + np.arange(count) * HOP + HOP // 2 - WINDOW // 2
    y = np.pad(y, (0, max(0, int(starts[-1]) + WINDOW - len(y))))
    frames = np.lib.stride_tricks.sliding_window_view(y, WINDOW)[starts] * np.hanning(WINDOW).astype(np.float32)
    X = fourier.rfft(frames, 512)
    P = (X.real**2 + X.imag**2).astype(np.float32)
    edges = np.round(np.array(BANDS_HZ) * 512 / RATE).astype(int)
    out = np.stack([P[:, a:b].mean(axis=1) for a, b in pairwise(edges)], axis=1)
    return np.asarray(10.0 * np.log10(out + 1e-9), np.float32)


def take_off_tails(levels: NDArray[np.float32], rt60_s: float | None) -> None:
    """Take off levels, in place, what the room still sounds of LATE_S ago and before (Polack's model, as in the treatment of echo)."""
    rt60_s = min(max(rt60_s or USUAL_RT60_S, 0.15), 1.2)
    decay = 10.0 ** (-6.0 * STEP_S / rt60_s)
    delay = round(LATE_S / STEP_S)
    for band in range(levels.shape[1]):  # one by one: hours of all of them would take much memory
        power = 10.0 ** (levels[:, band].astype(np.float64) / 10.0)
        late = np.zeros_like(power)
        late[delay:] = running_mean(power, decay)[:-delay] * decay**delay
        levels[:, band] = 10.0 * np.log10(np.maximum(power - LATE_WEIGHT * late, LEAST_LEFT * power))


def _observations(levels: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, 2 * COEFFICIENTS): cepstra with loudness against the loudest around, and how they change; each with a spread of 1."""
    x = np.empty((len(levels), 2 * COEFFICIENTS), np.float32)
    for a in range(0, len(levels), BLOCK):
        x[a : a + BLOCK, :COEFFICIENTS] = scipy.fft.dct(levels[a : a + BLOCK], axis=1, norm="ortho")[:, :COEFFICIENTS]
    loudest = neighbours.maximum_filter1d(x[:, 0], round(2.0 / STEP_S))
    x[:, 0] = np.maximum(x[:, 0] - loudest, -200.0)
    heard = x[:, 0] > np.quantile(x[:, 0], 0.4)
    for k in range(COEFFICIENTS):  # one by one, in place: hours of all of them would take much memory
        padded = np.pad(x[:, k], DELTA, mode="edge")
        x[:, COEFFICIENTS + k] = padded[2 * DELTA :] - padded[: -2 * DELTA]
    for column in x.T:
        known = column[heard]
        column -= known.mean()
        column /= max(float(known.std()), 1e-6)
    return x


PAIRS = {"sh": "S", "ch": "C", "th": "T", "ph": "f", "ng": "N", "ck": "k", "wh": "w", "qu": "k", "kn": "n", "wr": "r", "gh": ""}
VOWELS = "aeiouyäöüáéíóúàèìòùâêîôû"
ANY = "*"  # figures and signs: any speech
GAP = "_"


def letters_of(text: str) -> str:
    """A word as the units that are learned: pairs as one, double letters once, vowels in a row as the first of them."""
    word = plain(text).replace("'", "")
    if not word or any(c.isdigit() for c in word):
        return ANY * min(3 * max(len(word), 1), 8)
    for pair, unit in PAIRS.items():
        word = word.replace(pair, unit)
    if len(word) > 3 and word.endswith("e") and word[-2] not in VOWELS:
        word = word[:-1]
    word = re.sub(r"(.)\1+", r"\1", word)
    word = re.sub(rf"([{VOWELS}])[{VOWELS}]+", r"\1", word)
    return word or ANY


@dataclass(frozen=True)
class _Phrase:
    """units: for each state its unit; word_of: for each state its word, -1 in
    gaps; opens: True for the first state of a word."""

    units: NDArray[np.int64]
    word_of: NDArray[np.int64]
    opens: NDArray[np.bool_]
    start: int
    stop: int


def refine_edges(
    words: Sequence[HeardWord], levels: NDArray[np.float32], activity: Activity, rt60_s: float | None = None, task: Task | None = None
) -> list[HeardWord]:
    """The same words with better edges, sorted, not overlapping.

    levels: from `find_features`, used up: those of hours take hundreds of megabytes. activity: of the same sound; rt60_s: of its room, if it is known.
    """
    task = task or Task()
    words = sorted(words, key=lambda w: (w.start_s, w.end_s))
    if not words or len(levels) < 4:
        return words
    sounds = audible_steps(levels)
    take_off_tails(levels, rt60_s)
    audible = audible_steps(levels)
    words = _prepared(words, *usual_lags(words, audible))
    x, count = _observations(levels), len(levels)
    del levels
    at = np.minimum((np.arange(count) * STEP_S * FRAMES_PER_S).astype(int), len(activity.excess_db) - 1)
    heard = neighbours.closed(np.pad(activity.excess_db[at] > 0, 8), 9)[8:-8]
    names = [GAP, ANY, *sorted({u for w in words for u in letters_of(w.text)} - {ANY})]
    number = {name: k for k, name in enumerate(names)}
    phrases = _phrases(words, number, count)
    guess = np.array([(w.start_s, w.end_s) for w in words])
    edges = guess.copy()
    labels = _even_labels(words, edges, number, count)
    for round_ in range(ROUNDS):
        means, variances = _curves(x, labels, len(names))
        offsets = -0.5 * np.log(variances).sum(axis=1)
        labels = np.zeros(count, np.int64)
        for k, phrase in enumerate(phrases):
            if k % 16 == 0:
                task.step((round_ + k / len(phrases)) / ROUNDS)
            _align(phrase, x, heard, means, variances, offsets, guess, edges, labels)
    out: list[HeardWord] = []
    for word, (start, end) in zip(words, edges, strict=True):
        start = max(start, out[-1].end_s if out else 0.0)
        out.append(replace(word, start_s=float(start), end_s=float(max(end, start + 2 * STEP_S))))
    return sounding_on(out, audible if (rt60_s or 0.0) > LIVE_RT60_S else sounds)


def _prepared(words: Sequence[HeardWord], lag_s: float, end_lag_s: float) -> list[HeardWord]:
    """Sorted words, the recogniser's lags taken off."""
    out: list[HeardWord] = []
    for word in words:
        start = max(word.start_s - lag_s, out[-1].start_s + 0.02 if out else 0.0)
        out.append(replace(word, start_s=start, end_s=max(word.end_s - end_lag_s, start + 0.03)))
    return out


def _phrases(words: Sequence[HeardWord], number: dict[str, int], count: int) -> list[_Phrase]:
    groups: list[list[int]] = [[]]
    for k, word in enumerate(words):
        if groups[-1] and word.start_s - words[k - 1].end_s > PHRASE_GAP_S:
            groups.append([])
        groups[-1].append(k)
    out = []
    for group in (part for whole in groups for part in _parted(whole, words)):
        units, word_of, opens = [number[GAP]], [-1], [False]
        for k in group:
            for j, unit in enumerate(letters_of(words[k].text)):
                # Two states a letter: it lasts for two steps at least.
                units += [number.get(unit, number[ANY])] * 2
                word_of += [k, k]
                opens += [j == 0, False]
            units.append(number[GAP])
            word_of.append(-1)
            opens.append(False)
        start = max(int((words[group[0]].start_s - REACH_S - 0.1) / STEP_S), 0)
        stop = min(int((words[group[-1]].end_s + REACH_S + 0.1) / STEP_S) + 1, count)
        out.append(_Phrase(np.array(units), np.array(word_of), np.array(opens), start, max(stop, start + 1)))
    return out


def _parted(group: Sequence[int], words: Sequence[HeardWord]) -> list[Sequence[int]]:
    """Numbers of words that follow one another, parted where they stand furthest apart, until no part is too long: who speaks for minutes without a pause, or was
    edited so, is no single phrase."""
    if len(group) < 3 or words[group[-1]].end_s - words[group[0]].start_s <= LONGEST_PHRASE_S:
        return [group]
    middle = range(max(len(group) // 4, 1), max(3 * len(group) // 4, 2))
    cut = max(middle, key=lambda k: words[group[k]].start_s - words[group[k - 1]].end_s)
    return [*_parted(group[:cut], words), *_parted(group[cut:], words)]


def _even_labels(words: Sequence[HeardWord], edges: NDArray[np.float64], number: dict[str, int], count: int) -> NDArray[np.int64]:
    """For every step the letter that it belongs to when a word's letters are spread evenly over it."""
    labels = np.zeros(count, np.int64)
    for word, (start, end) in zip(words, edges, strict=True):
        units = letters_of(word.text)
        a, b = int(start / STEP_S), min(int(end / STEP_S) + 1, count)
        if b > a:
            labels[a:b] = [number.get(units[k * len(units) // (b - a)], 1) for k in range(b - a)]
    return labels


def _curves(x: NDArray[np.float32], labels: NDArray[np.int64], count: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean and variance of every unit, (count, coefficients); rare ones lean on all speech."""
    frames = np.bincount(labels, minlength=count)
    sums, squares = np.empty((count, x.shape[1])), np.empty((count, x.shape[1]))
    for k, column in enumerate(x.T):
        values = column.astype(np.float64)
        sums[:, k] = np.bincount(labels, values, minlength=count)
        squares[:, k] = np.bincount(labels, values**2, minlength=count)
    spoken = max(int(frames[1:].sum()), 1)
    all_mean = sums[1:].sum(axis=0) / spoken
    all_var = squares[1:].sum(axis=0) / spoken - all_mean**2
    means, variances = np.tile(all_mean, (count, 1)), np.tile(all_var, (count, 1))
    for unit in range(count):
        if unit != 1 and frames[unit]:
            share = frames[unit] / (frames[unit] + (0.0 if unit == 0 else KAPPA))
            mean = sums[unit] / frames[unit]
            means[unit] = share * mean + (1 - share) * all_mean
            variances[unit] = share * (squares[unit] / frames[unit] - mean**2) + (1 - share) * all_var
    return means, np.maximum(variances, 0.04)


def _align(
    phrase: _Phrase, x: NDArray[np.float32], heard: NDArray[np.bool_], means: NDArray[np.float64], variances: NDArray[np.float64],
    offsets: NDArray[np.float64], guess: NDArray[np.float64], edges: NDArray[np.float64], labels: NDArray[np.int64],
) -> None:  # fmt: skip
    """Place the words of a phrase: writes into edges and labels."""
    from dubbin.core.speech.word_edges_kernels import best_path

    part = x[phrase.start : phrase.stop].astype(np.float64)
    units, inverse = np.unique(phrase.units, return_inverse=True)
    weight = 1.0 / variances[units]
    # The square of the distance, written out: three products of matrices instead of a pass for every unit.
    distance = part**2 @ weight.T - 2.0 * part @ (means[units] * weight).T + (means[units] ** 2 * weight).sum(axis=1)
    scores = FRAME_WEIGHT * (offsets[units] - 0.5 * distance)
    silent = np.where(heard[phrase.start : phrase.stop], 0.0, INAUDIBLE * FRAME_WEIGHT)
    scores[:, units != 0] += silent[:, None]
    low, high = np.zeros(len(phrase.units), np.int64), np.full(len(phrase.units), len(part), np.int64)
    prior = np.zeros(len(phrase.units))
    for state, word in enumerate(phrase.word_of):
        if word >= 0:
            low[state] = int((guess[word, 0] - REACH_S) / STEP_S) - phrase.start
            high[state] = int((guess[word, 1] + REACH_S) / STEP_S) + 1 - phrase.start
            prior[state] = guess[word, 0] / STEP_S - phrase.start
    path = best_path(
        scores, inverse.astype(np.int64), phrase.word_of, phrase.opens, low, high, prior, SPREAD_S / STEP_S, BEND, STAY, GAP_ENTRY
    )
    if path[0] < 0:
        return  # no way through: the edges stay as they were
    labels[phrase.start : phrase.stop] = phrase.units[path]
    word = phrase.word_of[path]
    steps = np.flatnonzero(word >= 0)
    begins = np.flatnonzero(np.diff(word[steps], prepend=-1))  # words stand in order on the way
    for a, b in zip(begins, [*begins[1:], len(steps)], strict=True):
        edges[word[steps[a]]] = (phrase.start + steps[a]) * STEP_S, (phrase.start + steps[b - 1] + 1) * STEP_S
