"""The frequencies that are named on a logarithmic axis, in Hz, and how they are written: the same in every plot and on the proof sheet."""

from __future__ import annotations

FREQUENCIES: tuple[tuple[int, str], ...] = (
    (50, "50"), (100, "100"), (200, "200"), (500, "500"), (1000, "1 k"), (2000, "2 k"), (5000, "5 k"), (10000, "10 k"), (20000, "20 k"),
)  # fmt: skip
WITH_UNIT = (*FREQUENCIES[:-1], (20000, "20 k Hz"))  # where the axis has no name of its own
