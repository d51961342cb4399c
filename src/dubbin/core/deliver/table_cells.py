"""Cells of tables for other programs."""

from __future__ import annotations


def safe_cell(text: str) -> str:
    """Text that a spreadsheet does not take for a formula; figures stay figures."""
    is_figure = text.replace("-", "", 1).replace(".", "", 1).isdigit()
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") and not is_figure else text
