"""What is made around the masters, to the letter: orders, companions on the clock of the files, rows of proof sheets, stems and clips. The masters
themselves are made by somebody else here."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver import delivery
from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.deliver.delivery import Delivered, Order, clip_order, deliver, deliver_clips, write_stems
from dubbin.core.deliver.formats import FLAC, WAV
from dubbin.core.deliver.levels import Reduction
from dubbin.core.deliver.master import Failure, Master, Masters
from dubbin.core.deliver.publication import Break, Chapter, Publication
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import CannotWrite
from dubbin.core.jobs import Task
from dubbin.core.sound.source import Sound
from dubbin.core.sound.writing import write_sound
from tests.conftest import RATE, tone

TARGETS = (find_target("podcast-stereo"), find_target("archive"))
SAID = tuple(SpokenWord(text, k, k + 0.5, "Ines") for k, text in enumerate(["The", "old", "bell", "rang", "again"]))
PUBLICATION = Publication(Tags("A title"), None, (Chapter(0.0, 5.0, "Begin"),), (Break(2.0, 1.0, "Ad"),), ((1.0, "mark"),), SAID, 5.0)
ORDER = Order(
    "ep",
    "Bells",
    TARGETS,
    (WAV, FLAC),
    PUBLICATION,
    ("captions", "notes"),
    "My notes",
    True,
    ((("Lanes"), (("a", "b"),)),),
    (Path("/a.wav"),),
)
PROGRAM = Sound(np.zeros((1, 5 * RATE), np.float32), RATE)


def a_master(folder: Path, target=TARGETS[0], head_s: float = 0.0, reduction: Reduction | None = None) -> Master:
    return Master(WAV, SimpleNamespace(target=target.name, file=folder / f"ep.{target.name}.wav"), 3.25, reduction, head_s)  # type: ignore[arg-type]


@pytest.fixture
def made(monkeypatch):
    """What the maker of masters is asked for, and what it gives back from now on."""
    asked: list[tuple[object, ...]] = []
    given = SimpleNamespace(asked=asked, masters=Masters(()))

    def make(*arguments: object) -> Masters:
        asked.append(arguments)
        return given.masters

    monkeypatch.setattr(delivery, "make_masters", make)
    return given


class TestDeliveries:
    def test_masters_are_asked_for_as_they_are_ordered_and_are_most_of_the_work(self, made, tmp_path):
        told: list[float] = []
        failed = (Failure("archive", FLAC, "no room"),)
        made.masters = Masters((a_master(tmp_path),), failed)
        done = deliver(PROGRAM, tmp_path, ORDER, Task(told.append))
        ((program, folder, name, targets, formats, what, part, recordings, vbr),) = made.asked
        assert (program, folder, name, targets, formats) == (PROGRAM, tmp_path, "ep", TARGETS, (WAV, FLAC))
        assert what is PUBLICATION and recordings == (Path("/a.wav"),) and vbr is True
        part.step(1.0)
        assert 0.94 < told[-1] < 0.96 and 1.0 in told and max(told) <= 1.0
        assert done == Delivered(made.masters.made, failed, (tmp_path / "ep.srt", tmp_path / "ep.vtt", tmp_path / "ep.notes.md"), ())
        assert (tmp_path / "ep.notes.md").read_text() == "My notes"

    @pytest.mark.parametrize(
        ("heads", "first"), [((0.0, 0.0), "00:00:00,000"), ((0.75, 0.75), "00:00:00,750"), ((0.75, 0.0), "00:00:00,000")]
    )
    def test_companions_are_on_the_clock_of_the_files_where_these_share_one(self, made, tmp_path, heads, first):
        made.masters = Masters(tuple(a_master(tmp_path, target, head) for target, head in zip(TARGETS, heads, strict=True)))
        deliver(PROGRAM, tmp_path, replace(ORDER, extras=("captions", "chapters")))
        assert (tmp_path / "ep.srt").read_text().startswith(f"1\n{first} --> ")
        end = 5.0 + (heads[0] if heads[0] == heads[1] else 0.0)
        assert f'"endTime": {end}' in (tmp_path / "ep.chapters.json").read_text()

    def test_transcripts_bear_the_title(self, made, tmp_path):
        deliver(PROGRAM, tmp_path, replace(ORDER, extras=("transcript",)))
        assert "Bells" in (tmp_path / "ep.transcript.html").read_text()

    def test_a_companion_never_takes_a_recordings_place(self, made, tmp_path):
        taken = tmp_path / "ep.srt"
        taken.write_bytes(b"a recording")
        done = deliver(PROGRAM, tmp_path, replace(ORDER, recordings=(taken,)))
        assert taken.read_bytes() == b"a recording" and len(done.problems) == 1 and "ep.srt" in done.problems[0]

    def test_each_master_has_sheets_of_its_own_and_what_can_not_be_written_is_told(self, made, tmp_path, monkeypatch):
        sheets = []

        def write(sheet, path):
            if path.suffix == ".pdf":
                raise CannotWrite(f"{path.name} could not be written.")
            sheets.append((sheet, path.name))

        monkeypatch.setattr(delivery, "write_sheet", write)
        reduction = Reduction(2.54, 0.1236, np.zeros(3, np.float32))
        made.masters = Masters((a_master(tmp_path, TARGETS[0], 0.0, reduction), a_master(tmp_path, TARGETS[1])))
        done = deliver(PROGRAM, tmp_path, replace(ORDER, extras=("proof",)))
        assert [(sheet.target, sheet.title, name) for sheet, name in sheets] == [
            (TARGETS[0], "Bells", "ep.podcast-stereo.wav.proof.html"), (TARGETS[1], "Bells", "ep.archive.wav.proof.html"),
        ]  # fmt: skip
        work = ("Lanes", (("a", "b"),))
        limiter = ("limiter", "down 2.5 dB at most, at work 12.4 % of the time")
        assert sheets[0][0].work == (("Mastering", (("gain", "+3.2 dB"), limiter)), work)
        assert sheets[1][0].work == (("Mastering", (("gain", "+3.2 dB"),)), work) and sheets[1][0].proof is made.masters.made[1].proof
        assert done.files == tuple(tmp_path / name for _, name in sheets)
        assert done.problems == ("ep.podcast-stereo.wav.proof.pdf could not be written.", "ep.archive.wav.proof.pdf could not be written.")


class TestStems:
    def test_voices_of_one_name_have_files_of_their_own_that_say_how_many_channels_they_have(self, tmp_path, monkeypatch):
        def write(source, path, bits, task):
            write_sound(source, path, bits, task)
            task.step(1.0)

        monkeypatch.setattr(delivery, "write_sound", write)
        told: list[float] = []
        stems = {"Ines": tone(300, 0.5), "ines": tone(400, 0.5, channels=2), "INES!": tone(500, 0.5)}
        files = write_stems(stems, tmp_path, "ep", Task(told.append))
        assert [f.name for f in files] == ["ep.stem.ines.wav", "ep.stem.ines-1.wav", "ep.stem.ines-2.wav"]
        for path, source, mode in zip(files, stems.values(), (b"M=mono", b"M=stereo", b"M=mono"), strict=True):
            assert sf.info(str(path)).channels == source.channels and b"W=24," + mode + b",T=Dubbin" in path.read_bytes()
        assert told == pytest.approx([0, 1 / 3, 1 / 3, 2 / 3, 2 / 3, 1])

    def test_a_recording_that_bears_the_name_of_a_stem_is_not_written_over(self, tmp_path):
        taken = tmp_path / "ep.stem.ines.wav"
        taken.write_bytes(b"a recording")
        with pytest.raises(CannotWrite, match=r"ep\.stem\.ines\.wav"):
            write_stems({"Ines": tone(300, 0.5)}, tmp_path, "ep", recordings=[taken])
        assert taken.read_bytes() == b"a recording"


class TestClips:
    def test_a_clip_is_ordered_with_its_own_words_and_nothing_that_was_written_for_the_whole(self):
        order = clip_order(ORDER, 1.25, 3.25)
        assert [(w.text, w.start_s, w.end_s) for w in order.publication.words] == [("old", -0.25, 0.25), ("bell", 0.75, 1.25)]
        assert order.publication == replace(PUBLICATION, chapters=(), breaks=(), markers=(), words=order.publication.words, duration_s=2.0)
        assert order == replace(ORDER, name="ep.clip-1-3s", publication=order.publication, notes=None)

    def test_clips_of_the_program_come_with_captions_and_tell_all_that_was_made(self, made, tmp_path, monkeypatch):
        told: list[float] = []
        x = np.arange(5 * RATE, dtype=np.float32)[None] / (5 * RATE)
        rest = iter([("one", "early"), ("two", "late")])

        def write(publication, folder, name, title, extras, notes, recordings):
            assert extras == ("notes", "captions") and notes is None and title == "Bells" and recordings == ORDER.recordings
            return [folder / f"{name}.srt"]

        def make(program, *rest_of_it):
            made.asked.append((program, *rest_of_it))
            word, reason = next(rest)
            return Masters((a_master(tmp_path, head_s=len(made.asked)),), (Failure(word, FLAC, reason),))

        monkeypatch.setattr(delivery, "make_masters", make)
        monkeypatch.setattr(delivery, "write_companions", write)
        spans = [(RATE, 2 * RATE), (3 * RATE, 5 * RATE)]
        done = deliver_clips(Sound(x, RATE), tmp_path, replace(ORDER, extras=("notes",)), spans, Task(told.append))
        assert [(a[0].frames, a[2]) for a in made.asked] == [(RATE, "ep.clip-1-2s"), (2 * RATE, "ep.clip-3-5s")]
        middle = made.asked[1][0].read(RATE, RATE + 100)
        np.testing.assert_array_equal(middle, x[:, 4 * RATE : 4 * RATE + 100])
        assert [m.head_s for m in done.masters] == [1, 2] and [f.reason for f in done.failed] == ["early", "late"]
        assert done.files == (tmp_path / "ep.clip-1-2s.srt", tmp_path / "ep.clip-3-5s.srt") and done.problems == ()
        assert told == sorted(told) and told[-1] == 1.0 and any(abs(t - 0.5) < 1e-9 for t in told)

    def test_clips_that_begin_and_end_within_the_same_seconds_do_not_take_one_anothers_place(self, made, tmp_path):
        spans = [(RATE, 2 * RATE), (RATE + 99, 2 * RATE), (3 * RATE, 4 * RATE), (RATE, 3 * RATE)]
        done = deliver_clips(PROGRAM, tmp_path, replace(ORDER, extras=()), spans)
        names = ["ep.clip-1-2s", "ep.clip-1-2s-2", "ep.clip-3-4s", "ep.clip-1-3s"]
        assert [a[2] for a in made.asked] == names and [f.name for f in done.files if f.suffix == ".srt"] == [f"{n}.srt" for n in names]

    def test_what_goes_wrong_with_one_is_told_with_the_rest(self, made, tmp_path):
        (tmp_path / "ep.clip-1-2s.srt").mkdir()
        done = deliver_clips(PROGRAM, tmp_path, replace(ORDER, extras=()), [(0, RATE), (RATE, 2 * RATE)])
        assert len(done.problems) == 1 and "ep.clip-1-2s.srt" in done.problems[0] and tmp_path / "ep.clip-0-1s.srt" in done.files
