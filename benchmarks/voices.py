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
from dubbin.core.treat.voice_fitting import fitted_to
from dubbin.core.treat.voice_suggestion import suggest_voice
from dubbin.demo.recordings import build_sounds

MINUTES = 12
Row = tuple[str, str]


def rows(voices: Path | None = None) -> list[Row]:
    """voices: a folder of recordings of real people; None: the demo alone."""
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
    return out + sibilance_rows(voices)


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


# -- s-sounds against vowels, through the suggested voice treatments ------------------


HARSH_DB, HARSH_FROM_HZ = 8.0, 5000.0
S_OVER_VOWELS_DB, LEAST_S_DB, FEWEST_S = 3.0, -25.0, 30  # frames of 10 ms


def sibilance_rows(folder: Path | None = None) -> list[Row]:
    """How far s-sounds move against the vowels: of voices as they are, and made harsh by a shelf. folder: of recordings of real people."""
    import soundfile as sf

    voices = {v: (x.astype(np.float32), RATE) for v, x in build_sounds().recorded.items()}
    for path in sorted(folder.glob("*.flac")) if folder is not None else []:
        x, rate = sf.read(path, dtype="float32")
        voices[path.stem] = (x, rate)
    out = []
    for title, boost_db in (("as they are", 0.0), (f"made harsh, {HARSH_DB:.0f} dB above {HARSH_FROM_HZ / 1000:.0f} kHz", HARSH_DB)):
        moved = {v: d for v, (x, rate) in voices.items() if (d := _s_moved(_shelved(x, rate, boost_db), rate)) is not None}
        out.append(
            (
                f"s-sounds against vowels after the suggested voice treatments, {title}",
                ", ".join(f"{d:+.1f} dB {v}" for v, d in moved.items()),
            )
        )
    return out


def _shelved(x: np.ndarray, rate: int, db: float) -> np.ndarray:
    from scipy import signal

    high = signal.sosfiltfilt(signal.butter(1, min(HARSH_FROM_HZ, 0.4 * rate), "highpass", fs=rate, output="sos"), x)
    y = x + (10 ** (db / 20) - 1) * high
    return np.asarray(y * min(1.0, 0.9 / np.max(np.abs(y))), np.float32)


def _s_moved(x: np.ndarray, rate: int) -> float | None:
    """dB by which the usual s moves against the usual vowel; None where hardly an s is said."""
    from scipy import signal

    from dubbin.core.measure.voicing import find_voicing
    from dubbin.core.treat.registry import VOICE
    from dubbin.core.treat.settings import settings_from_plain

    source = Sound(x[None], rate)
    voicing = find_voicing(source)
    bands = (
        signal.butter(4, min(4500, 0.4 * rate), "high", fs=rate, output="sos"),
        signal.butter(2, [200, 3500], "band", fs=rate, output="sos"),
    )

    def levels(y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        count = min(len(y) // (rate // 100), len(voicing.pitch_hz))
        power = [np.mean(signal.sosfiltfilt(b, y)[: count * (rate // 100)].reshape(count, -1) ** 2, axis=1) for b in bands]
        return 10 * np.log10(power[0] + 1e-12), 10 * np.log10(power[1] + 1e-12)

    high, low = levels(x)
    voiced = voicing.voiced[: len(low)] & (voicing.periodicity[: len(low)] > 0.8)
    vowel = voiced & (low > np.quantile(low[voicing.voiced[: len(low)]], 0.8) - 10)
    sibilant = (high - low > S_OVER_VOWELS_DB) & (high > np.median(low[vowel]) + LEAST_S_DB)
    if np.count_nonzero(sibilant) < FEWEST_S:
        return None
    report = measure_recording(source)
    wanted = fitted_to(source, report, suggest_voice(report, average_spectrum(source)))
    uses = [Use(t, settings_from_plain(t.settings_type, wanted[t.name])) for t in VOICE if t.name in wanted]
    after_high, after_low = levels(Chain(source, uses).read(0, source.frames)[0])
    before, after = (float(np.median(h[sibilant]) - np.median(v[vowel])) for h, v in ((high, low), (after_high, after_low)))
    return after - before
