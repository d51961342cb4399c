"""Run the card, recipes and batches: the suggested work in one go, each piece with its switch, over one recording or many."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import scipy.ndimage
import soundfile as sf

from dubbin.core.batch.inputs import find_inputs
from dubbin.core.batch.outcome import STATE
from dubbin.core.batch.run import run_batch
from dubbin.core.card.entry import BalanceSwitch, RepairSwitch, entries_from_json, entries_to_json
from dubbin.core.card.plan import PlanKey, PlanKind, plan_card
from dubbin.core.card.run import CardPart, run_card
from dubbin.core.card.state import CardResources
from dubbin.core.deliver.recipe import (
    Recipe,
    RecipePart,
    VoiceRecipe,
    apply_recipe,
    load_recipe,
    recipe_of,
    save_recipe,
    voice_in,
)
from dubbin.core.deliver.recipe_contents import contents
from dubbin.core.episode.balance_settings import Levelling
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode, save_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import CutKind, FrameRange, Role, Tags, TreatmentUse
from dubbin.core.episode.time_map import program_map
from dubbin.core.errors import Cancelled, DubbinError
from dubbin.core.jobs import Task
from dubbin.core.measure.measuring import measure_recording
from dubbin.core.mix.balance_report import report_balance
from dubbin.core.mix.lane_gains import find_balance
from dubbin.core.mix.render import episode_sounds
from dubbin.core.mix.voice_facts import voice_facts
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.pauses import STARTING_POINTS
from dubbin.core.treat.tiles import DiskTileCache
from tests.conftest import RATE, noise

told: dict[PlanKey, list[float]] = {}  # how far each line was said to be, of the run of `ran`


@pytest.fixture(scope="module")
def ran(request, tmp_path_factory):
    """A card run over two noisy microphones, one voice much softer than the other."""
    speech = request.getfixturevalue("speech")[: 18 * RATE]
    ends = np.flatnonzero(scipy.ndimage.minimum_filter1d((speech == 0).astype(np.uint8), RATE // 3))
    middle = int(ends[np.argmin(np.abs(ends - 9 * RATE))])  # between two lines, where they paused for long
    speech = np.concatenate([speech[:middle], np.zeros(5 * RATE // 2, np.float32), speech[middle:]])
    folder = tmp_path_factory.mktemp("card")
    half = middle + RATE
    one, two = speech.copy(), speech.copy()
    one[half:] *= 0.03
    two[:half] *= 0.03
    sf.write(folder / "ines.wav", one + noise(len(one) / RATE, -50, 1), RATE)
    sf.write(folder / "tobias.wav", 0.3 * two + noise(len(one) / RATE, -60, 2), RATE)
    copies, tile_cache = WorkingCopies(folder / "copies"), DiskTileCache(folder / "tiles")
    taken = [import_file(folder / f"{n}.wav", copies, RATE) for n in ("ines", "tobias")]
    lanes = [replace(t.lanes[0], role=Role.VOICE) for t in taken]
    episode = add_recordings(new_episode(), [t.recording for t in taken], lanes).episode
    steps: list[str] = []
    told.clear()
    result = run_card(
        episode, CardResources(copies, tile_cache), say=steps.append, told=lambda key, share: told.setdefault(key, []).append(share)
    )
    after = episode
    for change in result.changes:
        after = change(after).episode
    return episode, after, result, steps, copies, tile_cache


def test_the_card_does_the_work_of_every_step_and_tells_what_it_did(ran):
    _, after, result, steps, _, _ = ran
    assert [e.step for e in result.entries] == sorted((e.step for e in result.entries), key=["Repair", "Edit", "Voice", "Balance"].index)
    assert (
        {e.step for e in result.entries} == {"Repair", "Edit", "Voice", "Balance"} and steps[0] == "Measuring" and steps[-1] == "Balancing"
    )
    assert all(any(u.name == "denoise" and u.on for u in lane.repairs) for lane in after.lanes)
    assert len(after.transcripts) == 2 and any(c.kind is CutKind.PAUSE for c in after.cuts)
    noise_entry = next(e for e in result.entries if e.switch == RepairSwitch(after.lanes[0].id, "denoise"))
    before, after_db = (float(text.split()[0].replace("−", "-")) for text in (noise_entry.before, noise_entry.after))
    assert after_db < before - 6.0


def test_the_plan_says_beforehand_what_is_done_and_each_line_is_told_until_it_is(ran):
    episode, _, result, _, copies, tile_cache = ran
    sounds = episode_sounds(episode, copies, tile_cache)
    lines = plan_card(episode, {lane.id: measure_recording(sounds[lane.id].recorded) for lane in episode.lanes})
    planned = {(line.key.lane, line.key.treatment) for line in lines if line.key.kind is PlanKind.REPAIR}
    done = {(e.switch.lane, e.switch.treatment) for e in result.entries if isinstance(e.switch, RepairSwitch)}
    assert planned and {(lane, name) for lane, name in done if name != "dereverb"} <= planned
    assert all(line.reason and line.title for line in lines) and len({line.key for line in lines}) == len(lines)
    assert {line.key.kind for line in lines} == set(PlanKind)
    assert {line.key for line in lines} <= set(told)
    assert all(min(shares) >= 0.0 and shares[-1] == 1.0 for key, shares in told.items() if key.kind is not PlanKind.BALANCE)


def test_what_is_not_ticked_is_not_done(ran):
    episode, _, _, _, copies, tile_cache = ran
    first = episode.lanes[0].id
    skip = [PlanKey(PlanKind.REPAIR, first, "denoise"), PlanKey(PlanKind.PAUSES), PlanKey(PlanKind.VOICE, first), PlanKey(PlanKind.BALANCE)]
    less = run_card(episode, CardResources(copies, tile_cache, words=False), skip=skip)
    after = episode
    for change in less.changes:
        after = change(after).episode
    lane = after.lane(first)
    assert not any(u.name == "denoise" and u.on for u in lane.repairs) and not lane.voice_chain and not after.cuts
    assert any(u.on for u in after.lanes[1].repairs) and after.lanes[1].voice_chain
    assert not any(isinstance(e.switch, BalanceSwitch) for e in less.entries)


def test_entries_come_back_from_their_file_with_working_switches(ran):
    _, after, result, _, _, _ = ran
    again = entries_from_json(entries_to_json(result.entries))
    assert again == result.entries and all(e.is_on(after) for e in again)


@pytest.mark.parametrize("data", [b"", b"{}", b"[1]", b'[{"kind": "other"}]', b"\xff"])
def test_a_file_of_entries_that_is_damaged_holds_none(data):
    assert entries_from_json(data) == ()


def test_after_the_card_the_voices_are_together_and_no_word_is_cut_by_a_pause(ran):
    _, after, _, _, copies, tile_cache = ran
    facts = voice_facts(after, episode_sounds(after, copies, tile_cache))
    report = report_balance(after, program_map(after), facts, find_balance(after, facts))
    assert report.apart_before_lu > 4.0 and report.apart_after_lu < 1.0
    pauses = [c for c in after.cuts if c.kind is CutKind.PAUSE]
    for transcript in after.transcripts:
        for word in transcript.words:
            middle = (word.start_frame + word.end_frame) // 2
            assert not any(c.start_frame <= middle < c.end_frame for c in pauses), word.text


def test_every_entry_has_a_switch_that_takes_it_back_and_does_it_again(ran):
    _, after, result, _, _, _ = ran
    for entry in result.entries:
        assert entry.is_on(after), entry.title
        off = entry.switched(after, False).episode
        assert not entry.is_on(off) and off != after
        on = entry.switched(off, True).episode
        assert entry.is_on(on) and on.cuts == after.cuts and on.lanes == after.lanes, entry.title


def test_what_somebody_has_set_is_left_as_it_is(ran):
    episode, _, _, _, copies, tile_cache = ran
    mine = (TreatmentUse("denoise", True, 33),)
    for lane in episode.lanes:
        episode = change_lane(episode, lane.id, "", repairs=mine).episode
    for change in run_card(episode, CardResources(copies, tile_cache, words=False), until=CardPart.REPAIR).changes:
        episode = change(episode).episode
    assert all(next(u for u in lane.repairs if u.name == "denoise").strength == 33 for lane in episode.lanes)


def test_a_cancelled_card_stops(ran):
    episode, _, _, _, copies, tile_cache = ran
    task = Task()
    task.cancel()
    with pytest.raises(Cancelled):
        run_card(episode, CardResources(copies, tile_cache), task)


# -- recipes ----------------------------------------------------------------------------


def test_a_recipe_comes_back_from_its_file_and_fits_the_next_episode(ran, tmp_path):
    _, after, _, _, _, _ = ran
    shown = replace(after, delivery=replace(after.delivery, targets=("broadcast-r128",), tags=Tags(title="One", show="Ferry", number="7")))
    shown = change_lane(shown, shown.lanes[0].id, "", levelling=Levelling(True, -23.0), pan=-20.0).episode
    recipe = recipe_of(shown)
    save_recipe(recipe, tmp_path / "show.recipe.json")
    assert load_recipe(tmp_path / "show.recipe.json") == recipe
    assert recipe.delivery.tags == Tags(show="Ferry") and recipe.pauses_on
    following = replace(ran[0], delivery=replace(ran[0].delivery, tags=Tags(title="Two")))
    changed = apply_recipe(following, recipe).episode
    assert changed.lanes[0].levelling.target_lufs == -23.0 and changed.lanes[0].pan == -20.0
    assert changed.lanes[0].repairs == shown.lanes[0].repairs != ()
    assert changed.delivery.targets == ("broadcast-r128",) and changed.delivery.tags == Tags(title="Two", show="Ferry")


def test_only_what_is_ticked_is_kept_and_only_what_is_ticked_is_applied(ran):
    _, after, _, _, _, _ = ran
    after = change_lane(after, after.lanes[0].id, "", pan=-20.0).episode
    without = recipe_of(after, parts=[p for p in RecipePart if p is not RecipePart.REPAIRS])
    assert all(v.repairs is None for v in without.voices) and apply_recipe(ran[0], without).episode.lanes[0].repairs == ()
    assert RecipePart.REPAIRS not in {line.part for line in contents(without)}
    whole = recipe_of(after)
    only = apply_recipe(ran[0], whole, [RecipePart.LEVELS]).episode
    assert only.lanes[0].pan == -20.0 and only.lanes[0].repairs == ran[0].lanes[0].repairs and only.delivery == ran[0].delivery
    narrow = replace(whole, holds=(RecipePart.REPAIRS,))
    assert apply_recipe(ran[0], narrow).episode.lanes[0].pan == 0.0 and narrow.cuts(CutKind.PAUSE) is None


def test_a_recipe_tells_what_it_holds_before_it_is_saved_or_applied(ran):
    _, after, _, _, _, _ = ran
    said = {line.part: line.text for line in contents(recipe_of(after))}
    strength = next(u.strength for u in after.lanes[0].repairs if u.name == "denoise")
    assert f"Ines: Noise {strength} %" in said[RecipePart.REPAIRS]
    assert said[RecipePart.PAUSES] == "Even: longer than 0.7 s shortened to 0.5 s"
    assert "levelling to" in said[RecipePart.LEVELS] and "podcast-stereo" in said[RecipePart.MASTERS]
    assert RecipePart.MUSIC not in said and RecipePart.TEXTS not in said  # there is none


def test_what_means_a_place_in_one_recording_stays_out_of_a_recipe(ran):
    use = TreatmentUse("denoise", True, 50, {"noise_from_s": [1.0, 2.0], "depth_db": 12.0}, (FrameRange(0, 100),))
    episode = change_lane(ran[0], ran[0].lanes[0].id, "", repairs=(use,)).episode
    assert recipe_of(episode).voices[0].repairs == (TreatmentUse("denoise", True, 50, {"depth_db": 12.0}),)


def test_pauses_of_a_recipe_leave_no_stale_cuts(ran):
    _, after, _, _, _, _ = ran
    recipe = replace(recipe_of(after), pauses=STARTING_POINTS["Brisk"])
    changed = apply_recipe(after, recipe).episode
    assert not any(c.kind is CutKind.PAUSE for c in changed.cuts) and not changed.pauses_on and changed.pauses == STARTING_POINTS["Brisk"]
    assert {c for c in changed.cuts} == {c for c in after.cuts if c.kind is not CutKind.PAUSE}


def test_voices_are_named_by_the_recipe_only_where_it_names_them():
    two = Recipe(voices=(VoiceRecipe("Ines"), VoiceRecipe("Tobias")))
    assert voice_in(two, "Tobias Kitchen Table", alone=True) == "Tobias"
    assert voice_in(two, "Episode 12", alone=True) == "Episode 12" and voice_in(two, "ines", alone=False) == "Ines"
    one = Recipe(voices=(VoiceRecipe("Ines"),))
    assert voice_in(one, "Episode 12", alone=True) == "Ines" and voice_in(one, "Guest", alone=False) == "Guest"


def test_what_is_no_recipe_is_refused_in_a_sentence(tmp_path):
    for name, body, words in (("a", "{", "no JSON"), ("b", "{}", "not a recipe"), ("c", '{"schema":"dubbin-recipe","version":99}', "newer"),
                              ("d", '{"schema":"dubbin-recipe","version":1,"recipe":{"voices":3}}', "understood")):  # fmt: skip
        (tmp_path / name).write_text(body)
        with pytest.raises(DubbinError, match=words):
            load_recipe(tmp_path / name)
    with pytest.raises(DubbinError, match="could not be read"):
        load_recipe(tmp_path / "nowhere")


# -- batches ----------------------------------------------------------------------------

PLAIN = replace(
    recipe_of(new_episode()),
    pauses_on=False,
    fillers=False,
    retakes=False,
    delivery=replace(new_episode().delivery, targets=("podcast-mono",), formats=("mp3",)),
)


def test_a_batch_goes_on_after_a_failure_and_does_nothing_twice(speech, folders, tmp_path):
    rooms = tmp_path / "in"
    rooms.mkdir()
    sf.write(rooms / "talk.wav", speech[: 8 * RATE] + noise(8, -55, 1), RATE)
    sf.write(rooms / "talk.flac", speech[: 6 * RATE], RATE)
    (rooms / "broken.wav").write_bytes(b"RIFF nothing more")
    out = tmp_path / "out"
    out.mkdir()
    inputs = find_inputs(sorted(rooms.iterdir()), out)
    outcomes = {o.file.rsplit("/", 1)[-1]: o for o in run_batch(inputs, out, PLAIN, folders)}
    assert outcomes["broken.wav"].error is not None and not outcomes["broken.wav"].passes
    assert outcomes["talk.wav"].passes and outcomes["talk.flac"].passes
    made = {p.name for p in out.glob("*.mp3")}
    assert len(made) == 2 and (out / "talk.dubbin").exists() and (out / "talk-2.dubbin").exists()
    assert set(json.loads((out / STATE).read_text()))
    before = {p: p.stat().st_mtime_ns for p in out.glob("*.mp3")}
    again = list(run_batch(inputs, out, PLAIN, folders))
    assert [o.again for o in sorted(again, key=lambda o: o.file)] == [False, True, True]
    assert before == {p: p.stat().st_mtime_ns for p in out.glob("*.mp3")}
    mine = replace(load_episode(out / "talk-2.dubbin"), title="Mine")
    save_episode(mine, out / "talk-2.dubbin")
    for master in before:
        master.unlink()
    told = {o.file.rsplit("/", 1)[-1]: o.remarks for o in run_batch(inputs, out, PLAIN, folders)}
    (aside,) = out.glob("*.earlier-*.dubbin")
    assert aside.name == "talk-2.earlier-1.dubbin" and load_episode(aside) == mine and load_episode(out / "talk-2.dubbin").title != "Mine"
    assert sorted(aside.name in " ".join(remarks) for remarks in told.values()) == [False, False, True], (
        "what nobody has worked on is written anew"
    )


def test_a_folder_of_several_microphones_is_one_episode_lined_up(speech, folders, tmp_path):
    show = tmp_path / "show"
    (show / "ep1").mkdir(parents=True)
    far = 0.3 * np.concatenate([np.zeros(RATE // 2, np.float32), speech[: 19 * RATE]])
    sf.write(show / "ep1" / "Ines desk.wav", speech[: 19 * RATE] + noise(19, -84, 1), RATE)
    sf.write(show / "ep1" / "guest.wav", (far + noise(19.5, -84, 2)).astype(np.float32), RATE)
    (show / "ep1" / "letter.txt").write_text("not sound")
    inputs = find_inputs([show], tmp_path / "out")
    assert [i.path for i in inputs] == [show / "ep1"] and inputs == find_inputs([show / "ep1"], tmp_path / "out")
    (tmp_path / "out").mkdir()
    recipe = replace(PLAIN, voices=(VoiceRecipe("Ines", pan=-30.0), VoiceRecipe("Tobias")))
    (outcome,) = run_batch(inputs, tmp_path / "out", recipe, folders)
    assert outcome.passes
    episode = load_episode(tmp_path / "out" / "ep1.dubbin")
    assert [(lane.voice, lane.pan) for lane in episode.lanes] == [("Ines", -30.0), ("Guest", 0.0)] or [
        (lane.voice, lane.pan) for lane in episode.lanes
    ] == [("Guest", 0.0), ("Ines", -30.0)]
    starts = {lane.voice: lane.start_frame for lane in episode.lanes}
    assert starts["Ines"] - starts["Guest"] == pytest.approx(RATE // 2, abs=RATE // 500)


def test_a_batch_of_nothing_says_so(tmp_path):
    (tmp_path / "empty").mkdir()
    with pytest.raises(DubbinError, match="holds no recordings"):
        find_inputs([tmp_path / "empty"], tmp_path / "out")


def test_a_recording_that_is_not_there_is_an_outcome(folders, tmp_path):
    inputs = find_inputs([tmp_path / "nowhere.wav"], tmp_path / "out")
    (outcome,) = run_batch(inputs, tmp_path, None, folders)
    assert outcome.error is not None and "not found" in outcome.error and not outcome.passes
