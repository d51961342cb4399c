"""The window in a made-up language, in which every text of the template stands in brackets: what stands outside was never looked up."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from babel.messages import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

ROOT = Path(__file__).parents[2]


def brackets(to: Path) -> None:
    """A catalogue that puts every text in brackets."""
    made = Catalog(charset="utf-8")
    with open(ROOT / "share" / "dubbin.pot", "rb") as file:
        for message in read_po(file):
            if message.id:
                forms = tuple(f"⟦{text}⟧" for text in message.id) if message.pluralizable else f"⟦{message.id}⟧"
                made.add(message.id, forms)
    to.parent.mkdir(parents=True)
    with open(to, "wb") as out:
        write_mo(out, made)


def test_every_text_of_the_window_can_be_translated(little, tmp_path):
    brackets(tmp_path / "state" / "translations" / "xx.mo")
    environment = {**os.environ, "DUBBIN_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    child = Path(__file__).with_name("translated_window.py")
    done = subprocess.run([sys.executable, child, little], env=environment, capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout.splitlines()[-1]) == []
