"""What a batch on a cluster does around its steps: files that are sent along and come back, workers that are lost, what is told meanwhile."""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import pytest
import soundfile as sf
from hypothesis import given
from hypothesis import strategies as st

from dubbin.core.batch import crew as crews
from dubbin.core.batch import sending
from dubbin.core.batch import sent_along as sent_along_module
from dubbin.core.batch.crew import Crew, Lost, Worker
from dubbin.core.batch.inputs import BatchInput
from dubbin.core.batch.outcome import Outcome
from dubbin.core.batch.report import Running
from dubbin.core.batch.sent_along import FilesInUse, SentAlong
from dubbin.core.batch.steps import Stand, Step, Work, do_step
from dubbin.core.batch.telling import LOG, Telling
from dubbin.core.batch.worker import Place, Seen, look, outbox, program_name
from dubbin.core.deliver.recipe import MusicRecipe, Recipe, recipe_of
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.model import Recording
from dubbin.core.errors import Cancelled, CannotWrite, DubbinError
from dubbin.core.folders import Folders
from tests.conftest import RATE, noise


@pytest.fixture
def own(tmp_path) -> Folders:
    return Folders(tmp_path / "cache", tmp_path / "state", tmp_path / "documents")


@pytest.fixture
def recipe() -> Recipe:
    return recipe_of(new_episode())


@pytest.fixture
def talks(tmp_path) -> list[Path]:
    """Short recordings, each another one."""
    (tmp_path / "in").mkdir()
    paths = [tmp_path / "in" / f"talk{k}.wav" for k in range(2)]
    for k, path in enumerate(paths):
        sf.write(path, noise(1, -50, k), RATE)
    return paths


def theme_at(path: Path) -> MusicRecipe:
    return MusicRecipe("Theme", str(path))


def here(function, *args):
    return function(*args)


@given(st.binary(max_size=50), st.integers(1, 9))
def test_any_file_arrives_as_it_is_and_is_sent_once(tmp_path_factory, data, block):
    folder = tmp_path_factory.mktemp("sent")
    (folder / "a b.wav").write_bytes(data)
    sending.BLOCK_BYTES, before = block, sending.BLOCK_BYTES
    try:
        first = sending.send(sending.contents([folder / "a b.wav"]), folder / "inbox", here)
        again = sending.send(sending.contents([folder / "a b.wav"]), folder / "inbox", here)
        (place,) = first.places.values()
        (folder / "home").mkdir()
        assert sending.fetch(Path(place).parent, folder / "home", here) == len(data)
    finally:
        sending.BLOCK_BYTES = before
    assert first.moved_bytes == len(data) and again.moved_bytes == 0 and again.places == first.places
    assert Path(place).read_bytes() == data == (folder / "home" / "a b.wav").read_bytes() and Path(place).name == "a b.wav"


def test_a_file_that_changes_on_its_way_is_not_taken(tmp_path):
    (tmp_path / "a.wav").write_bytes(b"first")

    def changing(function, *args):
        if function is sending.take_block:
            args = (*args[:-1], b"other")
        return function(*args)

    with pytest.raises(DubbinError, match="changed while it was sent"):
        sending.send(sending.contents([tmp_path / "a.wav"]), tmp_path / "inbox", changing)
    assert sending.arrived(tmp_path / "inbox", "x", "a.wav") is None and not list((tmp_path / "inbox").glob("*.part"))


def test_what_came_out_of_another_batch_is_not_among_it(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    work = Work(BatchInput(Path("a.wav")), "a")
    assert Place(None, batch="one").out(work) != Place(None, batch="two").out(work)


class Alone:
    """A cluster whose one worker is this process. lose: after how many calls it is gone."""

    def __init__(self, lose: int = 10**9) -> None:
        self.calls, self.lose, self.cleared = 0, lose, []

    def scheduler_info(self):
        return {"workers": {} if self.calls > self.lose else {"w": None}}

    def run(self, function, *args, workers, on_error="raise"):
        self.calls += 1
        assert workers == ["w"]
        if self.calls > self.lose:
            raise OSError("gone")
        if function is sending.clear_away:
            self.cleared += [p.name for p in args[0]]
        return {"w": function(*args)}


def along(tmp_path, client, ask, names=("talk",)) -> tuple[SentAlong, list[str]]:
    """Sends files to `client`, whose worker does steps by `ask`; and what is said."""
    said: list[str] = []
    (tmp_path / "out").mkdir(exist_ok=True)
    telling = Telling(tmp_path / "out", names, said.append)
    crew = Crew(client, "tcp://here", lambda: [], telling)
    crew._able["w"] = Worker("w", Seen(program_name(), False, True, tmp_path / "inbox"))
    return SentAlong(client, crew, ask, telling, tmp_path / "out", "", "batch", FilesInUse()), said


class Ask:
    """Steps that are done at once. fail: raised by the step of this number."""

    def __init__(self, fail: dict[int, Exception] | None = None) -> None:
        self.steps, self.fail = [], fail or {}

    def ask(self, step, work, stand, place, worker):
        self.steps.append(step)
        if (error := self.fail.pop(len(self.steps), None)) is not None:
            raise error
        if step is Step.TAKE_IN:
            return replace(stand, episode=new_episode())
        return replace(stand, outcome=Outcome("theirs", error="it is silent")) if step is Step.MEASURE else stand


@pytest.fixture
def talk(tmp_path, monkeypatch, recipe) -> Work:
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    (tmp_path / "talk.wav").write_bytes(b"sound")
    (tmp_path / "theme.wav").write_bytes(b"music")
    return Work(BatchInput(tmp_path / "talk.wav"), "talk", replace(recipe, music=(theme_at(tmp_path / "theme.wav"),)))


def test_an_outcome_names_the_file_that_was_asked_for_and_its_copy_goes_but_not_the_shows_music(tmp_path, talk):
    client = Alone()
    sent_along, _ = along(tmp_path, client, Ask())
    outcome = sent_along.do(talk, Stand())
    assert outcome.error == "it is silent" and outcome.file == str(talk.item.path)
    assert set(sent_along.in_use._times.values()) == {0} and {worker for worker, _ in sent_along.in_use._times} == {"w"}
    kept = sending.contents([tmp_path / "theme.wav", tmp_path / "talk.wav"])
    assert client.cleared == ["talk", kept[tmp_path / "talk.wav"]] and kept[tmp_path / "theme.wav"] not in client.cleared


def test_when_a_worker_is_lost_in_a_step_another_takes_the_episode_as_it_stands(tmp_path, talk):
    ask = Ask({2: Lost()})
    outcome = along(tmp_path, Alone(), ask)[0].do(talk, Stand())
    assert outcome.error == "it is silent" and ask.steps == [Step.TAKE_IN, Step.MEASURE, Step.MEASURE]


def test_an_episode_whose_workers_are_always_lost_is_given_up(tmp_path, talk):
    ask = Ask({1: Lost(), 2: Lost(), 3: Lost()})
    sent_along, _ = along(tmp_path, Alone(), ask)
    outcome = sent_along.do(talk, Stand())
    assert "ended unexpectedly every time" in outcome.error and len(ask.steps) == 3
    assert sent_along.crew.free().address == "w"  # nobody has an episode any more


def test_a_worker_that_is_gone_while_files_are_sent_is_lost_and_one_that_is_there_has_an_error(tmp_path, talk, monkeypatch):
    sent_along, _ = along(tmp_path, Alone(lose=1), Ask())
    assert "ended unexpectedly" in sent_along.do(talk, Stand()).error
    assert (tmp_path / "out" / LOG).read_text().count("another one goes on") == 3

    def full(*_):
        raise CannotWrite("The disk there is full.")

    monkeypatch.setattr(sending, "take_block", full)
    assert along(tmp_path, Alone(), Ask())[0].do(talk, Stand()).error == "The disk there is full."


class Mastered(Ask):
    """The last step leaves a master beside the worker."""

    def __init__(self, lost: int = 0) -> None:
        super().__init__()
        self.places: list[str] = []
        self.lost = lost

    def ask(self, step, work, stand, place, worker):
        self.steps.append(step)
        self.places.append(str(work.item.path))
        if step is Step.TAKE_IN:
            recording = Recording("r", str(work.item.path), "fingerprint", RATE, RATE, 1)
            return replace(stand, episode=replace(new_episode(), recordings=(recording,)))
        if step is not Step.MASTERS:
            return stand
        folder = outbox(place.batch, work.name)
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "talk.mp3").write_bytes(b"a master")
        (folder / ".hidden").write_bytes(b"")
        masters = ({"file": str(folder / "talk.mp3"), "pass": True}, {"file": None, "pass": False})
        return replace(stand, outcome=Outcome("theirs", masters))


def test_masters_come_home_and_the_episode_names_the_files_that_it_was_asked_for(tmp_path, talk):
    client, ask = Alone(), Mastered()
    sent_along, _ = along(tmp_path, client, ask)
    shown = []
    sent_along.telling.show = lambda *told: shown.append(told)
    outcome = sent_along.do(talk, Stand())
    out = tmp_path / "out"
    assert [m["file"] for m in outcome.masters] == [str(out / "talk.mp3"), None] and outcome.file == str(talk.item.path)
    assert sorted(p.name for p in out.iterdir()) == [LOG, "talk.dubbin", "talk.mp3"] and (out / "talk.mp3").read_bytes() == b"a master"
    assert load_episode(out / "talk.dubbin").recordings[0].path == str(talk.item.path)
    assert ask.steps == list(Step) and set(ask.places) == {str(talk.item.path)}, "what it is called after stays"
    assert shown == [("talk", "sent", 0.0, "w"), ("talk", "fetched", 0.0, "")] and "0 MB sent to w in 0.0 s" in (out / LOG).read_text()


def test_a_worker_that_is_lost_with_the_masters_costs_the_last_step(tmp_path, talk, monkeypatch):
    real, tries = sent_along_module.fetch, []

    def lost_once(*arguments):
        tries.append(arguments)
        if len(tries) == 1:
            raise Lost
        return real(*arguments)

    monkeypatch.setattr(sent_along_module, "fetch", lost_once)
    ask = Mastered()
    outcome = along(tmp_path, Alone(), ask)[0].do(talk, Stand())
    assert outcome.masters and len(tries) == 2 and ask.steps == [*Step, *list(Step)[1:]]


def test_what_can_not_be_cleared_away_is_no_fault_of_the_episode(tmp_path, talk, monkeypatch):
    def full(_):
        raise OSError("busy")

    monkeypatch.setattr(sending, "clear_away", full)
    monkeypatch.setattr(sent_along_module, "clear_away", full)
    assert along(tmp_path, Alone(), Ask())[0].do(talk, Stand()).error == "it is silent"


def test_whoever_waits_for_a_worker_is_let_go_when_it_is_over(tmp_path):
    crew = Crew(Alone(), "tcp://here", lambda: [], Telling(tmp_path, [], lambda _: None))
    ended = []

    def wait(question):
        with pytest.raises(Cancelled):
            question()
        ended.append(question)

    threads = [threading.Thread(target=wait, args=(q,)) for q in (crew.able, crew.free, crew.sees_folders)]
    for thread in threads:
        thread.start()
    crew.end()
    for thread in threads:
        thread.join(10)
    assert len(ended) == 3


# -- who can work --------------------------------------------------------------------------


class Site:
    """A scheduler with workers, by address: what each says of itself, or what asking it raises. None: the scheduler is gone."""

    def __init__(self, **workers) -> None:
        self.workers, self.asked = workers, []

    def scheduler_info(self):
        if self.workers is None:
            raise OSError("gone")
        return {"workers": dict.fromkeys(self.workers)}

    def run(self, function, files, *, workers, on_error):
        assert function is look and on_error == "return"
        self.asked.append(sorted(workers))
        if files == ["nobody answers"]:
            raise OSError("one of them is gone again")
        return {address: self.workers[address] for address in workers}


def seen(program: str | None = None, *, folders: bool = True, ours: bool = True) -> Seen:
    return Seen(program or program_name(), folders, ours, Path("inbox"))


def crew_of(site: Site, folder: Path) -> tuple[Crew, list[str]]:
    said: list[str] = []
    return Crew(site, "tcp://here", lambda: [("a.wav", 5)], Telling(folder, [], said.append)), said


@pytest.mark.parametrize(
    ("what", "why"),
    [
        (seen(ours=False), "it was not started by dubbin worker"),
        (seen("9.9"), "it runs Dubbin 9.9"),
        (ImportError("no module named dubbin"), "there is no Dubbin that answers as this one does (no module named dubbin)"),
    ],
)
def test_who_can_not_work_is_told_once_with_the_reason(tmp_path, what, why):
    crew, said = crew_of(site := Site(x=what, good=seen()), tmp_path)
    crew.look_around()
    crew.look_around()
    assert said == [f"x can't work along: {why}."] and crew.able() == ["good"] and site.asked == [["good", "x"]]


def test_the_first_that_come_decide_whether_files_are_sent_and_who_fits_works_along(tmp_path):
    site = Site(a=seen(folders=False), b=seen())
    crew, said = crew_of(site, tmp_path)
    crew.look_around()
    assert crew.sees_folders() is False and sorted(crew.able()) == ["a", "b"], "files go along to whoever is there"
    assert "files are sent along" in (tmp_path / LOG).read_text()
    shared, said = crew_of(Site(b=seen()), tmp_path)
    shared.look_around()
    shared._client.workers["far"] = seen(folders=False)
    shared.look_around()
    assert shared.sees_folders() is True and shared.able() == ["b"] and said == ["far can't work along: it does not see the folders."]


def test_where_nobody_is_there_it_is_said_once_and_who_could_not_answer_is_asked_again(tmp_path):
    crew, said = crew_of(site := Site(), tmp_path)
    crew.look_around()
    crew.look_around()
    assert len(said) == 1 and said[0].endswith("dubbin worker tcp://here.")
    site.workers["a"] = seen()
    crew._files = lambda: ["nobody answers"]
    crew.look_around()
    crew._files = lambda: []
    crew.look_around()
    assert site.asked == [["a"], ["a"]] and crew.able() == ["a"]


def test_a_scheduler_that_is_gone_ends_the_batch_with_a_sentence(tmp_path):
    site = Site(a=seen())
    crew, _ = crew_of(site, tmp_path)
    crew.look_around()
    worker = crew.free()
    assert crew.is_there_now(worker)
    site.workers = None
    with pytest.raises(DubbinError, match="tcp://here is gone"):
        crew.look_around()
    assert not crew.is_there_now(worker)


def test_who_waits_goes_on_as_soon_as_somebody_comes(tmp_path, monkeypatch):
    monkeypatch.setattr(crews, "POLL_S", 60.0)  # nobody looks by himself
    site = Site(a=seen())
    crew, _ = crew_of(site, tmp_path)
    with ThreadPoolExecutor(3) as pool:
        waiting = [pool.submit(question) for question in (crew.able, crew.free, crew.sees_folders)]
        while len(crew._changed._waiters) < 3:
            time.sleep(0.001)
        crew.look_around()
        able, free, shared = (w.result(10) for w in waiting)
    assert (able, free.address, shared) == (["a"], "a", True)
    assert crew.free().address == "a"
    with ThreadPoolExecutor(1) as pool:
        third = pool.submit(crew.free)
        while not crew._changed._waiters:
            time.sleep(0.001)
        crew.let_go(free)
        assert third.result(10).address == "a"


# -- what is told --------------------------------------------------------------------------


def test_only_what_belongs_to_the_batch_is_shown_and_what_is_said_over_and_over_is_said_once(tmp_path):
    said: list[str] = []
    telling = Telling(tmp_path, ["b", "a"], said.append)
    for name in ("b", "a", "other"):
        telling.heard((0.0, {"name": name, "step": "measure", "fraction": 0.5, "worker": "w"}))
    telling.heard((0.0, {"name": "a"}))
    telling.heard((0.0, "not understood"))
    assert [r.name for r in telling.in_hand()] == ["a", "b"]
    telling.is_over("b")
    assert telling.in_hand() == [Running("a", "measure", 0.5, "w")]
    for text in ("nobody", "nobody", "one", "nobody"):
        telling.say_once(text)
    assert said == ["nobody", "one", "nobody"] and (tmp_path / LOG).read_text().count("nobody") == 2


def test_a_log_that_can_not_be_written_stops_nobody(tmp_path):
    Telling(tmp_path / "nowhere", [], lambda _: None).note("a line")


def test_sending_stops_when_it_is_asked_to(tmp_path):
    (tmp_path / "a.wav").write_bytes(b"12345")

    class Enough(Exception):
        pass

    def stop(moved):
        raise Enough

    with pytest.raises(Enough):
        sending.send(sending.contents([tmp_path / "a.wav"]), tmp_path / "inbox", here, stop)
    assert sending.send(sending.contents([tmp_path / "a.wav"]), tmp_path / "inbox", here).moved_bytes == 5


def test_work_moves_with_its_files_and_comes_home_as_it_was(talks, recipe, own, tmp_path):
    recipe = replace(recipe, delivery=replace(recipe.delivery, cover="/here/cover.png"))
    work = Work(BatchInput(talks[0]), "talk0", recipe)
    places = {str(talks[0]): "/there/talk0.wav", "/here/cover.png": "/there/cover.png"}
    moved = sending.moved_work(work, places)
    assert moved.item.recordings == [Path("/there/talk0.wav")] and moved.recipe.delivery.cover == "/there/cover.png"
    assert moved.item.path == talks[0], "what it is called after"
    stand = do_step(Step.TAKE_IN, work, Stand(), tmp_path, own)
    there = sending.moved_stand(stand, places)
    assert there.episode.recordings[0].path == "/there/talk0.wav" and there.episode.delivery.cover == "/there/cover.png"
    back = sending.moved_stand(there, {theirs: ours for ours, theirs in places.items()})
    assert back.episode == stand.episode and sending.moved_stand(Stand(), places) == Stand()


def test_files_of_an_episode_are_those_that_it_names(talks, recipe, own, tmp_path):
    work = Work(BatchInput(talks[0]), "talk0", replace(recipe, delivery=replace(recipe.delivery, cover="/missing.png")))
    assert sending.files_of(work, Stand()) == [talks[0]]
    stand = do_step(Step.TAKE_IN, Work(BatchInput(talks[1]), "talk1"), Stand(), tmp_path, own)
    assert sending.files_of(work, stand) == [talks[1]]
