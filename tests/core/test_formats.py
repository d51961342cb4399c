"""The table of formats: whatever stands in it is encoded, tagged, proved and offered everywhere."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.cli.main import main
from dubbin.core.deliver.encode import encode
from dubbin.core.deliver.formats import FORMATS, MP3, OPUS, WAV, Format, TagKind, codec_title, find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.publication import Chapter, Publication
from dubbin.core.deliver.tags import read_tags
from dubbin.core.deliver.targets import find_target
from dubbin.core.episode.model import Tags
from dubbin.core.errors import DubbinError
from dubbin.core.sound.source import Sound
from tests.conftest import RATE

LAYER_2 = Format("mp2", "MPEG layer 2", TagKind.ID3, "MP3", "mp2", "mp2", ("mp2float", "mp2"))


@pytest.fixture
def sixth(monkeypatch):
    """A row more in the table, and nothing else."""
    monkeypatch.setitem(FORMATS, "mp2", LAYER_2)
    return LAYER_2


@pytest.fixture(scope="module")
def talk(request):
    return Sound(np.tile(request.getfixturevalue("speech")[: 4 * RATE], (2, 1)), RATE)


def test_names_are_endings_and_find_their_format():
    assert all(find_format(name) is f and f.suffix == f".{name}" for name, f in FORMATS.items())
    with pytest.raises(DubbinError, match="wav, flac"):
        find_format("tape")


def test_what_goes_through_a_codec_is_lossy():
    assert [f.name for f in FORMATS.values() if f.is_lossy] == ["mp3", "m4a", "opus"]


def test_decoders_names_are_told_as_people_call_them():
    assert codec_title("mp3float") == "MP3" and codec_title("PCM_24") == "24 bit" and codec_title("aac") == "AAC"
    assert codec_title("something new") == "something new"


def test_a_sixth_format_becomes_a_master_that_passes(sixth, talk, tmp_path):
    tags = Tags(title="The bell", author="Ines Calder", people="Ines, Tobias")
    what = Publication(tags, chapters=(Chapter(0.0, 2.0, "One"), Chapter(2.0, 4.0, "Two")))
    (made,) = make_masters(talk, tmp_path, "talk", [find_target("podcast-mono")], [sixth], what).made
    assert made.file.name == "talk.podcast-mono.mp2" and made.proof.passes, made.proof.problems
    assert read_tags(made.file, sixth) == tags
    assert codec_title(made.proof.measured.codec) == "MPEG layer 2"


def test_a_sixth_format_is_offered_on_the_command_line(sixth, talk, tmp_path, capsys):
    import soundfile as sf

    sf.write(tmp_path / "talk.wav", talk.samples.T, RATE)
    assert (
        main(["master", str(tmp_path / "talk.wav"), "-o", str(tmp_path / "out"), "--target", "podcast-mono", "--format", "mp2", "--quiet"])
        == 0
    )
    assert (tmp_path / "out" / "talk.podcast-mono.mp2").exists()


def test_a_fixed_rate_is_kept_whatever_the_target_asks_for(talk, tmp_path):
    (made,) = make_masters(talk, tmp_path, "talk", [find_target("podcast-mono")], [OPUS]).made
    assert made.proof.measured.sample_rate == 48000 == OPUS.fixed_rate


def test_only_some_formats_vary_their_bit_rate(talk, tmp_path):
    for format in (MP3, OPUS):
        sizes = []
        for vbr in (False, True):
            encode(talk, tmp_path / f"{vbr}{format.suffix}", format, bits=16, kbps=96, vbr=vbr)
            sizes.append((tmp_path / f"{vbr}{format.suffix}").stat().st_size)
        assert (sizes[0] != sizes[1]) == format.vbr


def test_broadcast_chunks_are_of_wave_files_alone():
    assert [f for f in FORMATS.values() if f.wave_chunks] == [WAV]
