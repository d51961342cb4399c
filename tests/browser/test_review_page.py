"""The listening page as people use it: heard, read, commented on by mouse and by keyboard, saved, and taken back into the episode."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dubbin.core.deliver.comments import comments_change, read_comments
from dubbin.core.deliver.review import write_review
from dubbin.core.episode.commands.markers import add_chapter
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Cut, Episode, Lane, Recording, Tags
from dubbin.core.episode.time_map import program_map
from dubbin.core.sound.source import Sound
from dubbin.core.speech.transcript import Transcript, Word
from tests.browser.bidi import Browser, installed
from tests.conftest import RATE, at_length, tone

SECONDS = 24
HOSTILE = "</script><script>window.broken=1</script><img src=x onerror=window.broken=1>"
SAID = ["Welcome", "aboard", "the", HOSTILE, "ferry", "\u2028", "&amp;", '"quoted"']


def an_episode() -> Episode:
    """Twenty-four seconds, of which two and a half are cut; a word a second of two voices."""
    recordings = tuple(Recording(f"r{k}", f"/{k}.wav", f"f{k}", SECONDS * RATE, RATE, 1) for k in range(2))
    lanes = (Lane("l0", "r0", (0,), "Ines"), Lane("l1", "r1", (0,), "<b>Tobias</b>"))
    words = [Word(SAID[k % len(SAID)], k * RATE + RATE // 4, k * RATE + RATE // 2) for k in range(SECONDS)]
    transcripts = (Transcript("l0", tuple(words[:8])), Transcript("l1", tuple(words[8:])))
    episode = replace(
        new_episode("A talk"), recordings=recordings, lanes=lanes, transcripts=transcripts, cuts=(Cut(round(1.5 * RATE), 4 * RATE),),
        delivery=replace(new_episode().delivery, tags=Tags(title="A <talk> & more", show="The Slow Ferry")),
    )  # fmt: skip
    return add_chapter(episode, 10 * RATE, "The <bell>").episode


@pytest.fixture(scope="module")
def episode() -> Episode:
    return an_episode()


@pytest.fixture(scope="module")
def page(episode, tmp_path_factory) -> Path:
    out = tmp_path_factory.mktemp("page") / "talk.html"
    frames = program_map(episode).program_frames
    x = 0.1 * np.sin(np.arange(frames) * 0.03) * (1 + np.sin(np.arange(frames) / RATE * 2)) / 2
    write_review(Sound(np.stack([x, x]).astype(np.float32), RATE), episode, out)
    return out


@pytest.fixture(scope="module", params=["chromium", *at_length("firefox")])
def browser(request, tmp_path_factory):
    if request.param not in installed():
        assert not os.environ.get("CI"), f"{request.param} is missing: ./scripts/test installs it"
        pytest.skip(f"{request.param} is not installed here")
    found = Browser(request.param, tmp_path_factory.mktemp(request.param))
    yield found
    found.close()


@pytest.fixture
def opened(browser, page):
    """The page, as somebody sees it for the first time."""
    browser.open(page)
    browser.evaluate("(() => { try { localStorage.clear(); } catch {} window.onbeforeunload = null; return 1; })()")
    browser.open(page)
    browser.wait_for("document.querySelectorAll('.word').length")
    return browser


def text_of(browser: Browser, selector: str) -> str:
    return str(browser.evaluate(f"document.querySelector({json.dumps(selector)}).textContent"))


def comment(browser: Browser, word: int, text: str, name: str = "") -> None:
    browser.click(f".word[data-k='{word}']")
    if name:
        browser.type(name)
        browser.click("#text")
    browser.type(text)
    browser.click("#add")


def test_every_text_is_text_and_nothing_of_it_runs(opened, episode):
    words = opened.evaluate("[...document.querySelectorAll('.word')].map(e => e.textContent)")
    assert words == [SAID[k % len(SAID)] for k in range(SECONDS) if k not in (2, 3)]
    assert opened.evaluate("window.broken === undefined && document.querySelectorAll('img').length === 0")
    assert text_of(opened, "h1") == "A <talk> & more" and "<b>Tobias</b>" in text_of(opened, "#transcript")
    assert text_of(opened, "#chapters") == "0:07 The <bell>"


def test_words_stand_apart_only_where_their_script_parts_them(browser, episode, tmp_path):
    said = ("渡し", "船", "へ", "and", "back")
    words = tuple(Word(text, (10 + k) * RATE, (10 + k) * RATE + RATE // 2) for k, text in enumerate(said))
    page = tmp_path / "two scripts.html"
    write_review(tone(440, 21, -20), replace(episode, transcripts=(Transcript("l0", words),)), page)
    browser.open(page)
    browser.wait_for("document.querySelectorAll('.word').length")
    shown = "(() => { const t = document.querySelector('.turn'); [...t.children].filter(e => e.className !== 'word').forEach(e => e.remove()); return t.textContent; })()"
    assert browser.evaluate(shown) == "渡し船へand back"


def test_it_can_fetch_nothing_and_run_nothing_else(opened):
    fetched = opened.evaluate("fetch('data:text/plain,x').then(() => 'fetched', () => 'refused')")
    added = opened.evaluate(
        "(() => { const s = document.createElement('script'); s.textContent = 'window.added = 1'; document.body.append(s); return window.added || 0; })()"
    )
    assert fetched == "refused" and added == 0


def test_it_plays_and_the_words_follow(opened):
    opened.click("#play")
    opened.wait_for("document.querySelector('#play').getAttribute('aria-pressed') === 'true'")
    opened.wait_for("document.querySelector('.word.now')?.dataset.k === '1'")
    opened.press("Tab", "Tab")
    opened.click("#play")
    opened.wait_for("document.querySelector('#play').getAttribute('aria-pressed') === 'false'")
    assert float(opened.evaluate("document.querySelector('#wave').getAttribute('aria-valuenow')")) >= 1


def test_a_click_on_the_wave_goes_there(opened):
    opened.click("#wave", 0.5)
    assert text_of(opened, "#time") == "0:10" and "0:10" in text_of(opened, "#place")
    assert opened.evaluate("document.activeElement.id") == "name"


def test_comments_are_left_changed_and_taken_away(opened):
    comment(opened, 1, "Louder here.", "Ada")
    comment(opened, 9, "Cut this?")
    assert text_of(opened, "#count") == "2" and "“aboard”" in text_of(opened, "#comments li")
    opened.click("#comments li:first-child .do button")
    opened.type(" Please.")
    opened.click("#add")
    assert text_of(opened, "#comments li p") == "Louder here. Please." and text_of(opened, "#count") == "2"
    opened.click("#comments li:nth-child(2) .do button:nth-child(2)")
    assert text_of(opened, "#count") == "1"


def test_without_a_name_or_a_text_nothing_is_added_and_it_is_said(opened):
    opened.click(".word[data-k='0']")
    opened.click("#add")
    assert "name" in text_of(opened, "#said") and text_of(opened, "#count") == "0"
    opened.type("Ada")
    opened.click("#add")
    assert "comment" in text_of(opened, "#said") and text_of(opened, "#count") == "0"


def test_by_keyboard_alone(opened):
    opened.evaluate("document.querySelector('#transcript').focus()")
    opened.press("ArrowRight", "ArrowRight", "ArrowRight")
    assert "ferry" in text_of(opened, "#cursor")
    opened.press("Enter")
    opened.type("Ada")
    opened.press("Tab")
    opened.type(HOSTILE)
    opened.press_with_control("Enter")
    assert text_of(opened, "#comments li p") == HOSTILE and opened.evaluate("window.broken === undefined")
    opened.evaluate("document.querySelector('#wave').focus()")
    opened.press("ArrowRight")
    before = opened.evaluate("document.querySelector('#wave').getAttribute('aria-valuetext')")
    assert before in ("0:06", "0:07", "0:08")
    opened.press("c")
    assert before in text_of(opened, "#place") and opened.evaluate("document.activeElement.id") == "text"


def test_comments_saved_in_the_page_come_into_the_episode(opened, episode):
    comment(opened, 1, "Louder here.", "Ada")
    comment(opened, 2, "Too fast.")
    opened.click("#save")
    path = opened.saved_file("*.json")
    assert path.name.endswith(".comments.Ada.json") and "Ada" in text_of(opened, "#said")
    file = read_comments(path)
    markers = [m for m in comments_change(episode, [file]).episode.markers if m.author]
    assert [(m.author, m.text) for m in markers] == [("Ada", "Louder here."), ("Ada", "Too fast.")]
    # Between the two words two seconds and a half are cut: the second lies behind them in the session.
    assert [m.frame / RATE for m in markers] == pytest.approx([1.25, 4.25], abs=0.002)
    path.unlink()


def test_saved_comments_are_opened_again_and_those_on_another_page_are_not(opened, episode, tmp_path):
    plain = {
        "format": "dubbin-comments",
        "version": 1,
        "episode": episode.id,
        "by": "Ben",
        "comments": [{"at_s": 3.0, "text": "Once more"}],
    }
    mine, other = tmp_path / "mine.json", tmp_path / "other.json"
    mine.write_text(json.dumps(plain))
    other.write_text(json.dumps({**plain, "episode": "another"}))
    opened.choose_file("#open", mine)
    opened.wait_for("document.querySelector('#count').textContent === '1'")
    opened.choose_file("#open", other)
    opened.wait_for("document.querySelector('#said').textContent.includes('no comments')")
    assert text_of(opened, "#count") == "1"


def test_what_was_written_outlives_a_reload(opened, page):
    comment(opened, 4, "Keep me.", "Ada")
    opened.open(page)
    opened.wait_for("document.querySelector('#count').textContent === '1'")
    assert text_of(opened, "#comments li p") == "Keep me." and opened.evaluate("document.querySelector('#name').value") == "Ada"


def test_everything_has_a_name_and_nothing_traps_the_keyboard(opened):
    nameless = opened.evaluate(
        "[...document.querySelectorAll('button, input, textarea, select, [tabindex]')].filter(e => !(e.textContent.trim() || e.getAttribute('aria-label') || e.labels?.length)).map(e => e.id || e.className)"
    )
    assert nameless == []
    opened.evaluate("document.querySelector('#play').focus()")
    reached = set()
    for _ in range(12):
        opened.press("Tab")
        reached.add(opened.evaluate("document.activeElement.id"))
    assert {"wave", "name", "text", "add", "transcript"} <= reached
