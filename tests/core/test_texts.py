"""Texts and figures in somebody's language: what is translated, what stays English, and catalogues that can't be used."""

from __future__ import annotations

import importlib.util
from pathlib import Path

import pytest
from babel.messages import Catalog
from babel.messages.mofile import write_mo
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.figures import clock, clock_seconds, decimal_point, number, short_number, span_text, use_decimal_point, with_unit
from dubbin.core.folders import user_folders
from dubbin.core.texts import languages, tr, tr_count, use_language

ROOT = Path(__file__).parents[2]


@pytest.fixture(autouse=True)
def english_again():
    yield
    use_language([])
    use_decimal_point(".")


def catalogue(path: Path, lines: dict, plural: str = "nplurals=2; plural=(n != 1);") -> None:
    found = Catalog(charset="utf-8")
    found.mime_headers = [*found.mime_headers, ("Plural-Forms", plural)]
    for english, translated in lines.items():
        found.add(english, translated)
    path.parent.mkdir(exist_ok=True)
    with open(path, "wb") as out:
        write_mo(out, found)


def test_a_translation_is_a_file(tmp_path):
    catalogue(tmp_path / "fr.mo", {"Cut selection": "Couper la sélection", "{count} of {all}": "sur {all}, {count}"})
    assert use_language(["fr_CA.UTF-8"], [tmp_path]) == "fr"
    assert tr("Cut selection") == "Couper la sélection" and tr("Not translated") == "Not translated" and tr("") == ""
    assert tr("{count} of {all}").format(count=2, all=5) == "sur 5, 2"
    assert use_language([]) == "en" and tr("Cut selection") == "Cut selection"


def test_counts_have_the_forms_of_their_language(tmp_path):
    forms = "nplurals=3; plural=(n%10==1 && n%100!=11 ? 0 : n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 1 : 2);"
    catalogue(tmp_path / "ru.mo", {("{count} cut", "{count} cuts"): ("{count} разрез", "{count} разреза", "{count} разрезов")}, forms)
    assert tr_count("{count} cut", "{count} cuts", 1) == "1 cut" and tr_count("{count} cut", "{count} cuts", 0) == "0 cuts"
    use_language(["ru"], [tmp_path])
    assert [tr_count("{count} cut", "{count} cuts", n) for n in (1, 3, 11, 21)] == ["1 разрез", "3 разреза", "11 разрезов", "21 разрез"]


def test_the_first_language_that_there_is(tmp_path):
    catalogue(tmp_path / "de.mo", {"Edit": "Schnitt"})
    assert languages([tmp_path]) == ["de", "en"] and languages([tmp_path / "missing"]) == ["en"]
    assert use_language(["fi", "de", "en"], [tmp_path]) == "de" and tr("Edit") == "Schnitt"
    assert use_language(["en_GB", "de"], [tmp_path]) == "en" and tr("Edit") == "Edit"
    assert use_language(["C"], [tmp_path]) == "en" and use_language(["../de"], [tmp_path / "x"]) == "en"


def test_lines_that_ask_for_what_there_is_not_stay_english(tmp_path):
    catalogue(tmp_path / "de.mo", {"{count} of {all}": "{anzahl} von {all}", "Cut {what}": "Schneide {what", "Edit": "Schnitt"})
    use_language(["de"], [tmp_path])
    assert tr("{count} of {all}") == "{count} of {all}" and tr("Cut {what}") == "Cut {what}" and tr("Edit") == "Schnitt"


@given(st.binary(max_size=200))
def test_a_broken_catalogue_is_none(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("broken")
    (folder / "de.mo").write_bytes(b"\xde\x12\x04\x95" + data)
    use_language(["de"], [folder])
    assert tr("Edit selection of nothing") == "Edit selection of nothing"


def test_what_somebody_chose_comes_before_the_environment(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path))
    for name in ("LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("LANGUAGE", "fr:de")
    monkeypatch.setenv("LANG", "it_IT.UTF-8")
    assert user_folders().languages == ["fr", "de", "it_IT.UTF-8"]
    (tmp_path / "state").mkdir()
    (tmp_path / "state" / "preferences.json").write_text('{"language": "ru"}')
    assert user_folders().languages == ["ru"] and user_folders().translations == tmp_path / "state" / "translations"


def test_the_template_holds_every_text_of_the_code():
    spec = importlib.util.spec_from_file_location("texts_script", ROOT / "scripts" / "texts.py")
    script = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(script)
    template = script.template()
    assert (ROOT / "share" / "dubbin.pot").read_text() == template, "run ./scripts/texts"
    assert template.count("\nmsgid ") > 1000


# -- figures ------------------------------------------------------------------------------


def test_figures_have_the_decimal_point_of_their_place():
    assert number(-1.25) == "−1.2" and number(0.04, sign=True) == "0.0" and number(2, 0, sign=True) == "+2" and short_number(-0.5) == "−0.5"
    use_decimal_point(",")
    assert decimal_point() == "," and number(-1.25, 2) == "−1,25" and with_unit(3.5, "dB") == "3,5 dB" and short_number(12.5) == "12,5"
    assert clock(61.25, 2) == "1:01,25" and span_text(0.5) == "0,50 s" and span_text(12.34) == "12,3 s"
    use_decimal_point("٫")  # figures themselves stay latin
    assert number(1.5) == "1.5"


@given(st.floats(0, 30000), st.sampled_from([".", ","]))
def test_a_time_is_read_as_it_was_written(seconds, point):
    use_decimal_point(point)
    assert abs(clock_seconds(clock(seconds, 3)) - seconds) <= 0.00051
