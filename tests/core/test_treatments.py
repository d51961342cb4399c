"""What every treatment must keep, whichever it is; new ones are tested by being in the registry."""

from __future__ import annotations

import numpy as np
import pytest

from dubbin.core.deliver.limiter import Limiter, LimiterSettings
from dubbin.core.sound.source import Difference, Sound
from dubbin.core.treat.chain import Chain, Use
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.settings import Kind, describe, settings_from_plain
from tests.conftest import RATE, noise, rms_db

EVERY = [*TREATMENTS.values(), Limiter()]


def noisy(speech: np.ndarray, seconds: float = 8.0) -> Sound:
    x = speech[: round(seconds * RATE)] + noise(seconds, -50)[: len(speech)]
    return Sound(np.stack([x, np.roll(x, 400) * 0.7]).astype(np.float32), RATE)


def use_of(treatment, strength: float = 1.0) -> Use:
    settings = LimiterSettings(gain_db=6.0) if treatment.name == "limit" else treatment.settings_type()
    return Use(treatment, settings, strength)


@pytest.mark.parametrize("treatment", EVERY, ids=lambda t: t.name)
class TestEveryTreatment:
    def test_blocks_of_any_size_join_to_the_whole(self, treatment, speech):
        sound = noisy(speech)
        whole = Chain(sound, [use_of(treatment)]).read(0, sound.frames)
        chain, start, parts = Chain(sound, [use_of(treatment)]), 0, []
        for size in (1, 4097, 150000, 77, 2**16, sound.frames):
            stop = min(start + size, sound.frames)
            parts.append(chain.read(start, stop))
            start = stop
        np.testing.assert_allclose(np.concatenate(parts, axis=1), whole, atol=1e-5)

    def test_tiles_join_without_being_heard(self, treatment, speech, monkeypatch):
        sound = noisy(speech, 7.0)
        long = Chain(sound, [use_of(treatment)]).read(0, sound.frames)
        monkeypatch.setattr(type(treatment), "tile_s", 3.0)
        short = Chain(sound, [use_of(treatment)]).read(0, sound.frames)
        # A network remembers for longer than a lead-in: there the two differ, but far under the sound itself.
        below = 12 if treatment.name == "denoise" else 40
        for place in range(3 * RATE, sound.frames, 3 * RATE):
            near = slice(place - 2000, place + 2000)
            assert rms_db(long[:, near] - short[:, near]) < max(rms_db(sound.samples[:, near]) - below, -60)

    def test_strength_zero_is_bit_identical(self, treatment, speech):
        sound = noisy(speech, 3.0)
        np.testing.assert_array_equal(Chain(sound, [use_of(treatment, 0.0)]).read(0, sound.frames), sound.samples)

    def test_recorded_is_treated_plus_removed(self, treatment, speech):
        sound = noisy(speech, 4.0)
        chain = Chain(sound, [use_of(treatment, 0.7)])
        removed = Difference(sound, chain).read(0, sound.frames)
        np.testing.assert_allclose(chain.read(0, sound.frames) + removed, sound.samples, atol=1e-6)

    def test_odd_sounds_come_out_as_long_as_they_were(self, treatment):
        for x in (np.zeros((1, 1)), np.zeros((2, 4801)), np.full((1, 30001), 0.5), np.ones((3, 7))):
            sound = Sound(x.astype(np.float32), RATE)
            y = Chain(sound, [use_of(treatment)]).read(0, sound.frames)
            assert y.shape == sound.samples.shape and np.isfinite(y).all()

    @pytest.mark.parametrize("rate", [8000, 44100, 96000])
    def test_other_rates_work(self, treatment, rate):
        sound = Sound((noise(1.5, -30, rate=rate))[None], rate)
        assert np.isfinite(Chain(sound, [use_of(treatment)]).read(0, sound.frames)).all()

    def test_settings_describe_themselves(self, treatment):
        for info in describe(treatment.settings_type):
            assert info.help and info.label
            if info.kind is Kind.NUMBER:
                assert info.default is None or info.low <= info.default <= info.high
                with pytest.raises(ValueError, match="must lie"):
                    settings_from_plain(treatment.settings_type, {info.name: info.high + 1})
            elif info.kind is Kind.CHOICE:
                assert info.default in info.choices
