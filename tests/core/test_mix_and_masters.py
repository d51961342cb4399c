"""The program, sample by sample, and masters measured by code that is not ours."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.deliver.formats import FORMATS, WAV, find_format
from dubbin.core.deliver.master import make_masters
from dubbin.core.deliver.proof import prove
from dubbin.core.deliver.tags import read_tags
from dubbin.core.deliver.targets import find_target, read_targets
from dubbin.core.episode.model import Tags
from dubbin.core.episode.time_map import TimeMap
from dubbin.core.errors import CannotWrite, UnusableSound
from dubbin.core.mix.program import Program
from dubbin.core.sound.source import Sound
from tests.conftest import RATE, at_length, noise


def test_a_seam_keeps_the_power_of_room_noise():
    x = np.concatenate([noise(2, -30, 1), noise(2, -30, 2)])[None]
    program = Program(Sound(x, RATE), TimeMap([(0, RATE), (3 * RATE, 4 * RATE)]), 40.0)
    near = np.mean(program.read(RATE - 900, RATE + 900) ** 2)
    assert 10 * np.log10(near / np.mean(x**2)) == pytest.approx(0.0, abs=0.6)


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
