"""Painters that end in time."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtGui import QPaintDevice, QPainter


@contextmanager
def painting(on: QPaintDevice) -> Iterator[QPainter]:
    """A painter of a widget or a picture that has ended when it is left, whatever happens meanwhile.

    One that is only let go of lives on as long as somebody looks at where it was used: an error that is being told, a profiler. A widget on which somebody still paints when
    its paint event is over ends the program.
    """
    p = QPainter(on)
    try:
        yield p
    finally:
        p.end()
