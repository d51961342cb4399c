"""The command line as others may rely on it: exit codes, one JSON document, no half files."""

from __future__ import annotations

import json
import os
import stat
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from dubbin.cli.main import main
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.speech.known_voices import KnownVoices
from dubbin.core.speech.speaker_encoder import SIZE
from dubbin.core.speech.transcribe import Transcription
from dubbin.core.speech.transcript import Transcript, Word
from tests.conftest import RATE, noise, rms_db


@pytest.fixture(autouse=True)
def home(tmp_path, monkeypatch):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))


@pytest.fixture
def talk(tmp_path, speech) -> Path:
    x = np.concatenate([speech[: 6 * RATE], np.zeros(2 * RATE), speech[6 * RATE : 12 * RATE]])
    sf.write(tmp_path / "talk.wav", x + noise(14, -55)[: len(x)], RATE, subtype="PCM_24")
    return tmp_path / "talk.wav"


def run(capsys, *args) -> tuple[int, dict]:
    code = main([str(a) for a in args])
    captured = capsys.readouterr()
    assert "Traceback" not in captured.err
    return code, json.loads(captured.out) if captured.out.startswith("{") else {
        "text": captured.out,
        "err": captured.err,
    }


def test_check_reports_the_promised_keys(capsys, talk):
    code, out = run(capsys, "check", talk, "--json")
    (entry,) = out["files"]
    assert code == 0 and entry["sample_rate"] == RATE and entry["duration_s"] == pytest.approx(14.0, abs=0.01)
    assert set(entry["loudness"]) == {"integrated_lufs", "range_lu", "max_momentary_lufs", "max_short_term_lufs",
                                      "true_peak_dbtp", "sample_peak_dbfs"}  # fmt: skip
    assert entry["noise"]["floor_dbfs"] == pytest.approx(-55, abs=1.5)
    assert any(s["treatment"] == "denoise" for s in entry["suggested"])


def test_a_whine_is_told_and_taken_out(capsys, talk, tmp_path):
    x = sf.read(talk, dtype="float32")[0]
    whine = 10 ** (-58 / 20) * np.sqrt(2) * np.sin(2 * np.pi * 3000.0 * np.arange(len(x)) / RATE)
    sf.write(tmp_path / "whine.wav", x + whine, RATE, subtype="PCM_24")
    _, out = run(capsys, "check", tmp_path / "whine.wav", "--json")
    (entry,) = out["files"]
    assert entry["tones"]["frequencies_hz"] == pytest.approx([3000.0], abs=0.05)
    assert entry["tones"]["levels_dbfs"] == pytest.approx([-58.0], abs=0.5) and entry["hum"]["present"] is False
    assert next(s for s in entry["suggested"] if s["treatment"] == "dehum")["because"].startswith("steady tone at 3000 Hz")
    _, out = run(capsys, "clean", tmp_path / "whine.wav", "-o", tmp_path / "c.wav", "--treat", "dehum", "--json")
    (done,) = out["treatments"]
    assert done["before"]["hum_dbfs"] == pytest.approx(-58.0, abs=0.5) and done["after"]["hum_dbfs"] is None
    assert rms_db(sf.read(tmp_path / "c.wav")[0] - x) < -70


def test_clean_keeps_length_and_alignment_and_writes_what_was_removed(capsys, talk, tmp_path):
    code, out = run(
        capsys,
        "clean",
        talk,
        "-o",
        tmp_path / "c.wav",
        "--treat",
        "denoise=80",
        "--removed",
        tmp_path / "r.wav",
        "--json",
    )
    x, y, r = (sf.read(p, dtype="float32")[0] for p in (talk, tmp_path / "c.wav", tmp_path / "r.wav"))
    assert code == 0 and len(x) == len(y) == len(r)
    np.testing.assert_allclose(y + r, x, atol=1e-6)
    (entry,) = out["treatments"]
    assert entry["strength"] == 80 and entry["after"]["floor_dbfs"] < entry["before"]["floor_dbfs"] - 8
    assert out["realtime_factor"] > 0


def test_clean_at_strength_zero_is_the_recording(capsys, talk, tmp_path):
    run(capsys, "clean", talk, "-o", tmp_path / "c.wav", "--treat", "denoise=0")
    np.testing.assert_array_equal(sf.read(talk, dtype="float32")[0], sf.read(tmp_path / "c.wav", dtype="float32")[0])


def test_pauses_are_found_and_taken_out(capsys, talk, tmp_path):
    code, out = run(capsys, "pauses", talk, "-o", tmp_path / "p.wav", "--longer-than", "0.5", "--json")
    assert code == 0 and out["count"] == len(out["cuts"]) >= 1
    taken = sum(c["end_s"] - c["start_s"] for c in out["cuts"])
    assert out["edited_s"] == pytest.approx(out["duration_s"] - taken, abs=1e-6)
    assert sf.info(tmp_path / "p.wav").duration == pytest.approx(out["edited_s"], abs=1e-3)
    for c in out["cuts"]:
        assert c["pause_start_s"] <= c["start_s"] < c["end_s"] <= c["pause_end_s"]


def test_master_then_proof(capsys, talk, tmp_path):
    code, out = run(capsys, "master", talk, "-o", tmp_path / "m", "--target", "podcast-mono", "--format", "mp3", "--json")
    (master,) = out["masters"]
    assert code == 0 and master["pass"] and master["format"] == "mp3"
    assert sorted(p.rsplit(".", 1)[1] for p in out["files"]) == ["html", "pdf"], "a proof sheet is made unless it is switched off"
    assert run(capsys, "master", talk, "-o", tmp_path / "n", "--target", "podcast-mono", "--no-proof", "--json")[1]["files"] == []
    assert run(capsys, "proof", master["file"], "--target", "podcast-mono", "--json")[1]["pass"]
    code, out = run(capsys, "proof", talk, "--target", "podcast-mono", "--json")
    assert code == 1 and not out["pass"] and out["problems"]


def test_words_are_written_down_in_every_form(capsys, talk, tmp_path):
    code, out = run(capsys, "transcribe", talk, "-o", tmp_path / "talk.vtt", "--json", "--quiet")
    assert code == 0 and out["language"] == "en"
    assert {"text", "start_s", "end_s", "speaker", "kind", "confidence"} <= set(out["words"][0])
    assert {w["kind"] for w in out["words"]} <= {"word", "filler", "sound"}
    words = [w for w in out["words"] if w["kind"] == "word"]
    assert any("ferry" in w["text"].lower() for w in words) and all(w["start_s"] < w["end_s"] for w in words)
    assert (tmp_path / "talk.vtt").read_text().startswith("WEBVTT")
    (tmp_path / "lines.txt").write_text(" ".join(w["text"] for w in words[:8]))
    code, out = run(capsys, "transcribe", talk, "-o", tmp_path / "talk.json", "--text", tmp_path / "lines.txt", "--quiet")
    assert code == 0 and len(json.loads((tmp_path / "talk.json").read_text())["words"]) >= 8


def test_names_and_language_are_what_a_person_says(capsys, talk):
    code, out = run(
        capsys, "transcribe", talk, "--json", "--quiet", "--model", "quick", "--language", "EN-gb", "--names", " Ines  Calder, Slow Ferry,"
    )
    text = " ".join(w["text"] for w in out["words"])
    assert code == 0 and "Ines Calder" in text and "Slow Ferry" in text


def test_the_models_are_told_with_their_speed_and_errors(capsys):
    assert main(["transcribe", "--help"]) == 0
    text = " ".join(capsys.readouterr().out.split())
    assert "quick (English; " in text and "thorough (99 languages; " in text and "% of the demo's words wrong" in text


@pytest.mark.parametrize("named_by_text", [False, True])
def test_speakers_that_are_told_apart_get_remembered_names_and_names_of_a_text_stay(talk, capsys, tmp_path, monkeypatch, named_by_text):
    words = tuple(Word(t, k * RATE, k * RATE + RATE // 2, speaker=k % 2) for k, t in enumerate(("Good", "morning.")))
    heard = Transcription(Transcript("one", words, "en", speakers=("Speaker 1", "Speaker 2"), together=((RATE, RATE * 3 // 2),)), None)
    monkeypatch.setattr("dubbin.cli.speech_commands.transcribe_with", lambda *_, **__: heard)
    monkeypatch.setattr("dubbin.core.speech.known_voices.voice_point", lambda source, spans, task=None: None)
    monkeypatch.setattr(KnownVoices, "names_of", lambda self, points: ["Ines", None])
    KnownVoices(tmp_path / "home" / "state").remember("Ines", np.eye(1, SIZE, dtype=np.float32)[0])
    (tmp_path / "lines.txt").write_text("Somebody: Good\nAnother: morning.")
    text = ("--text", tmp_path / "lines.txt") if named_by_text else ("--speakers", "2")
    code, out = run(capsys, "transcribe", talk, "--json", "--quiet", *text)
    assert code == 0 and {w["speaker"] for w in out["words"]} == {"Speaker 1" if named_by_text else "Ines", "Speaker 2"}
    (place,) = out["overlaps"]
    assert 0.9 < place["start_s"] < place["end_s"] and place["end_s"] == pytest.approx(1.5 * place["start_s"])
    assert main(["transcribe", str(talk), "--quiet", "-o", str(tmp_path / "said.txt"), *map(str, text)]) == 0
    assert "2 speakers, two at once in 1 place" in capsys.readouterr().out


@pytest.mark.parametrize("args,code", [
    (("transcribe", "talk.wav", "--model", "no-such-model"), 1), (("transcribe", "talk.wav", "--language", "xx"), 2),
    (("transcribe", "talk.wav", "-o", "talk.doc"), 1), (("transcribe", "talk.wav", "--model", "."), 1), (("transcribe", "none.wav"), 1),
    (("transcribe", "talk.wav", "--text", "none.srt"), 1), (("transcribe", "talk.wav", "--speakers", "20"), 2), (("edits", "none.dubbin", "-o", "a.edl"), 1),
    (("edits", "none.dubbin", "-o", "a.edl", "--fps", "0"), 2), (("edits", "none.dubbin", "-o", "a.edl", "--fps", "-5"), 2), (("edits", "none.dubbin", "-o", "a.edl", "--fps", "nan"), 2),
])  # fmt: skip
def test_words_that_cannot_be_had_are_a_sentence(capsys, talk, tmp_path, monkeypatch, args, code):
    monkeypatch.chdir(tmp_path)
    before = set(tmp_path.iterdir())
    assert run(capsys, *args)[0] == code
    assert {p for p in set(tmp_path.iterdir()) - before if p.name != "home"} == set()


def test_an_edit_is_written_for_other_programs(capsys, demo, tmp_path):
    files = [tmp_path / f"e{ending}" for ending in (".otio", ".edl", ".csv", ".txt")]
    code, _ = run(capsys, "edits", demo, "-o", *files)
    assert code == 0 and all(f.is_file() for f in files)
    assert files[2].read_text().splitlines()[0].startswith("recording,voice,source_start_s")
    assert run(capsys, "edits", demo, "-o", tmp_path / "e.doc")[0] == 1


def test_a_voice_is_set_by_what_it_asks_for_or_a_starting_point(capsys, talk, tmp_path):
    code, out = run(capsys, "voice", talk, "-o", tmp_path / "v.wav", "--json", "--quiet")
    assert code == 0 and {t["name"] for t in out["treatments"]} >= {"equalise", "compress"}
    assert out["after"]["crest_db"] < out["before"]["crest_db"] and sf.info(tmp_path / "v.wav").frames == sf.info(talk).frames
    code, out = run(capsys, "voice", talk, "-o", tmp_path / "w.flac", "--preset", "close", "--json", "--quiet")
    assert code == 0 and out["preset"] == "close"
    assert run(capsys, "voice", talk, "-o", tmp_path / "x.wav", "--preset", "nobody", "--quiet")[0] == 2


def test_targets_are_listed(capsys):
    targets = run(capsys, "targets", "--json")[1]["targets"]
    assert {"name", "title", "integrated_lufs", "tolerance_lu", "true_peak_dbtp"} <= set(targets[0])
    lines = run(capsys, "targets")[1]["text"].splitlines()
    assert len(lines) == len(targets) and len({line.index(" dBTP") for line in lines}) == 1, "in columns"
    assert all("-" not in line.split(" dBTP")[0].split(maxsplit=1)[1] for line in lines), "with true minus signs"


@pytest.mark.parametrize("args", [["nonsense"], ["clean", "a.wav"], ["clean", "a.wav", "-o", "b.wav", "--treat", "magic"],
                                  ["clean", "a.wav", "-o", "b.wav", "--treat", "denoise=900"], ["pauses", "a.wav", "--longer-than", "-4"]])  # fmt: skip
def test_wrong_usage_is_exit_2(capsys, args):
    assert main(args) == 2


@pytest.mark.parametrize("command", [["check"], ["clean", "-o", "{out}"], ["pauses", "-o", "{out}"], ["proof", "--target", "podcast-mono"],
                                     ["master", "-o", "{folder}", "--target", "podcast-mono"]])  # fmt: skip
@pytest.mark.parametrize("kind", ["missing", "empty", "text", "nan", "silent", "short", "eight", "8k"])
def test_bad_input_gives_a_sentence_or_a_result_and_no_half_file(capsys, tmp_path, command, kind):
    path = tmp_path / f"{kind}.wav"
    x = noise(2, -20)
    sounds = {
        "nan": np.full(RATE, np.nan),
        "silent": np.zeros(2 * RATE),
        "short": x[:960],
        "eight": np.tile(x[:, None], 8),
        "8k": x,
    }
    if kind in sounds:
        sf.write(path, sounds[kind], 8000 if kind == "8k" else RATE, subtype="FLOAT")
    elif kind == "empty":
        path.touch()
    elif kind == "text":
        path.write_text("no sound")
    out = tmp_path / "out"
    out.mkdir()
    filled = [a.format(out=out / "o.wav", folder=out) for a in command]
    code = main([filled[0], str(path), *filled[1:]])
    captured = capsys.readouterr()
    assert code in (0, 1)
    if kind in ("missing", "empty", "text"):
        assert code == 1
        assert captured.err.startswith("dubbin: ") and captured.err.count("\n") == 1
    assert "Traceback" not in captured.err and "error of the program" not in captured.err
    assert not [p for p in out.rglob("*") if ".part" in p.name or p.name.startswith(".")]
    if code == 0 and (out / "o.wav").exists():
        assert np.isfinite(sf.read(out / "o.wav")[0]).all()


def test_an_input_is_never_written_over(capsys, talk):
    before = talk.read_bytes()
    assert main(["clean", str(talk), "-o", str(talk), "--treat", "denoise"]) == 1
    assert talk.read_bytes() == before


@pytest.mark.skipif(os.geteuid() == 0, reason="root may write anywhere")
def test_a_folder_that_forbids_writing_is_said(capsys, talk, tmp_path):
    locked = tmp_path / "locked"
    locked.mkdir()
    locked.chmod(stat.S_IRUSR | stat.S_IXUSR)
    assert main(["clean", str(talk), "-o", str(locked / "a.wav"), "--treat", "denoise"]) == 1


def test_the_demo_builds_without_a_window_and_masters(capsys, demo, tmp_path):
    assert main(["demo", "--dir", str(demo.parent), "--no-window"]) == 0
    assert capsys.readouterr().out.strip() == str(demo)


def test_without_a_display_it_says_how(tmp_path):
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run([sys.executable, "-m", "dubbin"], env=env, capture_output=True, text=True, timeout=60)
    assert done.returncode == 1 and "xvfb-run" in done.stderr and done.stderr.count("\n") == 1


def test_what_is_asked_often_brings_in_nothing_heavy(tmp_path):
    """Scripts ask for the targets again and again; a tenth of a second is the sound library's, seconds would be those of others."""
    code = "import sys; from dubbin.cli.main import main; main(['targets', '--json']); print(sorted({m.split('.')[0] for m in sys.modules}), file=sys.stderr)"
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, timeout=60, env={**os.environ, "DUBBIN_HOME": str(tmp_path)}
    )
    assert done.returncode == 0 and json.loads(done.stdout)["targets"]
    assert not {"'scipy'", "'numba'", "'av'", "'PyQt6'", "'onnxruntime'"} & set(done.stderr.strip("[]\n").split(", "))


def test_passages_of_an_episode_are_listed_and_made(capsys, demo, tmp_path, monkeypatch):
    episode = load_episode(demo)
    lane = episode.session_voices[0]
    text = (
        "Why does the bronze bell ring? The bronze bell rings because bronze rings. Nobody hears the bronze bell but the founder of bells."
    )
    words = tuple(Word(t, (5 + k) * RATE, (5 + k) * RATE + RATE // 2) for k, t in enumerate(text.split()))
    save_episode(set_transcript(episode, Transcript(lane.id, words)).episode, demo)
    code, out = run(capsys, "clips", demo, "--json")
    assert code == 0 and out["passages"] and out["passages"][0]["reasons"]
    assert "bronze" in run(capsys, "clips", demo)[1]["text"]
    code, out = run(capsys, "clips", demo, "-o", tmp_path / "c", "--most", "1", "--format", "mp3", "--target", "podcast-mono", "--json")
    (master,) = out["masters"]
    assert code == 0 and master["pass"] and ".clip-" in master["file"] and any(f.endswith(".srt") for f in out["files"])
    save_episode(episode, demo)
    code, out = run(capsys, "clips", demo, "-o", tmp_path / "d")
    assert code == 1 and "no passages" in out["err"]
