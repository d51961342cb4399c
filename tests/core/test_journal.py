"""The journal's promise: what was told as done comes back, whatever happens to the program or the disk, and undo outlives the program."""

from __future__ import annotations

import errno
import fcntl
import json
import os
import random
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.episode import journal_file
from dubbin.core.episode.commands.cuts import cut_stretch
from dubbin.core.episode.commands.lanes import change_lane, name_voice
from dubbin.core.episode.delta import applied, delta_between
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import from_plain, load_episode, save_episode, to_plain
from dubbin.core.episode.journal import Journal
from dubbin.core.episode.journal_file import LineFile
from dubbin.core.episode.journal_reading import discard, left_over, recover
from dubbin.core.episode.model import Cut, CutKind, Episode, Marker
from dubbin.core.errors import BadEpisode, CannotWrite
from dubbin.core.speech.transcript import Transcript, Word
from tests.conftest import SEED, SOAK
from tests.core.journal_victim import STEPS, first_episode, states

ROOT = Path(__file__).resolve().parents[2]
KILLS = 12 * SOAK


# -- what changed ---------------------------------------------------------------------

cuts = st.builds(Cut, st.integers(0, 40), st.integers(41, 60), st.sampled_from(list(CutKind)))
words = st.builds(Word, st.sampled_from(["a", "b", "c"]), st.integers(0, 9), st.integers(10, 19))
transcripts = st.builds(Transcript, st.sampled_from(["l", "m"]), st.lists(words, max_size=6).map(tuple))
episodes = st.builds(
    lambda title, c, t, m, level: replace(
        first_episode(1), title=title, cuts=tuple(c), transcripts=tuple(t), markers=tuple(m),
        lanes=(replace(first_episode(1).lanes[0], level_db=level), *first_episode(1).lanes[: int(level > 0)]),
    ),
    st.sampled_from(["x", "y"]), st.lists(cuts, max_size=6), st.lists(transcripts, max_size=2),
    st.lists(st.builds(Marker, st.integers(0, 9), st.sampled_from(["", "here"])), max_size=3), st.sampled_from([0.0, 1.5, -3.0]),
)  # fmt: skip


@given(episodes, episodes)
@settings(deadline=None)
def test_a_delta_makes_the_new_state_of_the_old_one_as_objects_and_as_plain_data(old, new):
    delta = msgspec.json.decode(msgspec.json.encode(delta_between(old, new)))
    assert applied(delta, old, Episode) == new
    assert from_plain(applied(delta, to_plain(old))) == new


def test_a_delta_holds_what_changed_and_no_more():
    long = replace(first_episode(1), transcripts=(Transcript("l", tuple(Word(f"w{k}", k, k + 1) for k in range(10_000))),))
    spoken = list(long.transcripts[0].words)
    spoken[7000] = replace(spoken[7000], text="other")
    changed = replace(long, transcripts=(replace(long.transcripts[0], words=tuple(spoken)),), cuts=(Cut(5, 9),))
    delta = msgspec.json.encode(delta_between(long, changed))
    assert len(delta) < 200
    after = applied(msgspec.json.decode(delta), long, Episode)
    assert after.transcripts[0].words[3] is long.transcripts[0].words[3], "what did not change is the same object"
    assert after.lanes is long.lanes


@pytest.mark.parametrize(
    "delta", [{"f": {"cuts": {"l": [[0, 5]]}}}, {"f": {"nothing": {"v": 1}}}, {"f": {"cuts": {"l": [{"v": [3]}]}}}, {}]
)
def test_a_delta_that_does_not_fit_is_said(delta):
    with pytest.raises(BadEpisode, match="does not fit"):
        applied(delta, first_episode(1), Episode)


# -- a program that is killed ---------------------------------------------------------


def victim(folder: Path, seed: int) -> subprocess.Popen:
    folder.mkdir()
    command = [sys.executable, "-m", "tests.core.journal_victim", str(folder), str(seed)]
    return subprocess.Popen(command, cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)


def killed(process: subprocess.Popen, after: int, delay_s: float) -> int:
    """Kill a program a moment after it told so many steps; how many it told."""
    told = 0
    for line in process.stdout:
        told = STEPS if line == "end\n" else int(line)
        if told >= after:
            break
    time.sleep(delay_s)
    process.kill()
    for line in process.stdout:
        told = int(line) if line.endswith("\n") and line != "end\n" else told
    process.wait()
    process.stdin.close()
    process.stdout.close()
    return told


def test_what_was_told_as_done_comes_back_after_a_kill_at_any_moment(tmp_path):
    chance = random.Random(KILLS + SEED)
    for seed in range(SEED, SEED + KILLS):
        folder = tmp_path / f"killed {seed}"
        told = killed(victim(folder, seed), chance.randrange(1, STEPS), chance.random() * 0.004)
        document = Document(tmp_path / f"truth {seed}", first_episode(seed))
        truth = [msgspec.json.encode(e) for e in (document.episode, *states(document, seed, tmp_path))]
        known = set(truth)
        document.close()
        saved = folder / "victim.dubbin"
        found = left_over(folder / "journals")
        if not found and not saved.exists():  # what there was to undo or to do again was nothing
            assert msgspec.json.encode(first_episode(seed)) in truth[told : told + 2]
            continue
        if not found:  # everything was saved
            again = Document.opened(folder / "journals", saved)
        else:
            assert found[0].episode_path in (None, saved)
            again = Document.recovered(folder / "journals", found[0])
        steps = len(again.history.done)
        assert msgspec.json.encode(again.episode) in truth[told : told + 2], f"seed {seed}: {told} steps were told"
        while again.history.done:
            again.undo()
            assert msgspec.json.encode(again.episode) in known
        again.go_to(steps)
        assert msgspec.json.encode(again.episode) in truth[told : told + 2]
        again.close()


# -- a disk that fails ----------------------------------------------------------------


class FaultyDisk:
    """Takes `room` bytes, in pieces of at most `piece`; tears the line at which it is full. Fails to sync while `sync_fails`."""

    def __init__(self, room: int = 10**9, piece: int = 10**9) -> None:
        self.room, self.piece, self.sync_fails, self.syncs = room, piece, False, 0

    def pwrite(self, fd: int, data: bytes, offset: int) -> int:
        taken = min(len(data), self.piece, self.room)
        if taken <= 0:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        self.room -= taken
        return os.pwrite(fd, data[:taken], offset)

    def fdatasync(self, fd: int) -> None:
        if self.sync_fails:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        self.syncs += 1
        os.fdatasync(fd)


def lines_of(path: Path) -> list[bytes]:
    return path.read_bytes().split(b"\n")[:-1]


def until(condition) -> bool:
    end = time.monotonic() + 10
    while not condition() and time.monotonic() < end:
        time.sleep(0.01)
    return condition()


def test_lines_reach_the_disk_by_themselves(tmp_path):
    disk = FaultyDisk()
    file = LineFile(tmp_path / "a", 0, lambda _: None, disk)
    file.add(b"one")
    assert lines_of(tmp_path / "a") == [b"one"], "in the kernel's hands at once"
    assert until(lambda: disk.syncs == 1)
    file.add(b"two")
    assert until(lambda: disk.syncs == 2)
    file.close()


def test_a_full_disk_is_said_once_harms_nothing_and_is_made_good(tmp_path, monkeypatch):
    monkeypatch.setattr("dubbin.core.episode.journal_file.TRY_AGAIN_AFTER_S", 0.02)
    disk, said = FaultyDisk(room=10), []
    file = LineFile(tmp_path / "a", 0, said.append, disk)
    for text in (b"first", b"second", b"third"):
        file.add(text)
    assert [e.errno for e in said] == [errno.ENOSPC]
    assert lines_of(tmp_path / "a") == [b"first"] and file.size == len(b"first\nsecond\nthird\n")
    disk.room = 10**9
    assert until(lambda: said[-1] is None)
    assert lines_of(tmp_path / "a") == [b"first", b"second", b"third"] and len(said) == 2
    file.close()


def test_what_a_failed_sync_may_have_lost_is_written_again(tmp_path, monkeypatch):
    monkeypatch.setattr("dubbin.core.episode.journal_file.TRY_AGAIN_AFTER_S", 0.02)
    disk, said = FaultyDisk(), []
    disk.sync_fails = True
    file = LineFile(tmp_path / "a", 0, said.append, disk)
    file.add(b"one")
    assert until(lambda: bool(said))
    os.truncate(tmp_path / "a", 0)  # what the kernel does to pages that it could not write
    disk.sync_fails = False
    assert until(lambda: said[-1] is None)
    assert lines_of(tmp_path / "a") == [b"one"]
    file.close()


@given(st.lists(st.integers(1, 60), min_size=1, max_size=12), st.integers(1, 7), st.integers(0, 300))
@settings(deadline=None, max_examples=40)
def test_a_disk_that_tears_lines_keeps_whole_ones_in_order(tmp_path_factory, lengths, piece, room):
    path = tmp_path_factory.mktemp("torn") / "a"
    disk = FaultyDisk(room, piece)
    file = LineFile(path, 0, lambda _: None, disk)
    texts = [bytes([65 + k]) * n for k, n in enumerate(lengths)]
    for text in texts:
        file.add(text)
    found = lines_of(path)
    assert found == texts[: len(found)]
    disk.room = 10**9
    file.close()
    assert lines_of(path) == texts


def test_many_threads_lose_no_line(tmp_path):
    file = LineFile(tmp_path / "a", 0, lambda _: None)

    def write(who: int) -> None:
        for k in range(200):
            file.add(b"%d %d" % (who, k))
            if k % 50 == 0:
                file.sync()

    threads = [threading.Thread(target=write, args=(who,)) for who in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    file.close()
    assert sorted(lines_of(tmp_path / "a")) == sorted(b"%d %d" % (who, k) for who in range(4) for k in range(200))


def test_the_document_says_that_steps_are_not_kept_and_goes_on(tmp_path):
    (tmp_path / "journals").write_text("a file where the folder should be")
    document, told = Document(tmp_path / "journals", first_episode(1)), []
    document.watch_trouble(told.append)
    assert document.do(cut_stretch(document.episode, 10, 20)) and document.undo()
    assert len(told) == 1 and "can't be kept on the disk" in told[0] and told[0].endswith(".")
    document.do(cut_stretch(document.episode, 10, 20))
    document.save(tmp_path / "e.dubbin")
    assert load_episode(tmp_path / "e.dubbin").cuts == (Cut(10, 20),)
    document.close()


# -- closed and opened again ----------------------------------------------------------


def edited(tmp_path: Path, steps: int) -> tuple[Document, Path]:
    path = tmp_path / "e.dubbin"
    save_episode(first_episode(1), path)
    document = Document.opened(tmp_path / "journals", path)
    for k in range(steps):
        document.do(cut_stretch(document.episode, 1000 * k, 1000 * k + 500))
    return document, path


def test_steps_are_undone_after_closing_and_opening_as_often_as_one_likes(tmp_path):
    document, path = edited(tmp_path, 5)
    document.undo()
    for _ in range(3):
        document.save()
        document.close()
        document = Document.opened(tmp_path / "journals", path)
        assert (len(document.history.done), len(document.history.undone), document.has_changes) == (4, 1, False)
    document.redo()
    assert len(document.episode.cuts) == 5
    document.go_to(0)
    assert document.episode.cuts == () and document.has_changes
    document.close()


def test_a_folder_that_was_moved_keeps_its_steps(tmp_path):
    there = tmp_path / "there"
    there.mkdir()
    base = first_episode(1)
    save_episode(replace(base, recordings=(replace(base.recordings[0], path=str(there / "a.wav")),)), there / "e.dubbin")
    document = Document.opened(tmp_path / "journals", there / "e.dubbin")
    document.do(cut_stretch(document.episode, 10, 20))
    document.save()
    document.close()
    there.rename(tmp_path / "elsewhere")
    document = Document.opened(tmp_path / "journals", tmp_path / "elsewhere" / "e.dubbin")
    assert [s.title for s in document.history.done] == ["Cut 0.00 s"] and not document.has_changes
    document.undo()
    assert document.episode.cuts == () and document.episode.recordings[0].path == str(tmp_path / "elsewhere" / "a.wav")
    document.close()


def test_an_episode_that_was_changed_elsewhere_begins_anew(tmp_path):
    document, path = edited(tmp_path, 2)
    document.save()
    document.close()
    plain = json.loads(path.read_text())
    plain["episode"]["title"] = "Changed elsewhere"
    path.write_text(json.dumps(plain))
    document = Document.opened(tmp_path / "journals", path)
    assert not document.history.done and document.episode.title == "Changed elsewhere"
    document.close()


def test_a_program_that_is_killed_after_saving_keeps_its_steps(tmp_path):
    document, path = edited(tmp_path, 3)
    document.save()
    document._journal.abandon()
    assert left_over(tmp_path / "journals") == []
    document = Document.opened(tmp_path / "journals", path)
    assert len(document.history.done) == 3
    document.close()


def test_a_torn_journal_goes_on_where_its_whole_lines_end(tmp_path):
    document, _ = edited(tmp_path, 3)
    document._journal.abandon()
    with open(document._journal.path, "ab") as f:
        f.write(b'{"kind": "do", "title": "half\n\0\0\0\0')
    (item,) = left_over(tmp_path / "journals")
    document = Document.recovered(tmp_path / "journals", item)
    document.do(name_voice(document.episode, "l", "Kofi"))
    document._journal.abandon()
    (item,) = left_over(tmp_path / "journals")
    again = Document.recovered(tmp_path / "journals", item)
    assert again.episode == document.episode and len(again.history.done) == 4
    again.close()


@pytest.mark.parametrize(
    ("old", "new"),
    [
        (b'"start_frame"', b'"start\xff\xff\xff"'),
        (b'"start_frame"', b'"start\\qframe"'),
        (b'"start_frame"', b'"start_fromm"'),
        (b'"cuts"', b'"cats"'),
    ],
)
def test_of_a_journal_that_is_damaged_in_the_middle_all_before_comes_back_and_it_is_said(tmp_path, old, new):
    document, _ = edited(tmp_path, 8)
    document._journal.abandon()
    lines = document._journal.path.read_bytes().split(b"\n")
    lines[6] = lines[6].replace(old, new)
    harmed = b"\n".join(lines)
    document._journal.path.write_bytes(harmed)
    (item,) = left_over(tmp_path / "journals")
    again, told = Document.recovered(tmp_path / "journals", item), list[str]()
    again.watch_trouble(told.append)
    assert len(again.episode.cuts) == len(again.history.done) == 5 and "damaged" in told[0] and again.history.done[-1].title in told[0]
    (kept,) = (tmp_path / "journals").glob("*.damaged")
    assert str(kept) in told[0] and kept.read_bytes() == harmed
    again.do(name_voice(again.episode, "l", "Kofi"))
    again._journal.abandon()
    (item,) = left_over(tmp_path / "journals")
    assert Document.recovered(tmp_path / "journals", item).episode == again.episode, "and it goes on from there"


@pytest.mark.parametrize(("old", "new"), [(b'"start_frame"', b'"start\xff\xff\xff"'), (b'"start_frame"', b'"start_fromm"')])
def test_a_journal_that_was_damaged_before_the_last_save_does_not_take_the_place_of_the_file(tmp_path, old, new):
    document, path = edited(tmp_path, 8)
    document.save(path)
    document.do(name_voice(document.episode, "l", "Kofi"))
    document._journal.abandon()
    journal = document._journal.path
    lines = journal.read_bytes().split(b"\n")
    lines[4] = lines[4].replace(old, new)
    journal.write_bytes(b"\n".join(lines))
    (item,) = left_over(tmp_path / "journals")
    with pytest.raises(BadEpisode, match="holds more"):
        Document.recovered(tmp_path / "journals", item)
    assert journal.exists() and len(load_episode(path).cuts) == 8


def test_a_drag_of_many_changes_comes_back_as_one_step(tmp_path):
    document, _ = edited(tmp_path, 1)
    for k in range(20):
        document.do(replace(change_lane(document.episode, "l", "Level", "level", level_db=float(k + 1))))
    document._journal.abandon()
    (item,) = left_over(tmp_path / "journals")
    again = Document.recovered(tmp_path / "journals", item)
    assert [s.title for s in again.history.done] == ["Cut 0.01 s", "Level"] and again.episode.lanes[0].level_db == 20.0
    again.undo()
    assert again.episode.lanes[0].level_db == 0.0
    again.close()


class TestTwoProgramsAfterACrash:
    """Both offer what is left; the person takes it up in one of them."""

    @pytest.fixture
    def item(self, tmp_path):
        document, _ = edited(tmp_path, 3)
        document._journal.abandon()
        (item,) = left_over(tmp_path / "journals")
        return item

    def test_the_other_neither_takes_it_up_nor_throws_it_away(self, tmp_path, item):
        one = Document.recovered(tmp_path / "journals", item)
        for late in (lambda: Document.recovered(tmp_path / "journals", item), lambda: discard(item)):
            with pytest.raises(BadEpisode, match="another window"):
                late()
        one.do(name_voice(one.episode, "l", "Kofi"))
        one._journal.abandon()
        (again,) = left_over(tmp_path / "journals")
        assert again.journal == item.journal and again.steps == 4

    def test_what_the_other_has_thrown_away_is_said_to_be_gone_and_nothing_comes_of_it(self, tmp_path, item):
        discard(item)
        discard(item)
        with pytest.raises(BadEpisode, match="another window"):
            Document.recovered(tmp_path / "journals", item)
        assert not list((tmp_path / "journals").glob("*.jsonl"))

    def test_who_is_second_by_a_moment_keeps_the_steps_in_a_journal_of_his_own(self, tmp_path, item, monkeypatch):
        monkeypatch.setattr(journal_file, "LOCK_TRIES", 1)
        found = recover(item)
        one = Document.recovered(tmp_path / "journals", item)
        troubles = []
        two = Journal(tmp_path / "journals", found.history, item.episode_path, troubles.append, found.goes_on)
        assert two.path != one._journal.path and troubles == []
        for journal in (one._journal, two):
            journal.abandon()
        assert [again.steps for again in left_over(tmp_path / "journals")] == [3, 3]

    def test_a_journal_that_became_shorter_is_not_gone_on_with(self, tmp_path, item):
        found = recover(item)
        item.journal.write_bytes(item.journal.read_bytes()[:-1])
        journal = Journal(tmp_path / "journals", found.history, item.episode_path, pytest.fail, found.goes_on)
        assert journal.path != item.journal
        journal.close()

    def test_who_only_looks_does_not_keep_another_from_it(self, tmp_path, item):
        with open(item.journal, "rb") as f:
            fcntl.flock(f, fcntl.LOCK_SH)
            threading.Timer(0.1, fcntl.flock, (f, fcntl.LOCK_UN)).start()
            document = Document.recovered(tmp_path / "journals", item)
        assert document._journal.path == item.journal
        document.close()


def test_a_journal_that_can_not_be_read_or_put_away_keeps_nobody_from_the_others(tmp_path, monkeypatch):
    document, _ = edited(tmp_path, 2)
    document._journal.abandon()
    folder = tmp_path / "journals"
    (folder / "gone-12345678.jsonl").symlink_to(tmp_path / "nowhere")
    (folder / "nothing-12345678.jsonl").touch()
    monkeypatch.setattr(Path, "unlink", refused)
    (item,) = left_over(folder)
    assert item.journal == document._journal.path
    with pytest.raises(CannotWrite, match="can't be taken away"):
        discard(item)


def refused(*_: object, **__: object) -> None:
    raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
