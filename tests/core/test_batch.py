"""Batches: what they are made of, what a dying worker costs, how they stand, and folders that are watched."""

from __future__ import annotations

import csv
import io
import itertools
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.cli.main import main
from dubbin.core.batch import steps
from dubbin.core.batch.beside import put_aside, save_beside
from dubbin.core.batch.inputs import BatchInput, find_inputs, read_table
from dubbin.core.batch.naming import with_names
from dubbin.core.batch.outcome import Outcome, input_key
from dubbin.core.batch.report import COLUMNS, PAGE, TABLE, Standing, csv_of, page_of, write_report
from dubbin.core.batch.run import run_batch
from dubbin.core.batch.watching import arriving
from dubbin.core.deliver.recipe import load_recipe, recipe_of, save_recipe
from dubbin.core.episode.commands.lanes import name_voice
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.model import Lane, Recording, Role
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.folders import Folders
from dubbin.core.log import log_path, start_log, stop_log
from dubbin.core.seats import CORES_VARIABLE
from dubbin.core.sound.source import Sound
from dubbin.core.speech.known_voices import KnownVoices, spans_of_marks, voice_point
from dubbin.core.speech.speaker_encoder import SPAN_S
from tests.conftest import RATE, noise
from tests.core.batch_work import MASTER, counting, deadly, faulty


@pytest.fixture
def own(tmp_path) -> Folders:
    return Folders(tmp_path / "cache", tmp_path / "state", tmp_path / "documents")


def touched(folder: Path, *names: str) -> list[Path]:
    folder.mkdir(parents=True, exist_ok=True)
    for name in names:
        (folder / name).write_bytes(b"x")
    return [folder / name for name in names]


# -- tables -----------------------------------------------------------------------------


@pytest.mark.parametrize("mark", [",", ";", "\t"])
def test_a_table_says_which_files_belong_together_and_what_they_are(tmp_path, mark):
    rows = [
        ("Episode", "File", "Voice", "Title", "Number"), ("one", "a.wav", "Ines", "The bell", ""), ("one", "/else/b.wav", "Tobias", "", "7"),
        ("", "c.wav", "", "", ""), ("", "", "", "", ""),
    ]  # fmt: skip
    table = tmp_path / "show.csv"
    table.write_text("\ufeff" + "\r\n".join(mark.join(row) for row in rows), encoding="utf-8")
    first, second = find_inputs([table], tmp_path / "out")
    assert first.recordings == [tmp_path / "a.wav", Path("/else/b.wav")] and first.voices == ("Ines", "Tobias")
    assert first.path.name == "one" and (first.tags.title, first.tags.number) == ("The bell", "7")
    assert second == BatchInput(tmp_path / "c.wav", (tmp_path / "c.wav",), ("",))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "no column"), ("file\n", "no column"), ("name,title\na.wav,x\n", "no column"), ("file,colour\na.wav,red\n", "“colour”"),
        ("file,title\n,x\n", "Line 2"), (b"\xff\xfe\x00", "no table"),
    ],
)  # fmt: skip
def test_what_is_no_table_is_refused_in_a_sentence(tmp_path, text, said):
    table = tmp_path / "t.csv"
    table.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(DubbinError, match=said):
        read_table(table)
    with pytest.raises(DubbinError, match="could not be read"):
        read_table(tmp_path / "missing.csv")


@given(st.text(max_size=200))
def test_any_text_is_a_table_or_a_sentence(tmp_path_factory, text):
    table = tmp_path_factory.mktemp("any") / "t.csv"
    table.write_text("file,title\n" + text, encoding="utf-8", errors="replace")
    try:
        assert all(item.files for item in read_table(table))
    except DubbinError as error:
        assert str(error).endswith(".")


def test_what_a_table_says_stands_in_the_episode_and_counts_more_than_the_recipe(speech, own, tmp_path):
    sf.write(tmp_path / "desk.wav", speech[: 8 * RATE] + noise(8, -60, 1), RATE)
    (tmp_path / "t.csv").write_text("file,episode,voice,title,show,author\ndesk.wav,twelve,Ines,The bell,My show,\n")
    plain = replace(
        new_episode().delivery, formats=("mp3",), tags=replace(new_episode().delivery.tags, show="Recipe show", author="Recipe author")
    )
    recipe = replace(recipe_of(new_episode()), pauses_on=False, fillers=False, retakes=False, delivery=plain)
    out = tmp_path / "out"
    out.mkdir()
    (outcome,) = run_batch(find_inputs([tmp_path / "t.csv"], out), out, recipe, own)
    assert outcome.passes and outcome.seconds > 0
    episode = load_episode(out / "twelve.dubbin")
    tags = episode.delivery.tags
    assert (episode.title, tags.title, tags.show, tags.author) == ("The bell", "The bell", "My show", "Recipe author")
    assert [lane.voice for lane in episode.lanes] == ["Ines"]


def test_another_tag_in_the_table_is_another_episode_to_make(tmp_path):
    (file,) = touched(tmp_path, "a.wav")
    item = BatchInput(file, (file,), ("Ines",))
    keys = {input_key(i, None) for i in (item, replace(item, voices=("Tobias",)), replace(item, tags=replace(item.tags, number="2")), item)}
    assert len(keys) == 3


# -- names by sound ---------------------------------------------------------------------


@pytest.fixture
def remembered(speech, own) -> KnownVoices:
    """A voice of which another stretch was heard before."""
    known = KnownVoices(own.state)
    known.remember(
        "Ines",
        voice_point(Sound(speech[None, 10 * RATE :].astype(np.float32), RATE), [(0.5 * k, 0.5 * k + 1.5) for k in range(36)]),
    )
    return known


def test_a_voice_that_is_remembered_has_its_name_and_somebody_is_told(speech, own, remembered, tmp_path):
    sf.write(tmp_path / "rec_001.wav", speech[: 10 * RATE], RATE)
    plain = replace(new_episode().delivery, targets=("podcast-mono",), formats=("mp3",), extras=())
    recipe = replace(recipe_of(new_episode()), pauses_on=False, fillers=False, retakes=False, delivery=plain)
    out = tmp_path / "out"
    out.mkdir()
    (outcome,) = run_batch([BatchInput(tmp_path / "rec_001.wav")], out, recipe, own)
    assert outcome.passes and outcome.remarks == ("Named by sound: Ines.",)
    assert [lane.voice for lane in load_episode(out / "rec_001.dubbin").lanes] == ["Ines"]


def test_voices_of_an_episode_keep_the_names_that_somebody_gave_them(own, remembered, tmp_path, monkeypatch):
    asked = []
    monkeypatch.setattr("dubbin.core.batch.run.run_one", lambda work, *a: asked.append(work) or Outcome(str(work.item.path), error="no"))
    files = touched(tmp_path / "in", "a.wav", "b.dubbin")
    (tmp_path / "out").mkdir()
    list(run_batch([BatchInput(f) for f in files], tmp_path / "out", None, own, workers=1))
    assert {w.name: w.by_sound for w in asked} == {"a": True, "b": False}


def test_a_name_that_a_table_or_the_recipe_gives_stands(own, remembered):
    episode = replace(
        new_episode(), recordings=(Recording("r", "/a.wav", "f", RATE, RATE, 1),), lanes=(Lane("l", "r", (0,), "Anna", Role.VOICE),)
    )
    points = {"l": remembered._voices["Ines"][0]}
    assert with_names(episode, points, own.state, None, ()) == (name_voice(episode, "l", "Ines").episode, ("Ines",))
    assert with_names(episode, points, own.state, None, ("Anna",)) == (episode, ())
    recipe = recipe_of(episode)
    assert [v.voice for v in recipe.voices] == ["Anna"] and with_names(episode, points, own.state, recipe, ()) == (episode, ())
    assert with_names(episode, {}, own.state, None, ()) == (episode, ())


def test_nobody_has_the_name_of_another_microphone(own, remembered):
    lanes = (Lane("l", "r", (0,), "Anna", Role.VOICE), Lane("m", "r", (0,), "Ines", Role.VOICE))
    episode = replace(new_episode(), recordings=(Recording("r", "/a.wav", "f", RATE, RATE, 1),), lanes=lanes)
    assert with_names(episode, {"l": remembered._voices["Ines"][0]}, own.state, None, ("Ines",)) == (episode, ())


@given(st.lists(st.booleans(), max_size=600))
def test_stretches_to_listen_to_lie_where_somebody_speaks(marks):
    spans = spans_of_marks(np.array(marks, bool), 100)
    assert all(0 <= a < b <= len(marks) / 100 and 0.7 <= b - a <= SPAN_S + 1e-9 for a, b in spans)
    assert all(b <= c for (_, b), (c, _) in itertools.pairwise(spans))
    for a, b in spans:
        quiet = ~np.array(marks, bool)[round(a * 100) : round(b * 100)]
        assert not any(quiet[k : k + 41].all() for k in range(len(quiet) - 40)), "a gap longer than .4 s is nobody's"


# -- how far one is ---------------------------------------------------------------------


# -- workers that die -------------------------------------------------------------------


def test_a_worker_that_dies_costs_what_it_had_in_hand_and_nothing_else(tmp_path, own, monkeypatch):
    monkeypatch.setattr("dubbin.core.batch.run.run_one", deadly)
    files = touched(tmp_path / "in", "a.wav", "deadly.wav", "b.wav", "unlucky.wav", "c.wav")
    out = tmp_path / "out"
    out.mkdir()
    outcomes = {Path(o.file).name: o for o in run_batch([BatchInput(f) for f in files], out, None, own, workers=2)}
    assert {name for name, o in outcomes.items() if o.passes} == {"a.wav", "b.wav", "unlucky.wav", "c.wav"}
    assert "every time" in outcomes["deadly.wav"].error
    monkeypatch.setattr("dubbin.core.batch.run.run_one", lambda *a: pytest.fail("done again"))
    again = [o for o in itertools.islice(run_batch([BatchInput(f) for f in files if f.name != "deadly.wav"], out, None, own), 9)]
    assert len(again) == 4 and all(o.again for o in again)


@pytest.mark.parametrize("workers", [1, 2])
def test_a_fault_of_the_program_costs_the_recording_at_which_it_shows_and_stands_in_the_log(tmp_path, own, monkeypatch, capfd, workers):
    monkeypatch.setattr(steps, "do_step", steps.do_step)  # so that it is put back
    monkeypatch.setattr("dubbin.core.batch.run.run_one", faulty)
    out = tmp_path / "out"
    out.mkdir()
    files = touched(tmp_path / "in", "a.wav", "faulty.wav", "b.wav")
    start_log(own.state)
    try:
        outcomes = {Path(o.file).name: o for o in run_batch([BatchInput(f) for f in files], out, None, own, workers=workers)}
    finally:
        stop_log()
    assert {name for name, o in outcomes.items() if o.passes} == {"a.wav", "b.wav"}
    assert "no such thing" in outcomes["faulty.wav"].error and str(log_path(own.state)) in outcomes["faulty.wav"].error
    assert "Traceback" in log_path(own.state).read_text() and "Traceback" not in capfd.readouterr().err


def is_alive(pid: int) -> bool:
    """Whether a process is at work; one that nobody has waited for yet is none."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def until(is_so: Callable[[], bool], patience_s: float = 60.0) -> None:
    end = time.monotonic() + patience_s
    while not is_so():
        assert time.monotonic() < end
        time.sleep(0.02)


def test_a_batch_that_is_killed_leaves_nobody_at_work(tmp_path):
    out = tmp_path / "out"
    files = touched(tmp_path / "in", "a.wav", "b.wav")
    out.mkdir()
    with subprocess.Popen([sys.executable, "-m", "tests.core.batch_victim", *files, out], stderr=subprocess.DEVNULL) as victim:
        try:
            until(lambda: all((out / f"{name}.pid").exists() and (out / f"{name}.pid").read_text() for name in "ab"))
            pids = [int((out / f"{name}.pid").read_text()) for name in "ab"]
            assert len(set(pids)) == 2 and all(map(is_alive, pids))
        finally:
            victim.kill()
    until(lambda: not any(map(is_alive, pids)))


@pytest.mark.parametrize(("said", "used"), [(None, "2"), ("1", "1")])
def test_each_of_several_episodes_at_a_time_takes_two_cores_unless_somebody_said_how_many(tmp_path, own, monkeypatch, said, used):
    monkeypatch.setattr("dubbin.core.batch.run.run_one", counting)
    monkeypatch.delenv(CORES_VARIABLE, raising=False)
    if said is not None:
        monkeypatch.setenv(CORES_VARIABLE, said)
    out = tmp_path / "out"
    out.mkdir()
    list(run_batch([BatchInput(f) for f in touched(tmp_path / "in", "a.wav", "b.wav")], out, None, own, workers=2))
    assert [(out / f"{name}.cores").read_text() for name in ("a", "b")] == [used, used]
    assert os.environ.get(CORES_VARIABLE) == said, "what is started later is not bound by it"


# -- how it stands ----------------------------------------------------------------------

OUTCOMES = (
    Outcome("/in/<b>a.wav", (MASTER, {**MASTER, "format": "wav", "pass": False, "problems": ["too <loud>"], "true_peak_dbtp": None}), seconds=90.0),
    Outcome("/in/=b.wav", error="/in/=b.wav was not found.", seconds=1.0), Outcome("/in/c.wav", (MASTER,), remarks=("No words.",), again=True, seconds=50.0),
)  # fmt: skip


def test_the_table_has_a_row_a_master_and_one_for_what_failed():
    head, *rows = csv.reader(io.StringIO(csv_of(OUTCOMES)))
    assert tuple(head) == COLUMNS and len(rows) == 4
    table = [dict(zip(COLUMNS, row, strict=True)) for row in rows]
    assert (
        [r["passes"] for r in table] == ["yes", "no", "no", "yes"]
        and table[0]["integrated_lufs"] == "-19.02"
        and table[1]["true_peak_dbtp"] == ""
    )
    assert table[2]["error"].endswith("was not found.") and table[3]["done_before"] == "yes" and table[3]["remarks"] == "No words."


def test_nothing_in_the_table_is_a_formula_and_nothing_on_the_page_is_markup():
    bad = Outcome("=cmd|' /C calc'!A0", error="@SUM(1)")
    (row,) = list(csv.reader(io.StringIO(csv_of([bad]))))[1:]
    assert row[0].startswith("'=") and row[2].startswith("'@")
    page = page_of(Standing(OUTCOMES, 5))
    assert "&lt;b&gt;" in page and "<b>" not in page and "&lt;loud&gt;" in page and "<script" not in page


def test_a_table_that_can_not_be_written_is_said(tmp_path):
    with pytest.raises(CannotWrite, match=re.escape(TABLE)):
        write_report(Standing(OUTCOMES, 3), tmp_path / "missing")


def test_the_command_leaves_a_table_and_a_page(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    recipe = tmp_path / "r.json"
    save_recipe(replace(recipe_of(new_episode()), pauses_on=False, fillers=False, retakes=False), recipe)
    assert load_recipe(recipe).fillers is False
    assert main(["batch", str(tmp_path / "nowhere.wav"), "-o", str(tmp_path / "out"), "--recipe", str(recipe), "--quiet"]) == 1
    assert "0 of 1 pass" in capsys.readouterr().out
    assert "nowhere.wav" in (tmp_path / "out" / TABLE).read_text() and "0 of 1 pass everything" in (tmp_path / "out" / PAGE).read_text()


# -- folders that are watched -----------------------------------------------------------


def test_what_comes_is_taken_when_it_has_stopped_growing(tmp_path, monkeypatch):
    show, now = tmp_path / "show", [0.0]
    show.mkdir()
    (show / "letter.txt").write_text("not sound")
    steps = iter(
        [
            lambda: touched(show / "ep1", "a.wav"), lambda: (show / "ep1" / "a.wav").write_bytes(b"more"), lambda: None, lambda: None, lambda: None,
            lambda: touched(show / "ep1", "b.wav"), lambda: None, lambda: None, lambda: None, lambda: None,
        ]
    )  # fmt: skip

    class Enough(Exception):
        pass

    def wait(seconds: float) -> None:
        now[0] += 5.0
        step = next(steps, None)
        if step is None:
            raise Enough
        step()

    monkeypatch.setattr("dubbin.core.batch.watching.time.monotonic", lambda: now[0])
    came = []
    with pytest.raises(Enough):
        for inputs in arriving([show], tmp_path / "out", calm_s=10.0, wait=wait):
            came.append((now[0], [p.name for i in inputs for p in i.recordings]))
    assert came == [(20.0, ["a.wav"]), (40.0, ["a.wav", "b.wav"])]


def test_the_command_watches_until_it_is_interrupted(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    (file,) = touched(tmp_path / "in", "a.wav")

    def coming(paths, out):
        yield [BatchInput(file)]
        yield [BatchInput(file.with_name("b.wav"))]
        raise KeyboardInterrupt

    monkeypatch.setattr("dubbin.cli.batch_commands.arriving", coming)
    monkeypatch.setattr(
        "dubbin.core.batch.run.run_one", lambda work, *a: Outcome(str(work.item.path), ({**MASTER, "file": str(file)},), seconds=2.0)
    )
    assert main(["batch", str(tmp_path / "in"), "-o", str(tmp_path / "out"), "--watch", "--quiet"]) == 0
    printed = capsys.readouterr().out
    assert "a.wav: passes, 0:02" in printed and "b.wav: passes" in printed
    assert "2 of 2 pass everything" in (tmp_path / "out" / PAGE).read_text()


def test_a_watch_that_is_interrupted_tells_of_what_failed_until_then(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    files = touched(tmp_path / "in", "a.wav", "b.wav")

    def run_one(work, *more):
        if work.name == "b":
            raise KeyboardInterrupt
        return Outcome(str(work.item.path), error="broken", seconds=1.0)

    monkeypatch.setattr("dubbin.cli.batch_commands.arriving", lambda paths, out: iter([[BatchInput(f) for f in files]]))
    monkeypatch.setattr("dubbin.core.batch.run.run_one", run_one)
    assert main(["batch", str(tmp_path / "in"), "-o", str(tmp_path / "out"), "--watch", "--quiet", "--workers", "1"]) == 1
    assert "broken" in (tmp_path / "out" / TABLE).read_text()


def test_masters_do_not_go_among_what_they_are_made_of(tmp_path):
    (talk, *_) = touched(tmp_path / "show" / "ep", "a.wav", "b.wav")
    (table,) = touched(tmp_path / "show", "t.csv")
    table.write_text("file\nep/a.wav\n")
    for inside, out in ((talk, talk.parent), (talk.parent, talk.parent), (talk.parent / ".." / "ep" / "a.wav", talk.parent)):
        with pytest.raises(DubbinError, match="name another folder"):
            find_inputs([inside], out)
        assert main(["batch", str(inside), "-o", str(out), "--watch", "--quiet"]) == 1, "nobody waits for what never comes"
    assert [i.path for i in find_inputs([talk.parent], tmp_path / "show")] == [talk.parent] and len(
        find_inputs([table], tmp_path / "show")
    ) == 1
    assert find_inputs([talk.parent / "nowhere.wav"], talk.parent), "what is not there is an outcome"
    touched(tmp_path / "show", "made.dubbin")
    table.write_text("file\nmade.dubbin\n")
    with pytest.raises(DubbinError, match="name another folder"):
        find_inputs([table], tmp_path / "show")


@pytest.mark.parametrize("holds", [b"", b"[]", b"no episode", b'{"made_by": "batch"'])
def test_what_is_no_episode_of_a_batch_is_put_aside_under_a_free_name(tmp_path, holds):
    (tmp_path / "a.dubbin").write_bytes(holds)
    (tmp_path / "a.earlier-1.dubbin").write_text("older")
    (said,) = put_aside(tmp_path / "a.dubbin")
    assert "a.earlier-2.dubbin" in said and (tmp_path / "a.earlier-2.dubbin").read_bytes() == holds
    assert (tmp_path / "a.earlier-1.dubbin").read_text() == "older" and put_aside(tmp_path / "a.dubbin") == ()
    save_beside(new_episode(), tmp_path / "a.dubbin")
    assert put_aside(tmp_path / "a.dubbin") == () and (tmp_path / "a.dubbin").exists()


def test_microphones_of_one_folder_stay_one_episode(tmp_path):
    touched(tmp_path / "ep", "a.wav", "b.flac", "notes.txt")
    (item,) = find_inputs([tmp_path], tmp_path / "out")
    assert (
        item.path == tmp_path / "ep"
        and [p.name for p in item.recordings] == ["a.wav", "b.flac"]
        and np.all([p.exists() for p in item.recordings])
    )
