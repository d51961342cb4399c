"""Comments that come back: read whatever they hold, put where they belong, taken once, answered, ticked off; and the page that they are written on."""

from __future__ import annotations

import json
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.cli.main import main
from dubbin.core.deliver.comments import MOST_COMMENTS, comments_change, is_comments, read_comments
from dubbin.core.deliver.review import _in_script, _peaks, review_html, write_review
from dubbin.core.episode.commands.comments import Comment, answer_comment, take_comments, tick_marker
from dubbin.core.episode.commands.markers import add_marker, add_markers
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.model import Cut, Episode, Lane, Marker, Recording
from dubbin.core.errors import DubbinError
from dubbin.core.sound.source import Sound
from tests.conftest import RATE

ITEM = {"at_s": 2.0, "session_s": 4.5, "quote": "bell", "text": "Louder here."}


@pytest.fixture
def episode() -> Episode:
    recording = Recording("r", "/a.wav", "f", 20 * RATE, RATE, 1)
    return replace(
        new_episode("A talk"),
        id="one",
        recordings=(recording,),
        lanes=(Lane("l", "r", (0,), "Ines"),),
        cuts=(Cut(RATE, 3 * RATE + RATE // 2),),
    )


@pytest.fixture
def write(tmp_path):
    """A file of comments, with some of its parts changed."""

    def written(name: str = "ada.json", **changed):
        path = tmp_path / name
        path.write_text(
            json.dumps(
                {"format": "dubbin-comments", "version": 1, "episode": "one", "title": "A talk", "by": "Ada", "comments": [ITEM], **changed}
            )
        )
        return path

    return written


def authors(episode: Episode) -> list[tuple[str, str]]:
    return [(m.author, m.text) for m in episode.markers]


def test_a_comment_stands_at_its_place_in_the_session(episode, write):
    (marker,) = comments_change(episode, [read_comments(write())]).episode.markers
    assert marker == Marker(round(4.5 * RATE), "Louder here.", author="Ada")


def test_several_people_at_one_place_all_stay_and_nobody_twice(episode, write):
    files = [read_comments(write()), read_comments(write("ben.json", by="Ben")), read_comments(write())]
    once = comments_change(episode, files)
    assert authors(once.episode) == [("Ada", "Louder here."), ("Ben", "Louder here.")] and "3" in once.title
    answered = answer_comment(once.episode, once.episode.markers[0], "Done in the mix").episode
    ticked = tick_marker(answered, answered.markers[0], is_done=True).episode
    again = comments_change(ticked, files).episode
    assert again.markers == ticked.markers and again.markers[0].answer == "Done in the mix" and again.markers[0].is_done
    assert not tick_marker(again, again.markers[0], is_done=False).episode.markers[0].is_done


def test_marks_of_ones_own_do_not_take_a_comments_place(episode):
    noted = take_comments(episode, [Comment(RATE, "loud", "Ada")], "Take").episode
    marked = add_markers(add_marker(noted, RATE, "mine").episode, [(RATE, "pause")], "Mark").episode
    assert sorted(authors(marked)) == [("", "pause"), ("Ada", "loud")]


def test_comments_outlive_the_file(episode, write, tmp_path):
    changed = comments_change(episode, [read_comments(write())]).episode
    changed = answer_comment(changed, changed.markers[0], "Yes").episode
    save_episode(changed, tmp_path / "a.dubbin")
    assert load_episode(tmp_path / "a.dubbin").markers == changed.markers


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"format": "another"}, "no file of comments"), ({"version": 2}, "newer"), ({"comments": "many"}, "no file of comments"),
        ({"comments": [{"at_s": "soon", "text": "x"}]}, "no file of comments"), ({"by": 7}, "no file of comments"),
        ({"comments": [ITEM] * (MOST_COMMENTS + 1)}, "more than"),
    ],
)  # fmt: skip
def test_what_is_no_file_of_comments_is_refused_in_a_sentence(write, changed, said):
    with pytest.raises(DubbinError, match=said):
        read_comments(write(**changed))


def test_comments_on_another_episode_are_refused(episode, write):
    with pytest.raises(DubbinError, match="Ada are on another episode, “B”"):
        comments_change(episode, [read_comments(write(episode="two", title="B"))])


def test_odd_comments_are_left_out_and_long_ones_shortened(episode, write):
    odd = [
        {"at_s": -1.0, "text": "x"},
        {"at_s": 1e300, "text": "x"},
        {"at_s": 1.0, "text": "  "},
        {"at_s": 1.0, "session_s": -5.0, "text": "x"},
    ]
    file = read_comments(write(comments=[*odd, {"at_s": 1.0, "text": "y" * 20_000}], by="A\nda " + "x" * 500))
    (marker,) = comments_change(episode, [file]).episode.markers
    assert len(marker.text) == 10_000 and len(marker.author) == 200 and "\n" not in marker.author


@given(st.binary(max_size=300))
def test_any_bytes_are_comments_or_a_sentence(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("any") / "x.json"
    path.write_bytes(data)
    assert not is_comments(path)
    with pytest.raises(DubbinError):
        read_comments(path)


def test_only_a_file_that_says_so_holds_comments(write, tmp_path):
    assert is_comments(write()) and not is_comments(write(format="recipe")) and not is_comments(tmp_path / "missing")


# -- the page ---------------------------------------------------------------------------


@given(st.recursive(st.text(), lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner)))
def test_nothing_that_is_filled_in_ends_the_script_in_which_it_stands(data):
    text = _in_script(data)
    assert not re.search(r"[<>&\u2028\u2029]", text) and json.loads(text) == data


def test_the_policy_names_what_runs_and_nothing_else(episode):
    import base64
    import hashlib

    page = review_html(episode, b"sound", [0, 255])
    (policy,) = re.findall(r'Content-Security-Policy" content="([^"]+)"', page)
    (script,), (style,) = re.findall(r"<script>(.*?)</script>", page, re.S), re.findall(r"<style>(.*?)</style>", page, re.S)
    for kind, text in (("script-src", script), ("style-src", style)):
        digest = base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()
        assert f"{kind} 'sha256-{digest}'" in policy
    assert policy.startswith("default-src 'none'") and "unsafe" not in policy and "http" not in page.replace("http-equiv", "")
    assert 'style="' not in page and " on" + "click" not in page


def test_the_wave_is_that_of_the_sound():
    x = np.concatenate([np.zeros(30000), np.full(30000, 0.5), np.full(30000, -0.25)]).astype(np.float32)
    peaks = np.array(_peaks(Sound(x[None], RATE)))
    assert len(peaks) == 3000 and set(peaks[:999]) == {0} and set(peaks[1001:1999]) == {255} and set(peaks[2001:]) == {128}
    assert _peaks(Sound(np.zeros((2, 10), np.float32), RATE)) == [0] * 10


def test_silence_becomes_a_page_too_and_an_empty_program_is_a_sentence(episode, tmp_path):
    write_review(Sound(np.zeros((2, 3 * RATE), np.float32), RATE), episode, tmp_path / "silent.html")
    assert (tmp_path / "silent.html").stat().st_size > 10_000
    with pytest.raises(DubbinError, match="empty"):
        write_review(Sound(np.zeros((2, 0), np.float32), RATE), episode, tmp_path / "none.html")
    assert not (tmp_path / "none.html").exists()


# -- the command ------------------------------------------------------------------------


@pytest.fixture
def on_disk(little, monkeypatch, tmp_path):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    return little


def test_a_page_is_written_and_comments_come_back_by_command(on_disk, tmp_path, capsys):
    out = tmp_path / "talk.html"
    assert main(["review", str(on_disk), "-o", str(out), "--quiet", "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == {"file": str(on_disk), "page": str(out), "comments_taken": 0}
    assert out.stat().st_size > 50_000 and load_episode(on_disk).title in out.read_text()
    notes = tmp_path / "ada.json"
    notes.write_text(
        json.dumps(
            {
                "format": "dubbin-comments",
                "version": 1,
                "episode": load_episode(on_disk).id,
                "by": "Ada",
                "comments": [{"at_s": 3.0, "text": "Cough"}],
            }
        )
    )
    assert main(["review", str(on_disk), "--take", str(notes)]) == 0 and "1 new comment" in capsys.readouterr().out
    assert main(["review", str(on_disk), "--take", str(notes)]) == 0 and "0 new comments" in capsys.readouterr().out
    assert authors(load_episode(on_disk)) == [("Ada", "Cough")]


def test_what_can_not_be_is_said(on_disk, tmp_path, capsys):
    before = on_disk.read_bytes()
    for arguments, code, said in (
        ([], 2, "Nothing to do"), (["-o", str(tmp_path / "page.pdf")], 1, "ends in .html"), (["-o", str(tmp_path / "no" / "page.html")], 1, "does not exist"),
        (["-o", str(on_disk)], 1, "html"), (["--take", str(on_disk)], 1, "no file of comments"), (["--take", str(tmp_path / "none.json")], 1, "could not be read"),
    ):  # fmt: skip
        assert main(["review", str(on_disk), *arguments]) == code
        error = capsys.readouterr().err
        assert said in error and "Traceback" not in error
    assert on_disk.read_bytes() == before
