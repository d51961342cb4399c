"""Writes the template of translations from the texts that the code marks (tr, tr_count, mark)."""

from __future__ import annotations

import io
import sys
import tomllib
from pathlib import Path

from babel.messages import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import write_po

SOURCE = Path(__file__).parents[1] / "src" / "dubbin"
MARKS = {"tr": None, "mark": None, "tr_count": (1, 2)}


def catalogue() -> Catalog:
    """All texts of the code, in the order of its files."""
    found = Catalog(project="Dubbin", copyright_holder="the authors of Dubbin", charset="utf-8")
    for name, _, message, comments, _ in extract_from_dir(SOURCE, [("**.py", "python")], keywords=MARKS, comment_tags=()):
        found.add(message, locations=[(name, 0)], auto_comments=comments)
    targets = SOURCE / "core" / "deliver" / "targets.toml"
    for target in tomllib.loads(targets.read_text()).values():
        for text in (target["title"], target["rule"]):
            found.add(text, locations=[("core/deliver/targets.toml", 0)])
    return found


def template() -> str:
    """The template, without what changes by itself: dates and numbers of lines."""
    out = io.BytesIO()
    write_po(out, catalogue(), omit_header=True, include_lineno=False, sort_output=False, width=0)
    return out.getvalue().decode()


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(template())
