"""What is delivered with masters: targets of every kind, tags, chapters, cover, companions, proof sheets, stems, clips, video; read back by other libraries."""

from __future__ import annotations

import io
import json
import re
import struct
from dataclasses import replace

import av
import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver import master as master_module
from dubbin.core.deliver.captions import SpokenWord
from dubbin.core.deliver.clip import Clip
from dubbin.core.deliver.companions import write_companions
from dubbin.core.deliver.delivery import Order, clip_order, deliver, write_stems
from dubbin.core.deliver.formats import FLAC, FORMATS, M4A, MP3, WAV
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.notes import draft_notes, key_phrases, sentences
from dubbin.core.deliver.prediction import measure_program, predict
from dubbin.core.deliver.publication import Break, Chapter, Publication, chapters_json, publication_of, read_cover
from dubbin.core.deliver.rendered import render
from dubbin.core.deliver.riff import Cue, add_chunks, cue_chunks, read_cues
from dubbin.core.deliver.room_tone import WithRoomTone, find_tone
from dubbin.core.deliver.tags import publish, read_tags
from dubbin.core.deliver.targets import all_targets, find_target, read_targets
from dubbin.core.episode.commands.arrangement import insert_break
from dubbin.core.episode.commands.markers import add_chapter
from dubbin.core.episode.model import Cut, Episode, Lane, Recording, Tags
from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.mix.lane_gains import Balance
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.mix.lane_sound import lane_sound
from dubbin.core.mix.render import program_of
from dubbin.core.mix.stems import stem_programs
from dubbin.core.sound.source import Sound
from dubbin.core.treat.tiles import MemoryTileCache
from tests.conftest import RATE, noise

ALL_TAGS = Tags("A title – ümläut", "Ines", "Ferry", "2026", "About bells", "2", "7", "Ines, Tobias", "Society", "en", "© 2026 Ines")
CHAPTERS = (Chapter(0.0, 4.0, "Begin – ü"), Chapter(4.0, 9.5, "The <bell>"), Chapter(9.5, 20.0, "End"))


def words(text: str, speaker: str, start_s: float) -> list[SpokenWord]:
    return [SpokenWord(w, start_s + 0.4 * k, start_s + 0.4 * k + 0.3, speaker) for k, w in enumerate(text.split())]


SAID = tuple(
    words("The old bell would not ring because the bell founder forgot the clapper.", "Ines <script>", 0.5)
    + words("We cast the bronze bell again in the old foundry near the harbour.", "Tobias", 6.0)
    + words("Nobody in the harbour had heard the bronze bell for ten long years.", "Tobias", 12.0)
)
PUBLICATION = Publication(ALL_TAGS, None, CHAPTERS, (Break(9.5, 3.0, "Advertisement"),), ((2.0, "a mark"),), SAID, 20.0)


@pytest.fixture(scope="module")
def talk(request):
    x = request.getfixturevalue("speech")[: 12 * RATE]
    return Sound(np.stack([x, x * 0.8]), RATE)


@pytest.fixture(scope="module")
def picture(tmp_path_factory):
    from PIL import Image

    path = tmp_path_factory.mktemp("cover") / "cover.jpg"
    Image.new("RGB", (1400, 1400), (154, 78, 28)).save(path)
    return path


# -- targets ----------------------------------------------------------------------------


def test_an_audiobook_master_has_its_rms_peak_and_room_tone(talk, tmp_path):
    quiet = Sound(talk.samples + noise(talk.frames / RATE, -78, 3)[None, : talk.frames], RATE)
    target = find_target("audiobook")
    (made,) = make_masters(quiet, tmp_path, "book", [target], [WAV]).made
    x, rate = sf.read(made.file, always_2d=True)
    rms = 10 * np.log10(np.mean(x**2))
    assert x.shape[1] == 1 and rate == 44100 and -23 <= rms <= -18 and np.max(np.abs(x)) <= 10 ** (-3 / 20)
    found = {r.name: r for r in made.proof.rules}
    assert found["Room tone before"].passes and found["Room tone after"].passes and found["RMS"].passes
    loud_room = Sound(talk.samples + noise(talk.frames / RATE, -45, 3)[None, : talk.frames], RATE)
    (bad,) = make_masters(loud_room, tmp_path, "loud", [target], [WAV]).made
    assert any("Noise floor" in p for p in bad.proof.problems)


def test_an_archive_master_is_the_program_as_it_is(talk, tmp_path):
    (made,) = make_masters(talk, tmp_path, "a", [find_target("archive")], [WAV]).made
    x, rate = sf.read(made.file, always_2d=True, dtype="float32")
    assert rate == RATE and made.proof.passes and sf.info(made.file).subtype == "PCM_24"
    np.testing.assert_allclose(x.T, talk.samples, atol=2**-23)


def test_a_person_can_add_targets_and_is_told_what_is_wrong_with_them(tmp_path):
    (tmp_path / "targets.toml").write_text(
        '[own]\ntitle="Own"\nintegrated_lufs=-17.0\ntrue_peak_dbtp=-2.0\nrate=48000\nchannels=2\nbits=24\nkbps=128\n'
    )
    assert find_target("own", tmp_path).integrated_lufs == -17.0 and len(all_targets(tmp_path)) == len(read_targets()) + 1
    (tmp_path / "b").mkdir()
    (tmp_path / "b" / "targets.toml").write_text('[own]\ntitle="Own"\ntrue_peak_dbtp=-2.0\nrate=48000\nchannels=2\nbits=24\nkbps=128\n')
    with pytest.raises(DubbinError, match="no loudness to aim at"):
        all_targets(tmp_path / "b")


def test_formats_of_one_rate_and_ceiling_share_what_is_limited(talk, tmp_path, monkeypatch):
    """Short programs are not probed: both codecs take the same sound; WAV and FLAC another, under a higher ceiling."""
    made = []
    monkeypatch.setattr(master_module, "render", lambda s, path, *rest: made.append(path.name) or render(s, path, *rest))
    masters = make_masters(talk, tmp_path, "a", [find_target("podcast-stereo")], [WAV, FLAC, MP3, M4A]).made
    assert [m.format for m in masters] == [WAV, FLAC, MP3, M4A] and all(m.proof.passes for m in masters)
    assert made[0] == "program.f32" and len([n for n in made[1:] if not n.startswith("limited")]) == 2, "rendered at their rate at once"
    wav, flac = (sf.read(m.file)[0] for m in masters[:2])
    np.testing.assert_allclose(wav, flac, rtol=0, atol=4e-5)  # each with dither of its own


def test_what_will_come_of_a_target_is_known_before_it_is_made(talk, tmp_path):
    noisy = Sound(talk.samples + noise(talk.frames / RATE, -48, 3)[None, : talk.frames], RATE)
    figures = measure_program(noisy)
    audiobook = predict(figures, find_target("audiobook"))
    assert any("Noise floor" in p for p in audiobook.problems)
    podcast = predict(figures, find_target("podcast-stereo"))
    (made,) = make_masters(noisy, tmp_path, "a", [find_target("podcast-stereo")], [WAV]).made
    assert podcast.gain_db == pytest.approx(made.gain_db, abs=0.3) and not podcast.problems and made.reduction is not None
    assert podcast.reduction.deepest_db == pytest.approx(made.reduction.deepest_db, abs=0.5)
    peaky = Sound(np.where(np.arange(talk.frames) % RATE < 30, np.sign(talk.samples) * 0.9, talk.samples * 0.3).astype(np.float32), RATE)
    assert any("limiter" in text for text in predict(measure_program(peaky), find_target("streaming-loud")).advice)


def test_room_tone_is_put_before_and_after_without_a_step_and_the_same_in_blocks():
    x = np.concatenate([noise(1, -70, 1), noise(2, -20, 2), noise(1, -70, 3)])[None]
    source = Sound(x, RATE)
    tone = find_tone(source)
    assert 20 * np.log10(np.sqrt(np.mean(tone**2))) == pytest.approx(-70, abs=1)
    y = WithRoomTone(source, tone, RATE, -RATE // 2)
    whole = y.read(0, y.frames)
    assert y.frames == 4 * RATE + RATE // 2
    np.testing.assert_allclose(whole[:, RATE + 5000 : 2 * RATE], x[:, 5000:RATE], atol=1e-7)
    levels = 10 * np.log10(np.mean(whole[0, : 2 * RATE].reshape(-1, 2400) ** 2, axis=1))
    assert np.all(np.abs(levels + 70) < 2)
    parts = [y.read(a, min(a + 7777, y.frames)) for a in range(0, y.frames, 7777)]
    np.testing.assert_allclose(np.concatenate(parts, axis=1), whole, atol=1e-7)


# -- tags, chapters, cover --------------------------------------------------------------


@pytest.mark.parametrize("format", list(FORMATS.values()))
def test_tags_cover_and_chapters_are_read_back_by_another_library(format, tmp_path, picture):
    sound = Sound(np.stack([noise(20, -30, 1), noise(20, -30, 2)]), RATE)
    path = tmp_path / f"a.{format.name}"
    chapters = [(c.start_s, c.end_s, c.title) for c in PUBLICATION.file_chapters()]
    master_module.encode(sound, path, format, bits=16, kbps=96, chapters=chapters)
    publish(path, format, replace(PUBLICATION, cover=read_cover(picture)))
    assert read_tags(path, format) == ALL_TAGS
    with av.open(str(path)) as container:
        metadata = {**container.streams.audio[0].metadata, **container.metadata}
        assert {k.lower(): v for k, v in metadata.items()}["title"] == ALL_TAGS.title
        assert any(s.type == "video" for s in container.streams) or format is WAV  # the cover
        if format is not WAV:
            assert chapters_in(path) == [
                (0.0, "Begin – ü"),
                (4.0, "The <bell>"),
                (9.5, "Break: Advertisement"),
                (12.5, "End"),
            ]


def chapters_in(path) -> list[tuple[float, str]]:
    with av.open(str(path)) as container:
        return sorted((round(float(c["start"] * c["time_base"]), 2), c["metadata"]["title"]) for c in container.chapters())


@pytest.mark.parametrize("format", [FORMATS["mp3"], FORMATS["m4a"]])
def test_a_first_chapter_that_begins_later_begins_there_in_the_file(format, talk, tmp_path):
    what = Publication(Tags("Bells"), None, (Chapter(3.0, 8.0, "One"),), (Break(5.0, 1.0, "Ad"),), duration_s=talk.frames / RATE)
    (made,) = make_masters(talk, tmp_path, "a", [find_target("podcast-stereo")], [format], what).made
    found = chapters_in(made.file)
    assert found[-3:] == [(3.0, "One"), (5.0, "Break: Ad"), (6.0, "One (continued)")]
    assert found[:-3] == ([(0.0, "Bells")] if format.encoder_chapters else [])


def test_breaks_part_the_chapters_around_them_and_stand_alone_without_any():
    ads = (Break(2.0, 1.0, "a"), Break(5.0, 1.0, "b"))
    what = Publication(chapters=(Chapter(0.0, 6.0, "One"), Chapter(6.0, 9.0, "Two")), breaks=ads, duration_s=9.0)
    assert [(c.start_s, c.end_s, c.title) for c in what.file_chapters()] == [
        (0.0, 2.0, "One"), (2.0, 3.0, "Break: a"), (3.0, 5.0, "One (continued)"), (5.0, 6.0, "Break: b"), (6.0, 9.0, "Two"),
    ]  # fmt: skip
    alone = Publication(Tags("T"), breaks=(Break(0.0, 2.0, "a"),), duration_s=9.0)
    assert [(c.start_s, c.end_s, c.title) for c in alone.file_chapters()] == [(0.0, 2.0, "Break: a"), (2.0, 9.0, "T")]
    assert Publication(duration_s=9.0).file_chapters(from_zero=True) == ()


def test_a_variable_bit_rate_varies_and_the_master_passes_all_the_same(talk, tmp_path):
    target = [find_target("podcast-stereo")]
    (steady,) = make_masters(talk, tmp_path, "cbr", target, [MP3]).made
    (varied,) = make_masters(talk, tmp_path, "vbr", target, [MP3], vbr=True).made

    def sizes(path) -> set[int]:
        with av.open(str(path)) as container:
            return {p.size for p in container.demux(audio=0) if p.size}

    assert varied.proof.passes and len(sizes(varied.file)) > 4 > len(sizes(steady.file))


def test_a_wave_file_carries_its_markers_and_a_broadcast_description(talk, tmp_path):
    (made,) = make_masters(
        talk, tmp_path, "a", [find_target("broadcast-r128")], [WAV], replace(PUBLICATION, duration_s=talk.frames / RATE)
    ).made
    data = made.file.read_bytes()
    assert struct.unpack("<I", data[4:8])[0] == len(data) - 8
    assert [c.text for c in read_cues(made.file)] == ["Begin – ü", "a mark", "The <bell>", "Break: Advertisement", "End"]
    assert read_cues(made.file)[1].frame == 2 * made.proof.measured.sample_rate
    place = data.index(b"bext") + 8
    assert struct.unpack("<H", data[place + 346 : place + 348])[0] == 2
    assert struct.unpack("<h", data[place + 412 : place + 414])[0] == pytest.approx(-2300, abs=12)
    assert sf.info(made.file).frames == round(talk.frames)


def test_markers_are_added_to_a_file_above_four_gigabytes_too(tmp_path):
    path = tmp_path / "a.wav"
    sf.write(path, noise(1, -20), RATE, format="RF64", subtype="PCM_16")
    add_chunks(path, cue_chunks([Cue(4800, "here")]))
    data = path.read_bytes()
    if data[:4] == b"RF64":
        assert struct.unpack("<Q", data[20:28])[0] == len(data) - 8
    assert read_cues(path) == [Cue(4800, "here")] and sf.info(path).frames == RATE
    (tmp_path / "b.wav").write_bytes(b"no wave file at all")
    with pytest.raises(CannotWrite, match="no WAV"):
        add_chunks(tmp_path / "b.wav", b"")


def test_a_cover_is_looked_at_before_it_is_used(tmp_path, picture):
    from PIL import Image

    assert read_cover(picture).remarks == ()
    Image.new("RGB", (800, 600)).save(tmp_path / "small.png")
    remarks = " ".join(read_cover(tmp_path / "small.png").remarks)
    assert "square" in remarks and "1400" in remarks
    for name, body in (("text.jpg", b"hello"), ("cut.png", (tmp_path / "small.png").read_bytes()[:60])):
        (tmp_path / name).write_bytes(body)
        with pytest.raises(DubbinError, match="cover"):
            read_cover(tmp_path / name)
    Image.new("RGB", (1400, 1400)).save(tmp_path / "a.gif")
    with pytest.raises(DubbinError, match="JPEG or PNG"):
        read_cover(tmp_path / "a.gif")


# -- words and pages --------------------------------------------------------------------


def test_an_episode_publishes_on_the_clock_of_its_program():
    episode = Episode("e", "T", recordings=(Recording("a", "/a.wav", "f", 60 * RATE, RATE, 1),), lanes=(Lane("a", "a", (0,), "A"),))
    episode = replace(episode, cuts=(Cut(5 * RATE, 10 * RATE),))
    episode = add_chapter(episode, 0, "One").episode
    episode = add_chapter(episode, 30 * RATE, "Two").episode
    episode = insert_break(episode, 20 * RATE, 15 * RATE, "Ad", False, "b").episode
    what = publication_of(episode)
    assert [(c.start_s, c.title) for c in what.chapters] == [(0.0, "One"), (40.0, "Two")]
    assert [(b.start_s, b.length_s) for b in what.breaks] == [(15.0, 15.0)] and what.duration_s == 70.0
    assert json.loads(chapters_json(what))["chapters"][1] == {"startTime": 40.0, "endTime": 70.0, "title": "Two"}
    later = what.later(0.5, 70.5)
    assert later.chapters[0].start_s == 0.0 and later.chapters[1].start_s == 40.5 and later.breaks[0].start_s == 15.5


def test_companions_are_written_where_there_is_something_for_them(tmp_path):
    wanted = ("captions", "transcript", "chapters", "breaks", "notes")
    files = write_companions(PUBLICATION, tmp_path, "ep", "Bells & <co>", wanted)
    assert {p.name for p in files} == {
        "ep.srt", "ep.vtt", "ep.transcript.txt", "ep.transcript.html", "ep.transcript.json", "ep.chapters.json", "ep.chapters.txt", "ep.chapters.vtt", "ep.breaks.txt", "ep.notes.md",
    }  # fmt: skip
    page = (tmp_path / "ep.transcript.html").read_text()
    assert "<script>" not in page and "Ines &lt;script&gt;" in page and "The &lt;bell&gt;" in page
    assert "00:00:09.500\t3.000 s\tAdvertisement" in (tmp_path / "ep.breaks.txt").read_text()
    assert write_companions(Publication(), tmp_path, "none", "x", wanted) == []


def test_notes_find_what_was_talked_about_and_say_that_they_are_a_draft():
    found = sentences(SAID)
    assert len(found) == 3 and found[1].speaker == "Tobias"
    assert "bell" in " ".join(key_phrases(found)[:3])
    notes = draft_notes(PUBLICATION, "Bells")
    assert "Draft" in notes and "- 00:00:04 The \\<bell>" in notes and re.search(r"## In short\n\n.*bell", notes)


def test_a_proof_sheet_stands_alone_and_shows_every_rule(talk, tmp_path):
    order = Order("ep", "A & B <x>", (find_target("podcast-stereo"), find_target("broadcast-r128-short")), (WAV,), PUBLICATION, ("proof", "chapters"),
                  work=(("Treatments", (("Ines", "Denoise", "80 %"),)),))  # fmt: skip
    done = deliver(talk, tmp_path, order)
    names = {p.name for p in done.files}
    assert "ep.podcast-stereo.wav.proof.html" in names and "ep.podcast-stereo.wav.proof.pdf" in names and "ep.chapters.json" in names
    page = (tmp_path / "ep.podcast-stereo.wav.proof.html").read_text()
    assert "A &amp; B &lt;x&gt;" in page and "http" not in re.sub(r"http://www.w3.org[^\"]*", "", page)
    for rule in done.masters[0].proof.rules:
        assert rule.name in page and rule.found.split()[0] in page
    assert done.masters[0].proof.measured.sha256 in page and "Denoise" in page and page.count("<svg") == 2
    pdf = (tmp_path / "ep.podcast-stereo.wav.proof.pdf").read_bytes()
    assert pdf.startswith(b"%PDF") and len(pdf) > 5000
    short = next(m for m in done.masters if m.proof.target == "broadcast-r128-short")
    assert {"Short-term loudness", "True peak", "Integrated loudness"} <= {r.name for r in short.proof.rules}


# -- parts of the program ---------------------------------------------------------------


def test_stems_add_up_to_the_program(tmp_path):
    recordings = tuple(Recording(n, f"/{n}.wav", n, 6 * RATE, RATE, 1) for n in "abm")
    lanes = (Lane("a", "a", (0,), "Ines", pan=-40.0), Lane("b", "b", (0,), "Tobias"), Lane("m", "m", (0,), "Theme", master_role()))
    episode = Episode("e", recordings=recordings, lanes=lanes, cuts=(Cut(RATE, 2 * RATE), Cut(3 * RATE, 4 * RATE)))
    sounds = {
        lane.id: lane_sound(lane, Sound(noise(6, -20, k)[None], RATE), recorded_key(lane.id, RATE, 1), MemoryTileCache())
        for k, lane in enumerate(lanes)
    }
    whole = program_of(episode, sounds)
    stems = stem_programs(episode, sounds, Balance())
    assert list(stems) == ["Ines", "Tobias", "Music"]
    total = sum(s.read(0, s.frames) for s in stems.values())
    np.testing.assert_allclose(total, whole.read(0, whole.frames), atol=1e-6)
    files = write_stems(stems, tmp_path, "ep")
    assert [p.name for p in files] == ["ep.stem.ines.wav", "ep.stem.tobias.wav", "ep.stem.music.wav"]
    for path, source in zip(files, stems.values(), strict=True):
        x, rate = sf.read(path, always_2d=True)
        np.testing.assert_allclose(x.T, source.read(0, source.frames), atol=2**-22)
        body = path.read_bytes()
        at = body.index(b"bext") + 8
        description, originator = (body[a:b].rstrip(b"\0").decode() for a, b in ((at, at + 256), (at + 256, at + 288)))
        assert description.startswith("ep: ") and originator == "Dubbin" and rate == RATE
        assert struct.unpack("<QH", body[at + 338 : at + 348]) == (0, 2)  # all begin at the same frame; version 2
    assert not [p for p in tmp_path.iterdir() if p not in files]


def master_role():
    from dubbin.core.episode.model import Role

    return Role.MUSIC


def test_a_clip_is_a_stretch_with_its_words(talk):
    clip = Clip(talk, RATE, 3 * RATE)
    y = clip.read(0, clip.frames)
    assert clip.frames == 2 * RATE and np.abs(y[:, 0]).max() < 0.01
    np.testing.assert_array_equal(y[:, 1000:-1000], talk.samples[:, RATE + 1000 : 3 * RATE - 1000])
    order = clip_order(Order("ep", "T", (), (), PUBLICATION), 6.0, 11.0)
    assert order.publication.words[0].start_s == pytest.approx(0.0) and all(w.speaker == "Tobias" for w in order.publication.words)
    assert "clip" in order.name


def test_a_cover_in_memory_is_what_was_on_disk(picture):
    from PIL import Image

    cover = read_cover(picture)
    assert Image.open(io.BytesIO(cover.data)).size == (cover.width, cover.height)
