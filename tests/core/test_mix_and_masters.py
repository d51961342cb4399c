"""The program, sample by sample, and masters measured by code that is not ours."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver.formats import FORMATS, WAV, find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.proof import prove
from dubbin.core.deliver.tags import read_tags
from dubbin.core.deliver.targets import Reading, find_target, problems, read_targets
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.model import Cut, Lane, Recording, Tags
from dubbin.core.episode.time_map import TimeMap, program_map
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.measure.loudness import Loudness
from dubbin.core.mix.program import Program, SessionMix
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, at_length, noise, tone


def session(*lanes: Lane, cuts=()):
    recordings = tuple(Recording(lane.recording, "x", "f", RATE, RATE, 1) for lane in lanes)
    return replace(new_episode(), recordings=recordings, lanes=lanes, cuts=tuple(cuts))


def test_lanes_are_summed_at_their_levels_and_places():
    a, b = noise(1, -20, 1)[None], noise(1, -20, 2)[None]
    episode = session(Lane("a", "ra", (0,), "A", level_db=-6.0), Lane("b", "rb", (0,), "B", start_frame=1000))
    mix = SessionMix(episode, {"a": Sound(a, RATE), "b": Sound(b, RATE)})
    expected = np.zeros(RATE + 1000, np.float32)
    expected[:RATE] += np.float32(10 ** (-6 / 20)) * a[0]
    expected[1000:] += b[0]
    np.testing.assert_allclose(mix.read(0, mix.frames)[0], expected, atol=1e-6)


@pytest.mark.parametrize(("mute", "solo", "heard"), [((1, 0), (0, 0), "b"), ((0, 0), (1, 0), "a"), ((1, 0), (1, 0), "a")])
def test_solo_and_mute(mute, solo, heard):
    lanes = [Lane(k, f"r{k}", (0,), k, mute=bool(mute[i]), solo=bool(solo[i])) for i, k in enumerate("ab")]
    sources = {"a": tone(100, 1, -6), "b": tone(200, 1, -6)}
    y = SessionMix(session(*lanes), sources).read(0, RATE)[0]
    np.testing.assert_allclose(y, sources[heard].samples[0], atol=1e-6)


def test_away_from_seams_the_program_is_the_session():
    x = noise(1, -12)[None]
    time_map = program_map(session(Lane("a", "r", (0,), "A"), cuts=[Cut(10000, 20000), Cut(30000, 30500)]))
    program = Program(Sound(x, RATE), time_map, 12.0)
    y = program.read(0, program.frames)[0]
    expected = np.concatenate([x[0, :10000], x[0, 20000:30000], x[0, 30500:]])
    away = np.ones(len(expected), bool)
    for seam in time_map.seams():
        away[seam - 300 : seam + 300] = False
    np.testing.assert_array_equal(y[away], expected[away])
    assert program.frames == len(expected)


def test_a_seam_keeps_the_power_of_room_noise():
    x = np.concatenate([noise(2, -30, 1), noise(2, -30, 2)])[None]
    program = Program(Sound(x, RATE), TimeMap([(0, RATE), (3 * RATE, 4 * RATE)]), 40.0)
    near = np.mean(program.read(RATE - 900, RATE + 900) ** 2)
    assert 10 * np.log10(near / np.mean(x**2)) == pytest.approx(0.0, abs=0.6)


def test_the_program_does_not_depend_on_the_blocks():
    x = noise(2, -12)[None]
    program = Program(Sound(x, RATE), TimeMap([(0, 9000), (9600, 9700), (20000, 60000), (61000, 2 * RATE)]), 12.0)
    whole = program.read(0, program.frames)
    parts = [program.read(a, min(a + 611, program.frames)) for a in range(0, program.frames, 611)]
    np.testing.assert_allclose(np.concatenate(parts, axis=1), whole, atol=1e-6)


@pytest.fixture(scope="module")
def speech_program(request):
    x = request.getfixturevalue("speech")[: 9 * RATE]
    return Sound(np.stack([x, x * 0.8]), RATE)


def independent_lufs(x: np.ndarray, rate: int) -> float:
    """BS.1770 written a second time, from the tabulated 48 kHz coefficients, by plain loops over blocks."""
    import soxr
    from scipy.signal import lfilter

    x = soxr.resample(x, rate, 48000) if rate != 48000 else x
    y = lfilter(
        [1.53512485958697, -2.69169618940638, 1.19839281085285], [1, -1.69065929318241, 0.73248077421585], np.ascontiguousarray(x.T)
    )
    y = lfilter([1.0, -2.0, 1.0], [1, -1.99004745483398, 0.99007225036621], y)
    z = np.array([np.mean(y[:, k : k + 19200] ** 2, axis=1).sum() for k in range(0, y.shape[1] - 19199, 4800)])
    z = z[-0.691 + 10 * np.log10(z + 1e-12) > -70]
    z = z[z > 0.1 * z.mean()]
    return float(-0.691 + 10 * np.log10(z.mean()))


def decoded(path):
    import av

    if path.suffix in (".wav", ".flac"):
        return sf.read(path, always_2d=True)
    with av.open(str(path)) as container:
        frames = [f.to_ndarray() for f in container.decode(audio=0)]
        return np.concatenate(frames, axis=-1).T, container.streams.audio[0].rate


@pytest.mark.parametrize("target", ["podcast-stereo", "broadcast-r128", "streaming-loud", *at_length("podcast-mono", "broadcast-a85")])
def test_every_format_of_a_target_passes_by_independent_measurement(speech_program, tmp_path, target):
    import soxr

    wanted, tags = find_target(target), Tags("A title – ümläut", "Ines", "Ferry", "2026", "About bells")
    masters = make_masters(speech_program, tmp_path, "talk", [wanted], list(FORMATS.values()), tags).made
    assert len(masters) == 5 and sorted(p.name for p in tmp_path.iterdir()) == sorted(m.file.name for m in masters)
    for master in masters:
        assert master.proof.passes, master.proof.problems
        x, rate = decoded(master.file)
        assert x.shape[1] == wanted.channels
        assert independent_lufs(x, rate) == pytest.approx(wanted.integrated_lufs, abs=0.15)
        peak = np.max(np.abs(soxr.resample(x, rate, rate * 8)))
        assert 20 * np.log10(peak) <= wanted.true_peak_dbtp + 0.1
        assert read_tags(master.file, master.format) == tags


def test_masters_of_one_rate_are_the_same_as_beside_others(speech_program, tmp_path):
    """Alone, the program is written down at the rate of its masters at once; beside another rate, by way of its own."""
    target, other = find_target("podcast-stereo"), find_target("streaming-speech")
    assert target.rate != speech_program.rate != 0 and other.rate != target.rate
    sounds = []
    for name, targets in (("alone", [target]), ("beside", [target, other])):
        made = make_masters(speech_program, tmp_path, name, targets, [find_format("wav")]).made
        sounds.append(sf.read(made[0].file)[0])
    np.testing.assert_array_equal(*sounds)


def test_a_wrong_file_fails_with_reasons(tmp_path):
    sf.write(tmp_path / "a.wav", noise(5, -6), RATE)
    proof = prove(tmp_path / "a.wav", find_target("podcast-stereo"))
    assert not proof.passes and len(proof.problems) == 3


def test_what_rounds_to_the_limit_passes():
    target = find_target("broadcast-r128")
    assert problems(Reading(Loudness(-22.46, 5, -10, -15, -1.0, -1.2), 2), target) == []
    assert problems(Reading(Loudness(-22.3, 5, -10, -15, -1.0, -1.2), 2), target)


def test_targets_name_no_company_and_explain_themselves():
    for name, target in read_targets().items():
        assert target.rule and name == target.name


def test_nothing_is_made_of_nothing_or_into_nowhere(tmp_path, speech_program):
    target = [find_target("podcast-mono")]
    with pytest.raises(CannotWrite, match="does not exist"):
        make_masters(speech_program, tmp_path / "no", "a", target, [WAV])
    with pytest.raises(UnusableSound, match="empty"):
        make_masters(Sound(np.zeros((2, 0), np.float32), RATE), tmp_path, "a", target, [WAV])
    silent = make_masters(Sound(np.zeros((2, RATE), np.float32), RATE), tmp_path, "a", target, [WAV]).made
    assert not silent[0].proof.passes and "silent" in silent[0].proof.problems[0]
