"""What all tests share: a home of their own, made signals, and the demo built once."""

from __future__ import annotations

import fcntl
import gc
import json
import os
import shutil
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import soundfile as sf

from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Role
from dubbin.core.jobs import Task
from dubbin.core.sound.working_copy import WorkingCopies

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia.*=false;qt.qpa.*=false")

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from dubbin.core.folders import Folders
from dubbin.core.sound.source import Sound

pytest_plugins = ("tests.crashes", *(("tests.turns",) if "DUBBIN_TURNS" in os.environ else ()))
RATE = 48000
KEPT_FRAMES = 20 * RATE  # of noise that tests ask for again and again
SOAK = int(os.environ.get("DUBBIN_SOAK", "1"))  # how many times as many cases are tried by tests that try things by chance
TOLD = "told of the demo.json"  # how far it was while it was built

SEED = int(os.environ.get("DUBBIN_SEED", "0"))  # where their chance begins

MUTANTS = (
    "DUBBIN_MUTANTS" in os.environ
)  # tests are tested: over and over in one process, the same each time, and no longer than it takes to notice
settings.register_profile("dubbin", deadline=None, max_examples=60 * SOAK)  # no deadline: the first call of a compiled loop takes a second
settings.register_profile(
    "mutants", deadline=None, suppress_health_check=list(HealthCheck), derandomize=True, database=None, max_examples=40
)
settings.load_profile("mutants" if MUTANTS else "dubbin")


# Files whose tests take longest, in this order, begin first: so no process is left alone with one of them at the end. Of the first three only one asks for the demo,
# for which the others would have to wait.
LONGEST = (
    "test_everybody", "test_package", "test_repairs", "test_run_card", "test_session", "test_shell", "test_voice_page", "test_master_page",
    "test_whole_path", "test_pieces", "test_cluster", "test_command_line", "test_intake_and_repair", "test_killed", "test_denoise", "test_new_treatment",
    "test_window_walk", "test_silent_folder", "test_delivery", "test_pictures", "test_alone", "test_alignment", "test_journal", "test_translated",
    "test_voice_names", "test_recognising", "test_hearing_again",
)  # fmt: skip


def pytest_collection() -> None:
    gc.disable()  # of what is imported nothing is unused


def pytest_collection_finish() -> None:
    """What was imported and collected stays until the end: nobody need look through it for what is unused again and again."""
    gc.collect()
    gc.freeze()
    gc.enable()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    place = {name: k for k, name in enumerate(LONGEST)}
    items.sort(key=lambda item: place.get(item.path.stem, len(LONGEST)))


def at_length(*cases: object) -> tuple[object, ...]:
    """Cases that are tried where there is time for them: with `DUBBIN_SOAK`, as `./scripts/soak` does once for all tests."""
    return cases if SOAK > 1 else ()


@pytest.fixture
def folders(tmp_path: Path) -> Folders:
    return Folders(tmp_path / "cache", tmp_path / "state", tmp_path / "documents")


@pytest.fixture(scope="session")
def among_all(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for what all processes of a run share."""
    base = tmp_path_factory.getbasetemp()
    return base.parent if "PYTEST_XDIST_WORKER" in os.environ else base


def made_once(folder: Path, make: Callable[[Path], None]) -> Path:
    """A folder that one process of a run makes; the others wait for it. make: fills the folder that it is given."""
    with open(folder.with_suffix(".lock"), "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        done = folder.with_suffix(".done")
        if not done.exists():
            shutil.rmtree(folder, ignore_errors=True)
            folder.mkdir()
            make(folder)
            done.touch()
    return folder


@pytest.fixture(scope="session")
def demo_folder(among_all: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo episode, built once; not to be changed. Beside it lie each voice as it was before it was recorded, (frames,) float32, and what was told of how
    far it is."""

    def make(folder: Path) -> None:
        from dubbin.demo import episode
        from dubbin.demo.recordings import DemoSounds

        def kept_sounds(*arguments) -> DemoSounds:
            sounds = build_sounds(*arguments)
            for voice, x in sounds.clean.items():
                np.save(among_all / f"clean {voice}.npy", x.astype(np.float32))
            return sounds

        build_sounds = episode.build_sounds
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(episode, "build_sounds", kept_sounds)
            told: list[float] = []
            episode.build_demo(folder, WorkingCopies(tmp_path_factory.mktemp("copies")), Task(told.append))
            (among_all / TOLD).write_text(json.dumps(told))

    return made_once(among_all / "demo", make)


@pytest.fixture
def demo(demo_folder: Path, tmp_path: Path) -> Path:
    """A demo episode of one's own."""
    shutil.copytree(demo_folder, tmp_path / "demo")
    return tmp_path / "demo" / "the-slow-ferry.dubbin"


@pytest.fixture(scope="session")
def speech() -> np.ndarray:
    """Twenty seconds of clean demo speech at 48 kHz with silence between the lines: (frames,) float32."""
    from dubbin.demo.recordings import clean_lines

    parts = [p for x in clean_lines()[:7] for p in (x, np.zeros(RATE // 2))]
    return np.concatenate(parts)[: 20 * RATE].astype(np.float32)


def tone(frequency_hz: float, seconds: float, level_dbfs: float = 0.0, rate: int = RATE, channels: int = 1) -> Sound:
    n = np.arange(round(seconds * rate))
    x = 10 ** (level_dbfs / 20) * np.sin(2 * np.pi * frequency_hz * n / rate)
    return Sound(np.tile(x.astype(np.float32), (channels, 1)), rate)


def noise(seconds: float, level_dbfs: float, seed: int = 0, rate: int = RATE) -> np.ndarray:
    """White noise, (frames,) float32; the same each time, and one's own."""
    made = _normal if seconds * rate <= KEPT_FRAMES else _normal.__wrapped__
    return (made(round(seconds * rate), seed) * 10 ** (level_dbfs / 20)).astype(np.float32)


@lru_cache(maxsize=8)
def _normal(count: int, seed: int) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(count)


def joined(*sounds: Sound) -> Sound:
    return Sound(np.concatenate([s.samples for s in sounds], axis=1), sounds[0].rate)


def rms_db(x: np.ndarray) -> float:
    return float(10 * np.log10(np.mean(np.square(x, dtype=np.float64)) + 1e-30))


@pytest.fixture(scope="session")
def little_folder(tmp_path_factory) -> Path:
    """Two microphones, half a minute of next to nothing: measured in no time."""
    folder = tmp_path_factory.mktemp("little")
    copies = WorkingCopies(folder / "cache")
    rng = np.random.default_rng(5)
    for name in ("host", "guest"):
        sf.write(folder / f"{name}.wav", (0.05 * rng.standard_normal(30 * 48000)).astype(np.float32), 48000)
    taken = [import_file(folder / f"{name}.wav", copies, 48000) for name in ("host", "guest")]
    lanes = [replace(t.lanes[0], role=Role.VOICE) for t in taken]
    save_episode(add_recordings(new_episode(), [t.recording for t in taken], lanes).episode, folder / "little.dubbin")
    shutil.rmtree(folder / "cache")
    return folder


@pytest.fixture
def little(little_folder, tmp_path) -> Path:
    """A small episode of one's own."""
    shutil.copytree(little_folder, tmp_path / "little")
    return tmp_path / "little" / "little.dubbin"
