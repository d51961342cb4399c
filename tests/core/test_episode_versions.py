"""Episode files and journals of earlier versions open as the present one, and what is not known in a file is kept."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.deliver.recipe import load_recipe
from dubbin.core.episode.commands.lanes import change_lane, remove_lane
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.journal_reading import left_over, recover
from dubbin.core.episode.migrations import STEPS, VERSION, migrated
from dubbin.core.episode.unknown_fields import left_over as left_over_fields
from dubbin.core.episode.unknown_fields import put_back
from dubbin.core.errors import BadEpisode

OLD = Path(__file__).parent / "episodes"
VERSIONS = range(1, VERSION)


def test_there_is_an_old_file_and_a_step_for_every_earlier_version():
    assert {p.name for p in OLD.glob("*.dubbin")} == {f"version-{n}.dubbin" for n in VERSIONS}
    assert len(STEPS) == VERSION - 1


@pytest.mark.parametrize("version", VERSIONS)
def test_an_old_file_opens_with_all_that_it_holds(version, tmp_path):
    episode = load_episode(OLD / f"version-{version}.dubbin")
    (lane,), (recording,) = episode.lanes, episode.recordings
    assert (lane.voice, lane.level_db, lane.repairs[0].strength) == ("Ines", -2.5, 80)
    assert (recording.nan_count, recording.short_by) == (3, 7)
    assert episode.cuts[0].frames == 48000 and episode.markers[0].text == "here"
    if version == 3:
        assert lane.voice_chain[0].settings == {"ratio": 3.0} and lane.voice_strength == 70 and lane.pan == -20.0
    if version >= 2:
        assert episode.placed[0].at_frame == 5000
    save_episode(episode, tmp_path / "new.dubbin")
    assert json.loads((tmp_path / "new.dubbin").read_text())["version"] == VERSION
    assert load_episode(tmp_path / "new.dubbin") == episode


@pytest.mark.parametrize("version", VERSIONS)
def test_an_old_journal_is_taken_up_again(version, tmp_path):
    shutil.copy(OLD / f"version-{version}.jsonl", tmp_path)
    (item,) = left_over(tmp_path)
    history = recover(item).history
    assert history.episode.lanes[0].level_db == -6.0 and history.episode.recordings[0].nan_count == 3
    history.undo()
    assert history.episode.lanes[0].level_db == -2.5


def test_a_step_bears_parts_of_an_episode():
    assert migrated({"title": "x"}, 1) == {"title": "x"}
    assert migrated({"lanes": [{"voicing": [1]}, 7]}, 3) == {"lanes": [{"voice_chain": [1]}, 7]}


def test_a_newer_file_is_refused_in_a_sentence(tmp_path):
    (tmp_path / "new.dubbin").write_text(json.dumps({"schema": "dubbin-episode", "version": VERSION + 1, "episode": {}}))
    with pytest.raises(BadEpisode, match="newer Dubbin"):
        load_episode(tmp_path / "new.dubbin")


@pytest.mark.parametrize("data", [b"\xff\xfe\x00", b"{", b"[]", b'{"schema": "dubbin-episode", "version": 4, "episode": 3}'])
def test_what_is_no_episode_is_refused_in_a_sentence(data, tmp_path):
    (tmp_path / "x.dubbin").write_bytes(data)
    with pytest.raises(BadEpisode):
        load_episode(tmp_path / "x.dubbin")


def test_an_old_recipe_keeps_its_voices(tmp_path):
    use = {"name": "compress", "on": True}
    old = {"schema": "dubbin-recipe", "version": 1, "recipe": {"voices": [{"voice": "Ines", "voicing": [use]}]}}
    (tmp_path / "show.json").write_text(json.dumps(old))
    assert load_recipe(tmp_path / "show.json").voices[0].voice_chain[0].name == "compress"


# -- what is not known ------------------------------------------------------------------


def strange_file(folder: Path) -> Path:
    """An episode with fields that nobody knows: of the episode, of a lane, of a recording, of what is delivered."""
    body = json.loads((OLD / "version-3.dubbin").read_text())
    plain = body["episode"]
    plain["mood"] = {"colour": "grey"}
    plain["lanes"][0]["smell"] = "tar"
    plain["recordings"][0]["weather"] = ["rain"]
    plain["delivery"]["by"] = "post"
    (folder / "strange.dubbin").write_text(json.dumps(body))
    return folder / "strange.dubbin"


def test_fields_that_are_not_known_are_written_back(tmp_path):
    path = strange_file(tmp_path)
    document = Document.opened(tmp_path / "journals", path)
    document.do(change_lane(document.episode, "l1", "Louder", level_db=3.0))
    document.save()
    document.close()
    plain = json.loads(path.read_text())["episode"]
    assert plain["mood"] == {"colour": "grey"} and plain["delivery"]["by"] == "post"
    assert plain["lanes"][0]["smell"] == "tar" and plain["recordings"][0]["weather"] == ["rain"]
    assert plain["lanes"][0]["level_db"] == 3.0


def test_they_go_with_what_they_belong_to(tmp_path):
    path = strange_file(tmp_path)
    document = Document.opened(tmp_path / "journals", path)
    document.do(remove_lane(document.episode, "l1"))
    document.save()
    document.close()
    text = path.read_text()
    assert "smell" not in text and "weather" not in text and "mood" in text


def test_they_outlive_a_crash(tmp_path):
    path = strange_file(tmp_path)
    document = Document.opened(tmp_path / "journals", path)
    document.do(change_lane(document.episode, "l1", "Louder", level_db=3.0))
    document._journal.abandon()
    (item,) = left_over(tmp_path / "journals")
    again = Document.recovered(tmp_path / "journals", item)
    again.save()
    again.close()
    assert "smell" in path.read_text() and load_episode(path).lanes[0].level_db == 3.0


values = st.recursive(
    st.none() | st.integers() | st.sampled_from(["", "x"]), lambda x: st.dictionaries(st.sampled_from("abcd"), x, max_size=3), max_leaves=8
)
objects = st.dictionaries(st.sampled_from("abcd"), values, max_size=4)


@given(objects, st.sets(st.sampled_from("abcd")))
def test_what_is_left_over_and_what_is_known_make_the_whole(plain, unknown):
    known = {k: v for k, v in plain.items() if k not in unknown}
    assert put_back(known, left_over_fields(plain, known)) == plain


def test_settings_of_treatments_may_change_and_lose_fields(tmp_path):
    """A setting that was taken back to its default is not a field that is not known."""
    path = tmp_path / "e.dubbin"
    episode = load_episode(OLD / "version-3.dubbin")
    save_episode(episode, path)
    document = Document.opened(tmp_path / "journals", path)
    bare = tuple(replace(u, settings={}) for u in episode.lanes[0].repairs)
    document.do(change_lane(document.episode, "l1", "Bare", repairs=bare))
    document.save()
    document.close()
    assert load_episode(path).lanes[0].repairs[0].settings == {}
