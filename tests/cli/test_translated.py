"""The command line in a made-up language, in which every text stands in brackets: no text is taken for the name of something, and none is English."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from dataclasses import replace

import pytest

from dubbin.core.deliver.companions import COMPANIONS
from dubbin.core.episode.commands.arrangement import insert_break
from dubbin.core.episode.commands.markers import add_chapter
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.speech.transcript import Transcript, Word
from tests.conftest import RATE
from tests.window.test_translated import brackets

CODE = "import json, sys; from dubbin.cli.main import main; print([main(c) for c in json.loads(sys.argv[1])])"
# Units, names of files, standards and targets.
SAME = re.compile(
    r"[\d\W_]|\b(LUFS|LU|dB|dBTP|dBFS|RMS|EQ|Host|Guest|wav|flac|mp3|dubbin)\b|\S+[/.]\S+|^[a-z]+-\S+|^(audiobook|archive)\b|(?<=  )podcast-stereo\b"
)


@pytest.fixture
def spoken(little):
    """Half a minute in which something is said, with a chapter and a break."""
    episode = load_episode(little)
    words = tuple(
        Word(text, k * RATE, k * RATE + RATE // 2)
        for k, text in enumerate(["Good", "evening", "and", "welcome", "to", "the", "harbour."], 2)
    )
    episode = set_transcript(episode, Transcript(episode.lanes[0].id, words, "en")).episode
    episode = add_chapter(episode, RATE, "The harbour").episode
    episode = insert_break(episode, 10 * RATE, RATE, "b", "Pause").episode
    save_episode(replace(episode, delivery=replace(episode.delivery, formats=("wav",), extras=())), little)
    return little


def without_brackets(line: str) -> str:
    while line != (line := re.sub("⟦[^⟦⟧]*⟧", "", line)):
        pass
    return line


def test_whatever_is_asked_for_is_made_and_said_in_the_language(spoken, tmp_path):
    brackets(tmp_path / "home" / "state" / "translations" / "xx.mo")
    out, host = tmp_path / "out", spoken.with_name("host.wav")
    to_podcast = ["--target", "podcast-stereo", "--quiet"]
    commands = [
        ["master", spoken, "-o", out, *to_podcast, "--no-proof", "--extra", "captions", "transcript", "chapters", "breaks", "notes"],
        ["master", host, "-o", tmp_path / "alone", *to_podcast, "--no-proof", "--extra", "captions"],
        ["proof", out / "little.podcast-stereo.wav", "--target", "podcast-stereo"], ["targets"], ["voice", host, "-o", tmp_path / "voice.wav", "--quiet"],
        ["batch", spoken, "-o", tmp_path / "batch", "--quiet"],
    ]  # fmt: skip
    environment = {**os.environ, "DUBBIN_HOME": str(tmp_path / "home"), "LANGUAGE": "xx"}
    plain = json.dumps([[str(word) for word in command] for command in commands])
    done = subprocess.run([sys.executable, "-c", CODE, plain], env=environment, capture_output=True, text=True, timeout=240, check=True)
    *lines, codes = done.stdout.splitlines()
    assert codes == str([0] * len(commands)), done.stderr
    endings = [ending for companion in COMPANIONS[1:] for ending in companion.endings]
    assert [ending for ending in endings if not (out / f"little{ending}").exists()] == []
    assert [line for line in lines if SAME.sub("", without_brackets(line.replace(str(tmp_path), "/")))] == [] and "⟦passes⟧" in done.stdout
    assert "⟦⟦Captions⟧: there are no ⟦words⟧ to make them of.⟧" in done.stderr and "⟦Chapters⟧: there" not in done.stderr
