"""Where cuts of words, fillers and takes fall: around what is heard, in the sound of all lanes together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dubbin.core.episode.model import Cut, Episode
from dubbin.core.mix.automatic_cuts import CutCheck
from dubbin.core.sound.source import Source
from dubbin.core.speech.edges import WordCut, cut_around, quiet_core
from dubbin.core.speech.retakes import Retake
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.word_table import WordTable

NEXT_WORD_S = 2.0  # words further away than this do not limit a cut
LONGEST_BETWEEN_TAKES_S = 4.0
CLIP_MARGIN_S = 0.15
NEAR_CUT_S = 0.5  # a cut this near is reached up to


@dataclass(frozen=True)
class FoundRetake:
    """A retake of a lane; spans: session frames of each take."""

    lane: str
    retake: Retake
    spans: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class FoundFiller:
    """row: in the word table."""

    row: int
    text: str
    voice: str
    cut: WordCut


def found_retakes(lane_id: str, start_frame: int, retakes: Sequence[Retake]) -> list[FoundRetake]:
    """Retakes of a lane on the session clock."""
    return [FoundRetake(lane_id, r, tuple((start_frame + t.start_frame, start_frame + t.end_frame) for t in r.takes)) for r in retakes]


def word_cut(table: WordTable, mix: Source, rate: int, rows: Sequence[int], counted: NDArray[np.bool_] | None = None) -> WordCut:
    """Where a cut of words that follow one another falls.

    mix: all lanes as they are recorded, on the session clock. counted: (rows of the table,) what may be a neighbour; by default all but clicks and breaths.
    """
    before, after = table.neighbours(rows, counted)
    start, end = int(table.starts[min(rows)]), int(max(table.ends[r] for r in rows))
    far = round(NEXT_WORD_S * rate)
    before = before if before is not None and start - before < far else None
    after = after if after is not None and after - end < far else None
    # Of voices that speak at once the one that was not meant is left whole, as long as half of the other goes.
    most = (end - start) // 2
    if before is not None and before > start:
        start = before = before if before - start <= most else start
    if after is not None and after < end:
        end = after = after if end - after <= most else end
    return cut_around(mix, start, end, before, after)


def reading_cuts(table: WordTable, mix: Source, rate: int, rows: Sequence[int], cuts: Sequence[Cut] = ()) -> list[tuple[int, int]]:
    """Stretches to cut for words that were selected by reading: from the first one's start to the last one's end, and what lies between.

    rows: as they are selected. cuts: that are there already. Words are cut apart only where something that can be read, and is heard, lies between them
    unselected. Such a neighbour, a laugh or a breath as well as a word, loses nothing; where the neighbour is a cut, the new one reaches up to it.
    """
    chosen = np.zeros(len(table), np.bool_)
    chosen[list(rows)] = True
    gone = np.zeros(len(table), np.bool_)
    for cut in cuts:
        gone |= (cut.start_frame <= table.middles) & (table.middles < cut.end_frame)
    others = table.is_read & ~chosen & ~gone
    groups: list[list[int]] = []
    for row in np.flatnonzero(chosen).tolist():
        if groups:
            end = max(int(table.ends[r]) for r in groups[-1])
            if not np.any(others & (end <= table.middles) & (table.middles < table.starts[row])):
                groups[-1].append(row)
                continue
        groups.append([row])
    out = []
    for group in groups:
        found = word_cut(table, mix, rate, group, others)
        start, end = found.start_frame, found.end_frame
        near = round(NEAR_CUT_S * rate)
        first, last = int(table.starts[group[0]]), max(int(table.ends[r]) for r in group)
        # What is left between two cuts that nothing heard parts would be a scrap.
        start = min(
            [start, *(c.end_frame for c in cuts if first - near < c.end_frame <= first and _is_bare(others, table, c.end_frame, first))]
        )
        end = max(
            [end, *(c.start_frame for c in cuts if last <= c.start_frame < last + near and _is_bare(others, table, last, c.start_frame))]
        )
        out.append((start, end))
    return out


def clip_around(table: WordTable, mix: Source, rate: int, rows: Sequence[int]) -> tuple[int, int]:
    """From where to where a clip of words is taken: their sound as a whole, CLIP_MARGIN_S beside it, and nothing of the words next to them."""
    others = table.is_read.copy()
    others[list(rows)] = False
    before, after = table.neighbours(rows, others)
    start, end = int(table.starts[min(rows)]), int(max(table.ends[r] for r in rows))
    margin, around = round(CLIP_MARGIN_S * rate), round(NEXT_WORD_S * rate)
    low, high = max(before if before is not None else 0, start - around, 0), min(after if after is not None else end + around, end + around)
    kept_low, first = quiet_core(mix, min(low, start), start)
    last, kept_high = quiet_core(mix, end, max(high, end))
    return max(first - margin, min(kept_low, first)), min(last + margin, max(kept_high, last))


def _is_bare(others: NDArray[np.bool_], table: WordTable, start: int, end: int) -> bool:
    """Whether nothing that is heard and can be read lies between two frames."""
    return not np.any(others & (table.ends > start) & (table.starts < end))


def _is_meant(table: WordTable, row: int) -> bool:
    """Whether something is more than the hesitations and the breath between two takes."""
    return bool(table.is_kept[row]) and table.words[row].kind is not WordKind.FILLER


def find_fillers(table: WordTable, mix: Source, rate: int, check: CutCheck) -> list[FoundFiller]:
    """All hesitations, each with the cut that would take it out; one whose cut does not pass the check is tightly joined."""
    found = []
    for row, word in enumerate(table.words):
        if word.kind is WordKind.FILLER:
            cut = word_cut(table, mix, rate, [row])
            settled = None if cut.is_tight else check.settled(cut.start_frame, cut.end_frame)
            cut = WordCut(*settled) if settled is not None else replace(cut, is_tight=True)
            found.append(FoundFiller(row, word.text, table.voice(row).name, cut))
    return found


def unheard_filler_cuts(episode: Episode, fillers: Sequence[FoundFiller]) -> list[tuple[int, int]]:
    """What can be cut of the hesitations by itself: those that are not tightly joined and not cut yet."""
    return [
        (f.cut.start_frame, f.cut.end_frame)
        for f in fillers
        if not f.cut.is_tight and episode.cut_at((f.cut.start_frame + f.cut.end_frame) // 2) is None
    ]


def last_take_cuts(table: WordTable, mix: Source, rate: int, retakes: Sequence[FoundRetake], check: CutCheck) -> list[tuple[int, int]]:
    """What goes when of every line its last take is kept, as far as it passes the check."""
    ordered = sorted(retakes, key=lambda r: r.spans[0])
    return check.all_settled([cut for r in ordered for cut in take_cuts(table, mix, rate, r, len(r.spans) - 1)])


def count_of_lines(retakes: Sequence[FoundRetake], stretches: Sequence[tuple[int, int]]) -> int:
    """Of how many lines an earlier take goes when these stretches (start, end in session frames) are cut: some takes pass no check, and stay."""
    cut = [[start <= (a + b) // 2 < end for start, end in stretches for a, b in r.spans[:-1]] for r in retakes]
    return sum(any(takes) for takes in cut)


def take_cuts(table: WordTable, mix: Source, rate: int, found: FoundRetake, keep: int) -> list[tuple[int, int]]:
    """What goes when one take is kept: every other take, and the pause to the next one where nobody else speaks in it."""
    cuts = []
    for k, (start, end) in enumerate(found.spans):
        if k == keep:
            continue
        lane_rows = [r for r in table.rows_in(start, end) if table.voice(r).lane == found.lane]
        if not lane_rows:
            continue
        cut = word_cut(table, mix, rate, lane_rows)
        a, b = cut.start_frame, cut.end_frame
        if k + 1 < len(found.spans):
            following = found.spans[k + 1][0]
            between = [r for r in table.rows_in(end, following) if table.voice(r).lane != found.lane and table.is_kept[r]]
            own = [r for r in table.rows_in(end, following) if table.voice(r).lane == found.lane and _is_meant(table, r)]
            if not between and not own and following - end < LONGEST_BETWEEN_TAKES_S * rate:
                b = max(b, word_cut(table, mix, rate, table.rows_in(start, following) or lane_rows).end_frame)
        cuts.append((a, b))
    return cuts
