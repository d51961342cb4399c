"""Damaged and hostile files of every form that is read: each is used or refused in a sentence, and nothing else happens.

`DUBBIN_SOAK=N` tries N times as many.
"""

from __future__ import annotations

import csv
import json
import random
import re
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile as sf

from dubbin.core.batch.inputs import read_table
from dubbin.core.batch.outcome import DoneBefore
from dubbin.core.deliver.captions import spoken_words
from dubbin.core.deliver.comments import Comments, comments_change, is_comments, read_comments
from dubbin.core.deliver.companions import COMPANIONS, write_companions
from dubbin.core.deliver.edit_lists import as_csv, as_edl, as_otio, as_tab_separated
from dubbin.core.deliver.publication import publication_of
from dubbin.core.deliver.recipe import apply_recipe, load_recipe, recipe_of, save_recipe
from dubbin.core.deliver.targets import TABLE, read_targets
from dubbin.core.deliver.work_done import work_rows
from dubbin.core.episode.commands.arrangement import insert_break, move_stretches
from dubbin.core.episode.commands.cuts import cut_stretch, set_pauses
from dubbin.core.episode.commands.lanes import Cover, cover
from dubbin.core.episode.commands.markers import add_chapter, add_marker
from dubbin.core.episode.commands.treatments import change_use, set_voice
from dubbin.core.episode.document import Document
from dubbin.core.episode.file import load_episode, read_episode, save_episode
from dubbin.core.episode.journal_reading import left_over
from dubbin.core.episode.model import Episode
from dubbin.core.episode.stretches import FURTHEST_SESSION_FRAME
from dubbin.core.episode.time_map import program_map, session_map
from dubbin.core.errors import BadEpisode, DubbinError, UnusableSound
from dubbin.core.mix.kept_results import KeptResults
from dubbin.core.mix.lane_key import lane_key
from dubbin.core.mix.lane_sound import active_uses
from dubbin.core.sound.reading import _resampled
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.align_text import read_text
from dubbin.core.speech.known_voices import KnownVoices
from dubbin.core.treat.tiles import DiskTiles
from tests.conftest import RATE, SEED, SOAK, noise
from tests.core.hostile import damaged, spoilt
from tests.core.machine_episode import first_episode
from tests.core.test_document_machine import PAUSES


def full_episode() -> Episode:
    """One that has something of everything."""
    episode = first_episode()
    for change in (
        lambda e: cut_stretch(e, RATE, 2 * RATE), lambda e: insert_break(e, 5 * RATE, RATE, "br", "Ad", True), lambda e: set_pauses(e, e.pauses, PAUSES, on=True),
        lambda e: move_stretches(e, [(20 * RATE, 21 * RATE)], 3 * RATE, "mv"), lambda e: add_marker(e, 4 * RATE, "look"), lambda e: add_chapter(e, 0, "One"),
        lambda e: change_use(e, "a", "denoise", "", on=True, strength=70), lambda e: cover(e, "b", Cover(RATE, 2 * RATE), ""),
        lambda e: set_voice(e, "a", {"compress": {}, "equalise": {}}, ""),
    ):  # fmt: skip
        episode = change(episode).episode
    return episode


def used(episode: Episode) -> None:
    """What happens to an episode that was read, short of its sound."""
    found = program_map(episode)
    session_map(episode)
    publication = publication_of(episode)
    spoken_words(episode, found)
    for form in (as_csv, as_edl, as_otio, as_tab_separated):
        form(episode)
    work_rows(episode)
    recipe_of(episode)
    for lane in episode.lanes:
        lane_key(episode, lane)
        active_uses(lane.repairs)
        active_uses(lane.voice_chain)
    assert found.program_frames >= 0 and publication.duration_s >= 0


def survives(work: Callable[[], object], seen: list[str]) -> None:
    """Done, or refused in a sentence."""
    try:
        work()
        seen.append("")
    except DubbinError as error:
        said = str(error)
        assert said and "Traceback" not in said and len(said) < 2000, said
        seen.append(said)


@pytest.mark.parametrize("seed", range(4 * SOAK))
def test_an_episode_with_values_that_can_not_be_is_refused_or_used(tmp_path, seed):
    rng, path, seen = random.Random(seed + SEED), tmp_path / "e.dubbin", list[str]()
    save_episode(full_episode(), path)
    plain = json.loads(path.read_text())

    def work() -> None:
        episode, unknown = read_episode(path)
        used(episode)
        save_episode(episode, tmp_path / "again.dubbin", unknown)
        assert load_episode(tmp_path / "again.dubbin") == episode

    for _ in range(40 * SOAK):
        body = {**plain, "episode": spoilt(plain["episode"], rng)} if rng.random() < 0.9 else spoilt(plain, rng)
        path.write_text(json.dumps(body))
        survives(work, seen)
    assert any(seen) and not all(seen), "some are refused, some are used"


CAN_NOT_BE = (0, -1, 10**30, 0.5, None, "", [])


def leaves(plain: object, at: tuple[str | int, ...] = ()) -> Iterator[tuple[str | int, ...]]:
    """Where plain data holds lists, figures and texts."""
    if isinstance(plain, dict):
        for key, value in plain.items():
            yield from leaves(value, (*at, key))
    else:
        yield at
        for k, value in enumerate(plain if isinstance(plain, list) else ()):
            yield from leaves(value, (*at, k))


def with_other(plain: object, at: tuple[str | int, ...], value: object) -> object:
    """The same plain data with another value at one place."""
    if not at:
        return value
    key, rest = at[0], at[1:]
    if isinstance(plain, dict):
        return {**plain, key: with_other(plain[key], rest, value)}
    assert isinstance(plain, list) and isinstance(key, int)
    return [*plain[:key], with_other(plain[key], rest, value), *plain[key + 1 :]]


def test_an_episode_with_any_one_value_that_can_not_be_is_refused_or_used(tmp_path):
    path, seen = tmp_path / "e.dubbin", list[str]()
    save_episode(full_episode(), path)
    plain = json.loads(path.read_text())
    fields = {tuple(k for k in at if isinstance(k, str)): at for at in leaves(plain["episode"])}  # one item of each list stands for all
    assert len(fields) > 100
    for at in fields.values():
        for value in CAN_NOT_BE:
            path.write_text(json.dumps({**plain, "episode": with_other(plain["episode"], at, value)}))
            try:
                survives(lambda: used(load_episode(path)), seen)
            except Exception as error:
                raise AssertionError(f"{at}: {value!r}") from error
    assert any(seen) and not all(seen)


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("rate", 0, "clock runs at 0 Hz"),
        ("rate", 7_999, "clock runs at 7999 Hz"),
        ("rate", 192_001, "clock runs at 192001 Hz"),
        ("recordings", [], "has no recording"),
        ("recordings.0.frames", -1, "-1 frames long"),
        ("recordings.1.frames", FURTHEST_SESSION_FRAME, "frames long"),
        ("lanes.1.start_frame", -FURTHEST_SESSION_FRAME, "Tobias begins at frame -1"),
        ("placed.0.pieces", [], "holds nothing"),
        ("transcripts.0.words.3.speaker", -1, "no speaker"),
        ("splits", [2**53 + 1], "larger than any frame"),
    ],
)
def test_what_an_episode_can_not_be_is_said(tmp_path, field, value, said):
    path = tmp_path / "e.dubbin"
    save_episode(full_episode(), path)
    body = json.loads(path.read_text())
    at = tuple(int(key) if key.isdigit() else key for key in field.split("."))
    path.write_text(json.dumps({**body, "episode": with_other(body["episode"], at, value)}))
    with pytest.raises(BadEpisode, match=said):
        load_episode(path)


def test_an_episode_whose_bytes_are_damaged_is_refused_or_used(tmp_path):
    rng, path, seen = random.Random(1 + SEED), tmp_path / "e.dubbin", list[str]()
    save_episode(full_episode(), path)
    data = path.read_bytes()
    for bad in (b"\xff\xfe\x00", b"", b"null", b"[" * 100_000, b'{"schema": "dubbin-episode", "version": 1e400}'):
        path.write_bytes(bad)
        survives(lambda: used(load_episode(path)), seen)
    for _ in range(60 * SOAK):
        path.write_bytes(damaged(data, rng))
        survives(lambda: used(load_episode(path)), seen)
    assert any(seen)


@pytest.mark.parametrize("kind", ["recipe", "comments", "targets", "table", "srt", "vtt", "txt"])
def test_small_files_are_refused_or_used(tmp_path, kind):
    rng, seen = random.Random(f"{kind}{SEED}"), list[str]()
    episode = full_episode()
    path = tmp_path / {"recipe": "r.json", "comments": "c.json", "targets": "t.toml", "table": "t.csv"}.get(kind, f"w.{kind}")
    plain = None
    if kind == "recipe":
        save_recipe(recipe_of(episode), path)
        plain = json.loads(path.read_text())
    elif kind == "comments":
        plain = {
            "schema": "dubbin-comments",
            "version": 1,
            "episode": "e1",
            "title": "T",
            "name": "Mia",
            "comments": [{"at_s": 1.5, "text": "hm", "words": "a b"}],
        }
        path.write_text(json.dumps(plain))
    elif kind == "targets":
        path.write_bytes(TABLE.read_bytes())
    elif kind == "table":
        path.write_text("episode,file,voice,title\n1,a.wav,Ines,One\n1,b.wav,Tobias,\n")
    else:
        path.write_text(
            "WEBVTT\n\n" * (kind == "vtt")
            + "1\n00:00:01,000 --> 00:00:02,000\nInes: Good evening <b>all</b>.\n\n2\n00:00:03,000 --> 00:00:04,000\nYes.\n"
        )
    data = path.read_bytes()

    def work() -> None:
        if kind == "recipe":
            used(apply_recipe(episode, load_recipe(path)).episode)
        elif kind == "comments":
            is_comments(path)
            found: Comments = read_comments(path)
            used(comments_change(episode, [found]).episode)
        elif kind == "targets":
            read_targets.cache_clear()
            read_targets(path)
        elif kind == "table":
            read_table(path)
        else:
            read_text(path)

    for _ in range(100 * SOAK):
        if plain is not None and rng.random() < 0.7:
            path.write_text(json.dumps(spoilt(plain, rng)))
        else:
            path.write_bytes(damaged(data, rng))
        survives(work, seen)
    read_targets.cache_clear()
    assert any(seen)


def test_a_journal_that_is_damaged_gives_back_what_is_whole_or_says_so(tmp_path):
    rng, seen = random.Random(5 + SEED), list[str]()
    path = tmp_path / "e.dubbin"
    save_episode(first_episode(), path)
    document = Document.opened(tmp_path / "journals", path)
    for k in range(10):
        document.do(cut_stretch(document.episode, k * RATE, k * RATE + 500))
    document._journal.abandon()
    journal = document._journal.path
    data = journal.read_bytes()

    def work() -> None:
        for item in left_over(tmp_path / "journals"):
            again = Document.recovered(tmp_path / "journals", item)
            used(again.episode)
            assert len(again.episode.cuts) <= 10
            again._journal.abandon()

    for _ in range(80 * SOAK):
        for old in (tmp_path / "journals").glob("**/*.jsonl"):
            old.unlink()
        journal.write_bytes(damaged(data, rng))
        survives(work, seen)
    assert not all(seen)


def test_what_is_kept_in_caches_and_beside_is_looked_at_with_distrust(tmp_path):
    rng = random.Random(6 + SEED)
    kept = KeptResults(tmp_path / "figures")
    kept.keep("k", 1, {"a": [1.0, 2.0]})
    (result,) = (tmp_path / "figures").iterdir()
    tiles = DiskTiles(tmp_path / "tiles")
    x = noise(1, -30, 1)[None].astype(np.float32)
    stored = tiles.put(0, x)
    (tile,) = (tmp_path / "tiles").iterdir()
    whole, packed = result.read_bytes(), tile.read_bytes()
    voices = {"voices": {"Ines": {"point": [0.1] * 256, "times": 3}}}
    outcome = {"k": {"file": "a", "masters": [{"file": "/x", "pass": True}], "entries": [], "error": None, "remarks": [], "seconds": 1.0}}
    for _ in range(100 * SOAK):
        result.write_bytes(damaged(whole, rng))
        assert kept.recall("k", 1, dict) in (None, {"a": [1.0, 2.0]})
        tile.write_bytes(damaged(packed, rng))
        found = DiskTiles(tmp_path / "tiles").get(0, 0, x.shape[1])
        assert found is None or np.array_equal(found, stored)
        (tmp_path / "voices.json").write_text(json.dumps(spoilt(voices, rng)))
        KnownVoices(tmp_path).names_of([None, np.ones(256, np.float32) / 16])
        (tmp_path / "batch.json").write_text(json.dumps(spoilt(outcome, rng)))
        DoneBefore(tmp_path / "batch.json").find("k")


# -- sound -------------------------------------------------------------------------------


def sounds(folder: Path) -> dict[str, bytes]:
    """A second of sound in every form that is read."""
    x = noise(1, -20, 1).astype(np.float32)
    made = {}
    for name, kind in (("a.wav", "PCM_24"), ("b.flac", "PCM_16"), ("c.ogg", "VORBIS"), ("d.aiff", "PCM_16"), ("e.mp3", None)):
        sf.write(folder / name, x, RATE, subtype=kind)
        made[name] = (folder / name).read_bytes()
    for name, container, codec in (
        ("f.m4a", "mp4", "aac"),
        ("g.opus", "ogg", "libopus"),
        ("h.mkv", "matroska", "aac"),
        ("i.mov", "mov", "aac"),
        ("j.mp3", "mp3", "libmp3lame"),
    ):
        with av.open(str(folder / name), "w", format=container) as out:
            stream = out.add_stream(codec, rate=RATE)
            stream.layout = "stereo"
            frame = av.AudioFrame.from_ndarray(np.stack([x, x]), format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = RATE, 0
            out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        made[name] = (folder / name).read_bytes()
    return made


def test_a_frame_of_a_form_that_can_not_be_is_left_out():
    class Refusing:
        def resample(self, frame):
            raise av.error.ArgumentError(22, "Invalid argument")

    assert list(_resampled(Refusing(), None)) == []


def read_apart(folder: Path, names: list[str]) -> list[dict]:
    """What a process of its own says of files; one that ends it is told by its name."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.core.sound_reader", str(folder), *names], capture_output=True, text=True, timeout=300, check=False
    )
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    found = [line for line in lines if "name" in line]
    assert done.returncode == 0, (lines[-1], done.returncode, done.stderr[-500:])
    return found


def test_sound_files_that_are_damaged_are_read_as_far_as_they_go_or_refused(tmp_path):
    rng, made = random.Random(7 + SEED), sounds(tmp_path)
    names = []
    for name, data in made.items():
        for k in range(25 * SOAK):
            names.append(f"{k}-{name}")
            (tmp_path / names[-1]).write_bytes(damaged(data, rng))
    found = read_apart(tmp_path, names)
    assert len(found) == len(names)
    faults = [f for f in found if f["said"].startswith("fault")]
    assert not faults, faults[:3]
    assert all(f["seconds"] < 30 and f["frames"] < 200 * RATE for f in found)
    assert sum(bool(f["frames"]) for f in found) > len(found) // 4 and any(f["said"] for f in found)


def test_some_of_them_through_the_process_that_the_program_has_for_it(tmp_path):
    rng, copies, came = random.Random(8 + SEED), WorkingCopies(tmp_path / "copies"), 0
    for name, data in sounds(tmp_path).items():
        path = tmp_path / f"damaged-{name}"
        path.write_bytes(damaged(data, rng))
        try:
            came += copies.obtain(path, RATE).frames > 0
        except UnusableSound as error:
            assert path.name in str(error)
    assert came


def test_a_file_whose_channels_or_rate_change_half_way_is_read(tmp_path):
    x = noise(1, -20, 1).astype(np.float32)
    for name, rate, channels in (("mono.mp3", RATE, 1), ("stereo.mp3", RATE, 2), ("slow.mp3", 24000, 1)):
        with av.open(str(tmp_path / name), "w", format="mp3", options={"id3v2_version": "0", "write_xing": "0"}) as out:
            stream = out.add_stream("libmp3lame", rate=rate)
            stream.layout = "mono" if channels == 1 else "stereo"
            frame = av.AudioFrame.from_ndarray(np.stack([x[:rate]] * channels), format="fltp", layout=stream.layout.name)
            frame.sample_rate, frame.pts = rate, 0
            out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
    data = {p.stem: p.read_bytes() for p in tmp_path.glob("*.mp3")}
    names = []
    for first, second in (("mono", "stereo"), ("stereo", "mono"), ("mono", "slow"), ("slow", "stereo")):
        names.append(f"{first}-{second}.mp3")
        (tmp_path / names[-1]).write_bytes(data[first] * 2 + data[second] * 2)
    for f in read_apart(tmp_path, names):
        assert not f["said"].startswith("fault"), f
        assert f["said"] or f["frames"] > RATE // 2, f


def test_text_that_is_markup_stays_text_in_all_that_is_written(tmp_path):
    bad = "<img src=x onerror=alert(1)> [a](javascript:x) & *b*"
    episode = add_chapter(full_episode(), 0, bad).episode
    words = replace(episode.transcripts[0], words=tuple(replace(w, text="<script>alert(1)</script>") for w in episode.transcripts[0].words))
    episode = replace(episode, title=bad, transcripts=(words,), lanes=tuple(replace(lane, voice=bad) for lane in episode.lanes))
    files = write_companions(publication_of(episode), tmp_path, "ep", bad, [c.name for c in COMPANIONS])
    assert {p.suffix for p in files} >= {".vtt", ".html", ".md"}
    for path in files:
        text = path.read_text()
        if path.suffix in (".html", ".vtt", ".md"):
            assert not re.search(r"(?<!\\)<(img|script>alert)", text), path.name
        if path.suffix == ".md":
            assert not re.search(r"(?<!\\)\]\(", text)
    rows = list(csv.reader((as_csv(replace(episode, lanes=tuple(replace(lane, voice="=cmd()") for lane in episode.lanes)))).splitlines()))
    assert not any(cell.startswith("=") for row in rows for cell in row)
