"""Kept samples: what comes back from the packed form, and what happens to tiles that are damaged, torn or in the way."""

from __future__ import annotations

import errno
import os
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core.errors import CannotWrite
from dubbin.core.sound.packing import CHUNK_FRAMES, Damaged, Packed, pack
from dubbin.core.sound.source import Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache, DiskTiles, MemoryTileCache, prune
from tests.conftest import RATE, noise


def sound_of(kind: str, channels: int, frames: int, seed: int) -> np.ndarray:
    r = np.random.default_rng(seed)
    x = {
        "noise": lambda: r.standard_normal((channels, frames)),
        "silence": lambda: np.zeros((channels, frames)),
        "square": lambda: np.sign(np.sin(np.arange(frames) / 7.0)) * np.ones((channels, 1)),
        "impulses": lambda: (r.random((channels, frames)) < 0.01) * r.standard_normal((channels, frames)),
    }[kind]()
    return x.astype(np.float32)


kinds = st.sampled_from(["noise", "silence", "square", "impulses"])


@settings(deadline=None, max_examples=60)
@given(kinds, st.integers(1, 3), st.integers(0, 3 * CHUNK_FRAMES), st.floats(-160, 60), st.integers(0, 99))
def test_samples_come_back_within_half_a_step_of_the_loudest(kind, channels, frames, level_db, seed):
    x = sound_of(kind, channels, frames, seed) * np.float32(10 ** (level_db / 20))
    data, kept = pack(x)
    back = Packed(data).read(0, frames)
    assert np.array_equal(back, kept)
    loudest = float(np.max(np.abs(x), initial=0.0))
    assert np.all(np.abs(back - x) <= max(2.0**-23, loudest * 2.0**-22) / 2 * 1.001)


@settings(deadline=None, max_examples=30)
@given(st.sampled_from([16, 24]), st.integers(1, 2), st.integers(1, CHUNK_FRAMES + 50), st.integers(0, 99))
def test_what_was_recorded_with_16_or_24_bits_comes_back_to_the_bit(bits, channels, frames, seed):
    whole = np.random.default_rng(seed).integers(-(2 ** (bits - 1)) + 1, 2 ** (bits - 1), (channels, frames))
    x = (whole / 2.0 ** (bits - 1)).astype(np.float32)
    data, kept = pack(x)
    assert np.array_equal(kept, x) and np.array_equal(Packed(data).read(0, frames), x)


@settings(deadline=None, max_examples=30)
@given(st.integers(1, 3 * CHUNK_FRAMES), st.data())
def test_any_span_is_read_as_out_of_the_whole(frames, drawn):
    data, kept = pack(sound_of("noise", 2, frames, 1))
    start = drawn.draw(st.integers(0, frames))
    stop = drawn.draw(st.integers(start, frames))
    assert np.array_equal(Packed(data).read(start, stop), kept[:, start:stop])


def test_what_is_not_finite_is_not_packed():
    with pytest.raises(ValueError, match="finite"):
        pack(np.array([[0.0, np.nan]], np.float32))


@settings(deadline=None, max_examples=40)
@given(st.data())
def test_a_changed_byte_or_a_cut_off_end_is_noticed(drawn):
    data, _ = pack(sound_of("noise", 1, 2000, 1))
    at = drawn.draw(st.integers(0, len(data) - 1))
    other = drawn.draw(st.integers(1, 255))
    damaged = data[:at] if drawn.draw(st.booleans()) else data[:at] + bytes([data[at] ^ other]) + data[at + 1 :]
    with pytest.raises(Damaged):
        Packed(damaged)


# -- tiles ------------------------------------------------------------------------------


@pytest.mark.parametrize("cache", ["disk", "memory"])
def test_tiles_that_are_let_go_of_are_gone_and_others_can_take_their_place(tmp_path, cache):
    tiles = (DiskTileCache(tmp_path) if cache == "disk" else MemoryTileCache()).tiles("key")
    tiles.clear()  # before there is any
    for index in (0, 4):
        tiles.put(index, noise(1, -20, seed=index)[None])
    assert tiles.get(4, 0, 10) is not None
    tiles.clear()
    assert not tiles.has(0) and tiles.get(4, 0, 10) is None and list(tmp_path.iterdir()) == []
    kept = tiles.put(4, noise(1, -20, seed=9)[None])
    assert np.array_equal(tiles.get(4, 0, 100), kept[:, :100]) and not tiles.has(0)


@pytest.mark.parametrize("harm", ["cut off", "emptied", "changed", "deleted"])
def test_a_damaged_tile_is_computed_again(tmp_path, speech, harm):
    sound = Sound(speech[: 20 * RATE][None], RATE)
    use = Use(TREATMENTS["derumble"], TREATMENTS["derumble"].settings_type())
    before = Chain(sound, [use], "key", DiskTileCache(tmp_path)).read(0, sound.frames)
    tile = next(tmp_path.glob("*/000000.tile"))
    data = tile.read_bytes()
    if harm == "deleted":
        tile.unlink()
    else:
        tile.write_bytes({"cut off": data[:-100], "emptied": b"", "changed": data[:-50] + b"\0" * 50}[harm])
    again = Chain(sound, [use], "key", DiskTileCache(tmp_path))
    assert np.array_equal(again.read(0, sound.frames), before)
    assert tile.read_bytes() == data


def test_a_full_disk_is_said_and_leaves_no_half_tile(tmp_path, monkeypatch):
    tiles = DiskTiles(tmp_path / "key")

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(os, "replace", full)
    with pytest.raises(CannotWrite, match="No space left"):
        tiles.put(0, noise(1, -20)[None])
    assert not tiles.has(0) and not list((tmp_path / "key").iterdir())


def test_what_a_mender_leaves_alone_stays_to_the_bit_when_it_is_kept(tmp_path, speech):
    x = (np.rint(speech[: 6 * RATE] * 2**15) / 2**15).astype(np.float32)  # as a recorder writes it down
    x[2 * RATE : 2 * RATE + 6] += np.float32(0.5)
    sound = Sound(x[None], RATE)
    uses = [Use(TREATMENTS["declick"], TREATMENTS["declick"].settings_type())]
    disk, memory = (Chain(sound, uses, "key", cache).read(0, sound.frames)[0] for cache in (DiskTileCache(tmp_path), MemoryTileCache()))
    left_alone = memory == x
    assert np.mean(left_alone) > 0.98 and not left_alone[2 * RATE : 2 * RATE + 6].any()
    assert np.array_equal(disk[left_alone], x[left_alone])


def test_the_stages_that_were_used_last_stay_and_files_of_former_forms_go(tmp_path):
    sizes = {}
    for k, name in enumerate(("old", "middle", "new")):
        DiskTiles(tmp_path / name).put(0, noise(4, -20, seed=k)[None])
        os.utime(tmp_path / name, (time.time() - 1000 + 100 * k,) * 2)
        sizes[name] = sum(p.stat().st_blocks * 512 for p in (tmp_path / name).iterdir())
    (tmp_path / "former.f32").write_bytes(bytes(1000))
    (tmp_path / "former.done").write_bytes(b"\1")
    prune(tmp_path, sum(sizes.values()))
    assert {p.name for p in tmp_path.iterdir()} == {"old", "middle", "new"}
    DiskTiles(tmp_path / "old")  # opened: used now
    prune(tmp_path, sum(sizes.values()) - 1)
    assert {p.name for p in tmp_path.iterdir()} == {"old", "new"}
    prune(tmp_path, 0)
    assert not list(tmp_path.iterdir())
    prune(tmp_path / "nowhere", 0)
