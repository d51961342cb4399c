"""The manual page is the parser's own text, and it is the one that ships."""

from __future__ import annotations

from pathlib import Path

import dubbin
from dubbin.cli.manual import manual
from dubbin.desktop.completions import completions

SHIPPED = Path(dubbin.__file__).parent / "desktop" / "files" / "dubbin.1"


def test_the_page_that_ships_is_the_one_that_the_parser_makes():
    assert SHIPPED.read_text() == manual(), "python -m dubbin.cli.manual > src/dubbin/desktop/files/dubbin.1"


def test_every_command_has_its_section_and_no_line_is_taken_for_a_macro():
    page = manual()
    for name in (
        "check",
        "clean",
        "pauses",
        "transcribe",
        "voice",
        "master",
        "proof",
        "batch",
        "review",
        "collect",
        "desktop",
        "about",
        "open",
    ):
        assert f"\n.SS {name}\n" in page
    known = {".TH", ".SH", ".SS", ".B", ".TP", ".PP", ".nf", ".fi"}
    assert {line.split()[0] for line in page.splitlines() if line.startswith((".", "'"))} <= known


def test_a_share_has_one_sign_in_the_page_and_in_completions():
    for text in (manual(), completions("zsh"), completions("fish")):
        assert "% of the demo's words wrong" in text.replace("'\\''", "'").replace("\\'", "'") and "%%" not in text
