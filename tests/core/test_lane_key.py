"""What a lane's sound depends on: whatever changes the sound changes the key, and nothing else does; and all faces find the same tiles."""

from __future__ import annotations

from dataclasses import fields, replace

import numpy as np
import pytest
import soundfile as sf

from dubbin.cli.main import main
from dubbin.core.episode.balance_settings import Bed, BleedControl, Ducking, Levelling, LinePoint
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.commands.treatments import change_use
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Cover, Episode, FrameRange, Lane, Recording, Role, TreatmentUse
from dubbin.core.folders import Folders
from dubbin.core.mix.lane_key import lane_key, recorded_key
from dubbin.core.mix.lane_sound import lane_sound
from dubbin.core.mix.render import episode_sounds
from dubbin.core.sound.source import Sound
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.treat.tiles import DiskTileCache, MemoryTileCache
from dubbin.core.treat.touch_up import Spot
from tests.conftest import RATE, noise

DENOISE = TreatmentUse("denoise", True, 80, {"engine": "statistical"})
LANE = Lane("l", "r", (0,), "Ines", repairs=(DENOISE,), voice_chain=(TreatmentUse("equalise", True, 100, {"bell3_db": 6.0}),))
# Another value for every field of a lane; and whether it is heard in the lane's own sound.
CHANGED: dict[str, tuple[object, bool]] = {
    "id": ("m", False), "recording": ("s", False), "channels": ((1,), True), "voice": ("Tobias", False), "role": (Role.MUSIC, False),
    "start_frame": (480, False), "repairs": ((replace(DENOISE, strength=30),), True), "touch_ups": ((Spot(0.2, 0.5, 300, 3000, 18.0),), True),
    "voice_chain": ((TreatmentUse("equalise", True, 50, {"bell3_db": 6.0}),), True), "voice_strength": (40, True),
    "covers": ((Cover(4800, 9600),), True), "level_db": (-6.0, False), "pan": (30.0, False), "invert": (True, False), "mute": (True, False),
    "solo": (True, False), "fade_in_frames": (480, False), "fade_out_frames": (480, False), "line": ((LinePoint(0, -3.0),), False),
    "levelling": (Levelling(True), False), "bleed": (BleedControl(True), False), "bed": (Bed(), False), "ducking": (Ducking(False), False),
}  # fmt: skip


@pytest.fixture(scope="module")
def recording(request):
    speech = request.getfixturevalue("speech")[: 2 * RATE]
    return Sound(np.stack([speech + noise(2, -50), 0.5 * speech]), RATE)


def episode_with(lane: Lane) -> Episode:
    recordings = tuple(Recording(id, "x.wav", "f" * 48, 2 * RATE, RATE, 2) for id in ("r", "s"))
    return Episode("e", recordings=recordings, lanes=(lane,))


def treated(lane: Lane, recording: Sound) -> np.ndarray:
    key = lane_key(episode_with(lane), lane)
    return lane_sound(lane, recording, key, MemoryTileCache()).treated.read(0, recording.frames)


def test_every_field_of_a_lane_is_looked_at_here():
    assert set(CHANGED) == {f.name for f in fields(Lane)}


@pytest.mark.parametrize("name", CHANGED)
def test_the_key_changes_with_the_sound_and_only_with_it(name, recording):
    value, is_heard = CHANGED[name]
    other = replace(LANE, **{name: value})
    same_key = lane_key(episode_with(LANE), LANE) == lane_key(episode_with(other), other)
    same_sound = np.array_equal(treated(LANE, recording), treated(other, recording))
    assert same_key == same_sound == (not is_heard)


def test_what_is_switched_off_has_no_say():
    off = replace(LANE, repairs=(*LANE.repairs, TreatmentUse("dehum", False, 70)))
    assert lane_key(episode_with(off), off) == lane_key(episode_with(LANE), LANE)


# -- tiles ------------------------------------------------------------------------------


def tiles_in(folders: Folders) -> set[str]:
    return {str(p.relative_to(folders.tiles)) for p in folders.tiles.glob("*/*.tile")}


@pytest.fixture
def noisy_file(speech, tmp_path):
    path = tmp_path / "talk.wav"
    sf.write(path, speech[: 4 * RATE] + noise(4, -50), RATE)
    return path


def test_the_command_line_and_an_episode_find_each_others_tiles(noisy_file, folders, tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "home"))
    home = Folders(tmp_path / "home" / "cache", tmp_path / "home" / "state", tmp_path / "home" / "documents")
    assert (
        main(["clean", str(noisy_file), "-o", str(tmp_path / "out.wav"), "--treat", "denoise=70", "--treat", "derumble=90", "--quiet"]) == 0
    )
    made = tiles_in(home)
    assert len(made) == 2
    copies = WorkingCopies(home.copies)
    imported = import_file(noisy_file, copies, RATE)
    episode = add_recordings(new_episode(), [imported.recording], imported.lanes).episode
    for name, strength in (("denoise", 33), ("derumble", 100)):  # strengths are blended outside: the tiles are the same
        episode = change_use(episode, episode.lanes[0].id, name, "", on=True, strength=strength).episode
    (sound,) = episode_sounds(episode, copies, DiskTileCache(home.tiles)).values()
    assert all(stage.is_filled for stage in sound.repaired.stages) and tiles_in(home) == made


def test_a_chain_over_an_untreated_lane_has_the_name_of_the_recording(recording):
    bare = replace(LANE, repairs=())
    sound = lane_sound(bare, recording, lane_key(episode_with(bare), bare), MemoryTileCache())
    assert sound.repaired.blend_key == replace(recorded_key("f" * 48, RATE, 2), channels=(0,)).tile_name


def test_the_voice_chain_is_kept_apart_for_other_repairs_below_it(recording):
    names = set()
    for strength, spans in ((80, ()), (30, ()), (80, (FrameRange(0, RATE),))):
        lane = replace(LANE, repairs=(replace(DENOISE, strength=strength, spans=spans),))
        names.add(lane_sound(lane, recording, lane_key(episode_with(lane), lane), MemoryTileCache()).voiced.key)
    assert len(names) == 3
