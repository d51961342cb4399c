"""The place that one works at: play head, selected stretch, words or picked cut."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from dubbin.core.episode.model import Cut


@dataclass(frozen=True)
class Band:
    """Frequencies of one lane, selected together with the range."""

    lane_id: str
    low_hz: float
    high_hz: float


class Selection(QObject):
    """Session frames throughout. range: where it begins and where it ends as it is heard: of material that was moved the end may lie before
    the beginning. rows: words of the word table, when words are selected. spans: where words lie that are selected all over the session; then there is no
    range."""

    head_changed = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.head = 0
        self.range: tuple[int, int] | None = None
        self.rows: tuple[int, ...] = ()
        self.spans: tuple[tuple[int, int], ...] = ()
        self.cut: Cut | None = None
        self.placed: str | None = None
        self.band: Band | None = None

    def set_head(self, frame: int) -> None:
        if frame != self.head:
            self.head = max(0, frame)
            self.head_changed.emit()

    def select(self, start: int, end: int, band: Band | None = None, *, ordered: bool = False) -> None:
        """Select from one frame to another; ordered: they are given as they are heard."""
        low, high = (start, end) if ordered else (min(start, end), max(start, end))
        self._set((low, high) if low != high else None, band=band)

    def select_words(self, rows: tuple[int, ...], start: int, end: int) -> None:
        """Select words that stand next to one another; start, end: where their sound lies."""
        self._set((start, end), rows=rows)

    def select_scattered(self, rows: tuple[int, ...], spans: tuple[tuple[int, int], ...]) -> None:
        """Select words that stand anywhere; spans: where the sound of each lies."""
        self._set(None, rows=rows, spans=spans)

    def pick_cut(self, cut: Cut | None) -> None:
        if cut != self.cut or self.range is not None or self.rows or self.placed is not None:
            self._set(None, cut=cut)

    def pick_placed(self, id: str | None) -> None:
        """Pick something that was moved, copied or put in."""
        if id != self.placed or self.range is not None or self.rows or self.cut is not None:
            self._set(None, placed=id)

    def clear(self) -> None:
        if self.range is not None or self.rows or self.cut is not None or self.placed is not None:
            self._set(None)

    def _set(
        self, range: tuple[int, int] | None, *, rows: tuple[int, ...] = (), spans: tuple[tuple[int, int], ...] = (), cut: Cut | None = None,
        placed: str | None = None, band: Band | None = None,
    ) -> None:  # fmt: skip
        self.range, self.rows, self.spans, self.cut, self.placed, self.band = range, rows, spans, cut, placed, band
        self.changed.emit()
