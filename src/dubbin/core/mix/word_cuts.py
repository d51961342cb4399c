"""Where cuts of words, fillers and takes fall: around what is heard, in the sound of all lanes together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from dubbin.core.sound.source import Source
from dubbin.core.speech.edges import WordCut, cut_around
from dubbin.core.speech.retakes import Retake
from dubbin.core.speech.transcript import WordKind
from dubbin.core.speech.word_table import WordTable

NEXT_WORD_S = 2.0  # words further away than this do not limit a cut
LONGEST_BETWEEN_TAKES_S = 4.0


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


def word_cut(table: WordTable, mix: Source, rate: int, rows: Sequence[int]) -> WordCut:
    """Where a cut of words that follow one another falls. mix: all lanes as they are recorded, on the session clock."""
    before, after = table.neighbours(list(rows))
    start, end = int(table.starts[min(rows)]), int(max(table.ends[r] for r in rows))
    far = round(NEXT_WORD_S * rate)
    before = before if before is not None and start - before < far else None
    after = after if after is not None and after - end < far else None
    if before is not None and before > start:
        before = start
    if after is not None and after < end:
        after = end
    return cut_around(mix, start, end, before, after)


def find_fillers(table: WordTable, mix: Source, rate: int) -> list[FoundFiller]:
    """All hesitations, each with the cut that would take it out."""
    return [
        FoundFiller(row, word.text, table.voice(row).name, word_cut(table, mix, rate, [row]))
        for row, word in enumerate(table.words)
        if word.kind is WordKind.FILLER
    ]


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
            between = [r for r in table.rows_in(end, following) if table.voice(r).lane != found.lane and not table.is_sound[r]]
            own = [r for r in table.rows_in(end, following) if table.voice(r).lane == found.lane and table.words[r].kind is WordKind.WORD]
            if not between and not own and following - end < LONGEST_BETWEEN_TAKES_S * rate:
                b = max(b, word_cut(table, mix, rate, table.rows_in(start, following) or lane_rows).end_frame)
        cuts.append((a, b))
    return cuts
