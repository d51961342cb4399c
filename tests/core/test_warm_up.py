"""What is compiled while Dubbin is set up: an episode that comes by everything which is compiled."""

from __future__ import annotations

import soundfile

from dubbin.core.batch import warm_up
from dubbin.core.batch.outcome import Outcome


def test_the_episode_that_is_worked_on_for_it_has_files_of_every_kind_that_is_read_in_its_own_way(tmp_path, monkeypatch):
    asked = []

    def run_one(work, out, folders) -> Outcome:
        asked.append(work)
        assert out.is_dir() and tmp_path in folders.cache.parents
        return Outcome(str(work.item.path))

    monkeypatch.setattr(warm_up, "run_one", run_one)
    assert warm_up.short_episode(tmp_path).error is None
    (work,) = asked
    files = [soundfile.info(path) for path in work.item.recordings]
    assert {(f.subtype, f.channels) for f in files} == {("PCM_16", 1), ("PCM_24", 2), ("FLOAT", 1)}
    assert work.runs_the_card and {f.frames for f in files} == {warm_up.SECONDS * warm_up.RATE}
    for path in work.item.recordings:
        x, rate = soundfile.read(path, always_2d=True)
        assert abs(x[-rate // 20 :]).max() > 1.5 * abs(x[: rate // 4]).max() > 0, "an outburst that the limiter has to hold down"


def test_everything_is_compiled_in_one_go(monkeypatch):
    done = []
    monkeypatch.setattr(warm_up, "warm_up_speech", lambda: done.append("speech"))
    monkeypatch.setattr(warm_up, "short_episode", lambda folder: done.append(folder.is_dir()))
    warm_up.main()
    assert done == ["speech", True]
