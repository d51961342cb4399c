"""The proof sheet: the same figures as a page and as a document, in the language of whoever reads it, whatever stands in titles."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core import texts
from dubbin.core.deliver.proof import prove
from dubbin.core.deliver.proof_pdf import sheet_pdf
from dubbin.core.deliver.proof_sheet import Sheet, sheet_html, write_sheet
from dubbin.core.deliver.targets import find_target
from dubbin.core.errors import CannotWrite
from tests.conftest import RATE, noise


@pytest.fixture(scope="module")
def proof(tmp_path_factory):
    path = tmp_path_factory.mktemp("proof") / "talk.wav"
    sf.write(path, np.stack([noise(6, -20, 1)] * 2, 1), RATE, subtype="PCM_24")
    return prove(path, find_target("podcast-stereo"))


@pytest.fixture
def sheet(proof) -> Sheet:
    return Sheet(proof, find_target("podcast-stereo"), "Slow <Ferry> & Co", (("Treatments", (("Ines", "Noise", "80 %"),)),))


class Marked:
    """A language in which every text that is looked up stands in quotes."""

    def gettext(self, text):
        return f"«{text}»"

    def ngettext(self, one, many, count):
        return f"«{one if count == 1 else many}»"


def test_both_forms_hold_the_verdict_of_every_rule_and_all_that_was_done(sheet):
    page, document = sheet_html(sheet), sheet_pdf(sheet)
    assert "Slow &lt;Ferry&gt; &amp; Co" in page and "<Ferry>" not in page and "80 %" in page
    for rule in sheet.proof.rules:
        row = re.search(rf"<tr><td>{re.escape(rule.name)}</td>.*?</tr>", page)[0]
        assert rule.found in row and ("✓ passes" in row) == rule.passes and ("▲ fails" in row) != rule.passes
    assert f"{'✓' if sheet.proof.passes else '▲'} {'passes' if sheet.proof.passes else 'fails'}</p>" in page
    assert document.startswith(b"%PDF") and document.rstrip().endswith(b"%%EOF")


def test_every_word_on_the_page_can_be_translated(sheet, monkeypatch):
    monkeypatch.setattr(texts, "_active", Marked())
    page = sheet_html(replace(sheet, work=()))
    heads = re.findall(r"<(?:h2|th|title)>([^<]+)<", page) + re.findall(r"verdict[^>]*>. ([^<]+)<", page)
    names = re.findall(r"<tr><td>([^<]+)</td><td>[^<]*</td></tr>", page)
    assert len(heads) > 7 and len(names) > 10
    assert [h for h in heads if not h.startswith("«")] == [] and [
        n for n in names if not n.startswith("«") and n not in ("RMS", "SHA-256")
    ] == []


def test_a_long_list_of_what_was_done_goes_over_pages(sheet):
    rows = tuple((f"Voice {k}", "Noise", "80 %") for k in range(120))
    pages = [len(re.findall(rb"/Type /Page\b", sheet_pdf(replace(sheet, work=work)))) for work in ((), (("Treatments", rows),))]
    assert pages[1] >= pages[0] + 2


@pytest.mark.parametrize("suffix", [".html", ".pdf"])
def test_where_it_can_not_be_written_it_is_said(sheet, tmp_path, suffix):
    with pytest.raises(CannotWrite, match="nowhere"):
        write_sheet(sheet, tmp_path / "nowhere" / f"sheet{suffix}")
