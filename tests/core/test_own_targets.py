"""Targets of one's own: what is saved is read again, whatever stands in their texts."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from dubbin.core.deliver.own_targets import free_name, own_targets, save_own_targets
from dubbin.core.deliver.targets import all_targets, check_target, find_target
from dubbin.core.errors import CannotWrite, DubbinError

PODCAST = find_target("podcast-stereo")


def test_what_is_saved_is_one_of_the_targets_there_are(tmp_path):
    mine = replace(PODCAST, name="my-show", title="My show", integrated_lufs=-17.0, head_s=(0.5, 1.0), rule="our house")
    save_own_targets(tmp_path, {"my-show": mine})
    assert own_targets(tmp_path) == {"my-show": mine} and find_target("my-show", tmp_path) == mine
    save_own_targets(tmp_path, {})
    assert own_targets(tmp_path) == {} and "my-show" not in all_targets(tmp_path)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60)
@given(
    title=st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=12),
    lufs=st.floats(-59.0, -1.0),
    formats=st.lists(st.sampled_from(["wav", "mp3", "m4a"]), max_size=3),
)
def test_any_title_and_figure_comes_back(tmp_path, title, lufs, formats):
    mine = replace(PODCAST, name=free_name(title, {}), title=title, integrated_lufs=lufs, formats=tuple(formats), rule=f"“{title}” \\ '")
    save_own_targets(tmp_path, {mine.name: mine})
    assert own_targets(tmp_path) == {mine.name: mine}


def test_what_nothing_can_meet_is_refused_and_the_file_stays(tmp_path):
    mine = replace(PODCAST, name="mine")
    save_own_targets(tmp_path, {"mine": mine})
    with pytest.raises(DubbinError, match="a true peak that can't be"):
        save_own_targets(tmp_path, {"mine": replace(mine, true_peak_dbtp=3.0)})
    assert own_targets(tmp_path) == {"mine": mine}


def test_a_place_that_can_not_be_written_to_is_said(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(CannotWrite, match="could not be written"):
        save_own_targets(tmp_path / "file", {"mine": replace(PODCAST, name="mine")})


def test_names_are_made_from_titles_and_never_twice():
    assert free_name("My Show: loud!", {}) == "my-show-loud"
    assert free_name("My show", {"my-show": PODCAST}) == "my-show-2" and free_name("…", {}) == "target"


@pytest.mark.parametrize(
    ("field", "can", "cannot", "what"),
    [
        ("rate", (0, 8000, 44100, 192000), (1, 7999, 192001), "a rate"),
        ("channels", (1, 2), (0, 3), "neither one channel nor two"),
        ("bits", (16, 24, 32), (8, 20, 64), "neither 16, 24 nor 32 bits"),
        ("kbps", (16, 512), (15, 513), "a bit rate"),
        ("true_peak_dbtp", (-30.0, 0.0), (-30.1, 0.1), "a true peak"),
        ("integrated_lufs", (-60.0, 0.0), (-60.1, 0.1), "a loudness"),
    ],
)
def test_what_a_target_can_ask_for_ends_where_the_trade_does(field, can, cannot, what):
    for value in can:
        check_target(replace(PODCAST, **{field: value}), Path("own.toml"))
    for value in cannot:
        with pytest.raises(DubbinError, match=what):
            check_target(replace(PODCAST, **{field: value}), Path("own.toml"))
