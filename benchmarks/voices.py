"""Speed of the Voice and Balance steps: two microphones through everything, and each processor beside FFmpeg's own."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import peers
from scores import RATE

from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.episode.commands.balance import suggest_balance
from dubbin.core.episode.commands.treatments import set_voice
from dubbin.core.episode.model import Episode, Lane, Recording
from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.measure.spectrum import average_spectrum
from dubbin.core.mix.lane_key import recorded_key
from dubbin.core.mix.lane_sound import lane_sound
from dubbin.core.mix.render import balanced_program
from dubbin.core.sound.source import Sound, blocks
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import DiskTileCache
from dubbin.core.treat.voice_suggestion import suggest_voice
from dubbin.demo.recordings import build_sounds

MINUTES = 12
Row = tuple[str, str]


def rows() -> list[Row]:
    sounds = build_sounds()
    lanes = {v: np.resize(x, MINUTES * 60 * RATE).astype(np.float32)[None] for v, x in sounds.recorded.items()}
    out = [_everything(lanes)]
    x = next(iter(lanes.values()))[:, : 240 * RATE]
    for name, ours, filter in (
        ("compressor", "compress", "acompressor=threshold=0.125:ratio=3:attack=5:release=80"),
        ("de-esser", "deess", "deesser"),
        ("limiter", "", "alimiter=level_in=2:limit=0.89:level=disabled"),
    ):
        use = Use(TREATMENTS[ours], TREATMENTS[ours].settings_type()) if ours else Use(Limiter(), LimiterSettings(gain_db=6.0))
        mine = _speed(lambda use=use: _treat(x, use))  # type: ignore[misc]
        theirs = _speed(lambda filter=filter: peers.ffmpeg(filter, align=False)(x[0]))  # type: ignore[misc]
        out.append((f"{name}, mono", f"{mine:.0f} x real time, {mine / theirs:.2f} x FFmpeg's {filter.split('=')[0]}"))
    return out


def _speed(run: Callable[[], object]) -> float:
    run()
    started = time.perf_counter()
    run()
    return 240 / (time.perf_counter() - started)


def _treat(x: np.ndarray, use: Use) -> None:
    with tempfile.TemporaryDirectory() as folder:
        chain = Chain(Sound(x, RATE), [use], "benchmark", DiskTileCache(Path(folder)))
        chain.prepare(Task())


def _everything(lanes: dict[str, np.ndarray]) -> Row:
    """Both voices through EQ, gaps, de-esser and compressor, levelled, bleed down, mixed."""
    recordings = tuple(Recording(v, f"/{v}.wav", v, x.shape[1], RATE, 1) for v, x in lanes.items())
    episode = Episode("b", recordings=recordings, lanes=tuple(Lane(v, v, (0,), v) for v in lanes))
    for v, x in lanes.items():
        part = Sound(x[:, : 240 * RATE], RATE)
        episode = set_voice(episode, v, suggest_voice(measure_recording(part), average_spectrum(part)), "voice").episode
    episode = suggest_balance(episode, {}).episode
    assert all(use.on for lane in episode.lanes for use in lane.voice_chain)

    def run(seconds: int) -> None:
        with tempfile.TemporaryDirectory() as folder:
            tile_cache = DiskTileCache(Path(folder))
            short = replace(episode, recordings=tuple(replace(r, frames=seconds * RATE) for r in episode.recordings))
            sounds = {
                v: lane_sound(
                    short.lane(v), Sound(lanes[v][:, : seconds * RATE], RATE), recorded_key(v, RATE, lanes[v].shape[0]), tile_cache
                )
                for v in lanes
            }
            for sound in sounds.values():
                sound.voiced.prepare(Task())
            for _ in blocks(balanced_program(short, sounds)):
                pass

    run(10)
    started = time.perf_counter()
    run(MINUTES * 60)
    seconds = time.perf_counter() - started
    names = ", ".join(u.name for u in episode.lanes[0].voice_chain)
    return (
        f"voice and balance, {MINUTES} min of two microphones ({names}; levelling, bleed control, mix)",
        f"{MINUTES * 60 / seconds:.0f} x real time",
    )
