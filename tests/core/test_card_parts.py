"""The parts of a run of the card, each by itself: what is held back, left in, told and levelled."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf

from dubbin.core.card import cuts as card_cuts
from dubbin.core.card import repairs as card_repairs
from dubbin.core.card.balance import set_balance
from dubbin.core.card.cuts import FoundCuts, find_cuts, make_cuts
from dubbin.core.card.entry import BalancePart, BalanceSwitch, CardStep, CutSwitch, RepairSwitch
from dubbin.core.card.plan import PlanKey, PlanKind
from dubbin.core.card.repairs import measure, repair
from dubbin.core.card.run import run_card
from dubbin.core.card.state import CardResources, CardRun
from dubbin.core.card.words import NO_WORDS
from dubbin.core.episode.commands.balance import MUSIC_UNDER_LU
from dubbin.core.episode.commands.lanes import change_lane
from dubbin.core.episode.commands.recordings import add_recordings
from dubbin.core.episode.commands.words import set_transcript
from dubbin.core.episode.document import new_episode
from dubbin.core.episode.file import load_episode
from dubbin.core.episode.importing import import_file
from dubbin.core.episode.model import Cut, CutKind, Episode, FrameRange, Role
from dubbin.core.jobs import Task
from dubbin.core.measure.finding import Finding, Severity
from dubbin.core.mix.heard_in_cuts import SpeechInCut
from dubbin.core.mix.word_cuts import FoundRetake
from dubbin.core.sound.working_copy import WorkingCopies
from dubbin.core.speech.activity import Activity
from dubbin.core.speech.pauses import Pause
from dubbin.core.speech.retakes import Retake
from dubbin.core.speech.transcript import Transcript, Word
from dubbin.core.treat.chain import Use
from dubbin.core.treat.guard import AUDIBLE_DB, Guard
from dubbin.core.treat.registry import TREATMENTS
from dubbin.core.treat.tiles import MemoryTileCache
from tests.conftest import RATE, tone


@pytest.fixture
def resources(tmp_path) -> CardResources:
    return CardResources(WorkingCopies(tmp_path / "copies"), MemoryTileCache())


@pytest.fixture
def run(little, resources):
    """A run over two microphones that hold nothing but noise."""
    return run_of(load_episode(little), resources)


def run_of(episode, resources, skip=(), told=lambda _, __: None) -> CardRun:
    return CardRun(episode, resources, Task(), frozenset(skip), told)


@pytest.fixture(scope="module")
def measured(little_folder, tmp_path_factory):
    """What is measured of the two microphones."""
    copies = WorkingCopies(tmp_path_factory.mktemp("measured"))
    return measure(run_of(load_episode(little_folder / "little.dubbin"), CardResources(copies, MemoryTileCache())))


def music(folder, channels: int):
    path = folder / f"theme {channels}.wav"
    sf.write(path, tone(1000.0, 5.0, -30.0, channels=channels).samples.T, RATE)
    taken = import_file(path, WorkingCopies(folder / "copies"), RATE)
    return taken.recording, replace(taken.lanes[0], role=Role.MUSIC)


class TestCuts:
    FILLER, OTHER = Cut(RATE, 2 * RATE, CutKind.FILLER), Cut(20 * RATE, 21 * RATE, CutKind.FILLER)
    TAKE = Cut(4 * RATE, 8 * RATE, CutKind.RETAKE)
    WITHIN = Cut(5 * RATE, 6 * RATE, CutKind.FILLER)
    PAUSES = (Pause(10.0, 13.0, 11.0, 12.0), Pause(15.0, 18.0, 16.0, 17.0))

    def found(self) -> FoundCuts:
        pauses = [Cut(round(p.cut_start_s * RATE), round(p.cut_end_s * RATE), CutKind.PAUSE) for p in self.PAUSES]
        return FoundCuts((self.TAKE, self.FILLER, self.OTHER, self.WITHIN, *pauses), self.PAUSES)

    def words(self, *spans):
        retakes = tuple(FoundRetake("host", Retake(()), each) for each in spans)
        return replace(NO_WORDS, own={"host": np.zeros(3000, bool)}, retakes=retakes)

    def heard(self, monkeypatch, *speech) -> None:
        monkeypatch.setattr(card_cuts, "speech_in_cuts", lambda *_, **__: list(speech))

    def test_what_holds_speech_is_left_in_and_told_with_its_words_and_place(self, run, monkeypatch):
        kept = self.found().cuts[4]
        long = "a sentence that goes on and on and on until nobody listens any more"
        self.heard(monkeypatch, SpeechInCut("Host", self.OTHER, long), SpeechInCut("Guest", kept, "yes"))
        make_cuts(run, self.found(), self.words())
        cuts = {(c.start_frame, c.kind) for c in run.episode.cuts}
        assert (self.FILLER.start_frame, CutKind.FILLER) in cuts and (16 * RATE, CutKind.PAUSE) in cuts
        assert not any(start in (self.OTHER.start_frame, kept.start_frame) for start, _ in cuts)
        assert FrameRange(kept.start_frame, kept.end_frame) in run.episode.kept_pauses
        filler, pause = [e for e in run.entries if e.title.startswith("Left in")]
        assert len(filler.title) < 70 and "…" in filler.title and filler.title.endswith("Host") and filler.after.endswith("filler at 0:20")
        assert pause.title == "Left in: “yes” · Guest" and pause.switch == CutSwitch(CutKind.PAUSE, (kept,))
        assert not filler.is_on(run.episode) and filler.is_on(filler.switched(run.episode, True).episode)

    @pytest.mark.parametrize(("languages", "only"), [(("en", "en"), "en"), (("en", "fr"), None)])
    def test_the_recogniser_is_given_all_that_would_go_and_what_it_may_lean_on(self, run, monkeypatch, languages, only):
        asked, chosen = [], []
        monkeypatch.setattr(card_cuts, "speech_in_cuts", lambda *values, **named: asked.append((values, named)) or [])
        run.resources = replace(run.resources, models=SimpleNamespace(for_language=lambda code: chosen.append(code) or "a model"))
        for lane, language in zip(run.voices, languages, strict=True):
            run.episode = set_transcript(run.episode, Transcript(lane.id, (Word("one", 0, RATE),), language)).episode
        words, found = replace(self.words(((0, 10), (10, 20))), voicings={"host": "how it sounds"}), self.found()
        make_cuts(run, found, words)
        (cuts, voices, sources, own, retakes, model, task), named = asked.pop()
        assert cuts == found.cuts and voices is run.voices and own is words.own and retakes is words.retakes and model == "a model"
        assert {lane.id for lane in run.voices} == set(sources) and all(s.frames == 30 * RATE for s in sources.values())
        assert named == {"language": only, "voicings": words.voicings} and chosen == [only] and isinstance(task, Task)

    def test_every_kind_is_a_step_with_a_title_and_a_switch_of_its_own(self, run, monkeypatch):
        self.heard(monkeypatch)
        before, titles = run.episode, []
        make_cuts(run, self.found(), self.words(((4 * RATE, 6 * RATE), (8 * RATE, 10 * RATE))))
        for step in run.changes:
            change = step(before)
            titles.append(change.title)
            before = change.episode
        assert (
            titles == ["Keep the last take of 1 line", "Cut 2 fillers", "Cut all pauses"]
            and before.pauses == run.episode.pauses == Episode("").pauses
        )
        assert [(e.step, e.title) for e in run.entries] == [
            (CardStep.EDIT, "Last take of 1 line kept"), (CardStep.EDIT, "2 fillers cut"), (CardStep.EDIT, "2 pauses shortened"),
        ]  # fmt: skip
        assert [(e.switch.kind, len(e.switch.cuts)) for e in run.entries] == [(CutKind.RETAKE, 1), (CutKind.FILLER, 2), (CutKind.PAUSE, 2)]
        for entry in run.entries:
            off = entry.switched(run.episode, False).episode
            assert not entry.is_on(off) and entry.is_on(entry.switched(off, True).episode)

    @pytest.mark.parametrize(("text", "shown"), [("x" * 48, "x" * 48), ("x" * 49, "x" * 46 + " …")])
    def test_a_long_quote_is_shortened(self, run, monkeypatch, text, shown):
        late = Cut(65 * RATE, 66 * RATE, CutKind.FILLER)
        self.heard(monkeypatch, SpeechInCut("Host", late, text))
        make_cuts(run, FoundCuts((late,), ()), self.words())
        (entry,) = run.entries
        assert entry.title == f"Left in: “{shown}” · Host" and (entry.before, entry.after) == ("", "speech in a filler at 1:05")

    def test_a_filler_lies_in_a_take_where_its_middle_does(self, run, monkeypatch):
        self.heard(monkeypatch)
        at = [Cut(start, start + 100, CutKind.FILLER) for start in (4 * RATE - 51, 4 * RATE - 50, 8 * RATE - 51, 8 * RATE - 50)]
        make_cuts(run, FoundCuts((self.TAKE, *at), ()), self.words())
        fillers = next(e for e in run.entries if "filler" in e.title)
        assert fillers.title == "2 fillers cut"

    def test_a_filler_within_a_take_that_goes_is_not_cut_twice(self, run, monkeypatch):
        self.heard(monkeypatch)
        make_cuts(run, self.found(), self.words())
        fillers = next(e for e in run.entries if e.title == "2 fillers cut")
        assert {c.start_frame for c in fillers.switch.cuts} == {self.FILLER.start_frame, self.OTHER.start_frame}

    def test_the_lines_told_are_those_whose_takes_are_cut(self, run, monkeypatch):
        self.heard(monkeypatch)
        cut_now = ((4 * RATE, 6 * RATE), (8 * RATE, 10 * RATE))
        left = ((14 * RATE, 15 * RATE), (15 * RATE, 16 * RATE))  # found, but its cut did not pass the check
        make_cuts(run, self.found(), self.words(cut_now, left))
        assert run.entries[0].title == "Last take of 1 line kept"
        assert (run.entries[0].before, run.entries[0].after) == ("0:30", "0:26")

    def test_nobody_listens_to_cuts_where_no_words_are_wanted(self, run, monkeypatch):
        monkeypatch.setattr(card_cuts, "speech_in_cuts", lambda *_, **__: pytest.fail("the recogniser was asked"))
        make_cuts(run, self.found(), NO_WORDS)
        assert len(run.entries) == 3


class TestFindingCuts:
    """Nobody is heard from 10 s to 14 s."""

    @pytest.fixture
    def heard(self, run, measured):
        excess = np.full(3000, 20.0, np.float32)
        excess[1000:1400] = -20.0
        activity = Activity(excess - 40.0, excess)
        return {lane.id: replace(measured[lane.id], activity=activity) for lane in run.voices}

    def test_pauses_of_everybody_are_found_beside_what_the_words_gave(self, run, heard):
        told = []
        run._told = lambda key, share: told.append((key, share))
        words = replace(NO_WORDS, stretches={CutKind.RETAKE: [(0, RATE)], CutKind.FILLER: [(3 * RATE, 4 * RATE)]})
        found = find_cuts(run, heard, words)
        assert [(c.kind, c.start_frame) for c in found.cuts[:2]] == [(CutKind.RETAKE, 0), (CutKind.FILLER, 3 * RATE)]
        (pause,) = found.pauses
        assert [(c.kind, c.start_frame / RATE, c.end_frame / RATE) for c in found.cuts[2:]] == [
            (CutKind.PAUSE, pytest.approx(pause.cut_start_s), pytest.approx(pause.cut_end_s))
        ]
        assert 10.0 <= pause.cut_start_s < pause.cut_end_s <= 14.0 and pause.cut_end_s - pause.cut_start_s > 3.0
        assert told == [(PlanKey(PlanKind.PAUSES), 1.0)]

    def test_voices_lie_where_their_lanes_begin(self, run, heard):
        at_first = find_cuts(run, heard, NO_WORDS).pauses[0]
        for lane in run.voices:
            run.episode = change_lane(run.episode, lane.id, "", start_frame=2 * RATE).episode
        run.voices = list(run.episode.session_voices)
        later = [p for p in find_cuts(run, heard, NO_WORDS).pauses if p.start_s > 5.0]
        assert [p.cut_start_s for p in later] == pytest.approx([at_first.cut_start_s + 2.0], abs=0.05)

    def test_each_cut_passes_the_check_that_all_automatic_cuts_pass(self, run, heard):
        class Check:
            def settled(self, start, end):
                return (start + RATE // 2, end - RATE // 4)

        whole, drawn = find_cuts(run, heard, NO_WORDS).pauses[0], find_cuts(run, heard, replace(NO_WORDS, check=Check())).pauses[0]
        assert (drawn.cut_start_s, drawn.cut_end_s) == pytest.approx((whole.cut_start_s + 0.5, whole.cut_end_s - 0.25))
        Check.settled = lambda self, start, end: None
        assert find_cuts(run, heard, replace(NO_WORDS, check=Check())).pauses == ()

    def test_pauses_that_somebody_has_cut_or_left_out_are_not_looked_for(self, run, heard, resources):
        less = run_of(run.episode, resources, [PlanKey(PlanKind.PAUSES)])
        assert find_cuts(less, heard, NO_WORDS) == FoundCuts((), ())
        run.episode = replace(run.episode, pauses_on=True)
        assert find_cuts(run, heard, NO_WORDS) == FoundCuts((), ())


class TestRepairs:
    @pytest.fixture
    def reports(self, run, measured):
        """Of the two microphones, as if each asked for the high pass, and the first for the denoiser too."""
        rumble, noise = (Finding(n, n, "", Severity.AUDIBLE, treatment=n, strength=s) for n, s in (("derumble", 100), ("denoise", 80)))
        asked = (noise, rumble), (rumble,)
        return {lane.id: replace(measured[lane.id].report, findings=found) for lane, found in zip(run.voices, asked, strict=True)}

    @pytest.fixture(autouse=True)
    def quick(self, monkeypatch):
        """The statistical engine, where the network would take seconds."""
        real = card_repairs.change_use

        def change_use(episode, lane, name, title, **values):
            changed = real(episode, lane, name, title, **values)
            return real(changed.episode, lane, name, title, settings={"engine": "statistical"}) if name == "denoise" else changed

        monkeypatch.setattr(card_repairs, "change_use", change_use)

    def use(self, run, lane, name):
        return next(u for u in run.episode.lane(lane.id).repairs if u.name == name)

    def test_a_treatment_goes_no_further_than_the_voice_allows(self, run, reports, monkeypatch):
        loses = Guard(AUDIBLE_DB - 20.0 * np.log10(0.42))  # as much of the voice as is just not heard at 42 %
        monkeypatch.setattr(card_repairs, "guard_of", lambda stage, kept: loses)
        repair(run, reports)
        assert {self.use(run, run.voices[0], n).strength for n in ("denoise", "derumble")} == {42}

    def test_an_echo_that_noise_has_hidden_is_treated_where_the_noise_was(self, run, reports, monkeypatch):
        asked = []

        def found(chain, report, task):
            asked.append(report)
            return Use(TREATMENTS["dereverb"], TREATMENTS["dereverb"].settings_type(), 0.6)

        monkeypatch.setattr(card_repairs, "hidden_echo", found)
        after = repair(run, reports)
        first, second = run.voices
        assert asked == [reports[first.id]] and set(after) == {first.id, second.id}
        assert self.use(run, first, "dereverb").strength <= 60
        assert not any(u.name == "dereverb" and u.on for u in run.episode.lane(second.id).repairs)
        assert [e.switch for e in run.entries if e.step is CardStep.REPAIR] == [
            RepairSwitch(first.id, "derumble"), RepairSwitch(first.id, "denoise"), RepairSwitch(first.id, "dereverb"),
            RepairSwitch(second.id, "derumble"),
        ]  # fmt: skip

    def test_a_line_of_the_plan_that_is_left_out_is_not_looked_for_either(self, run, reports, resources, monkeypatch):
        monkeypatch.setattr(card_repairs, "hidden_echo", lambda *_: pytest.fail("an echo was looked for"))
        first = run.voices[0].id
        less = run_of(run.episode, resources, [PlanKey(PlanKind.REPAIR, first, "dereverb")])
        repair(less, reports)
        assert not any(e.title.startswith("Echo") for e in less.entries)


class TestBalance:
    @pytest.mark.parametrize("channels", [1, 2])
    def test_music_comes_out_as_loud_whether_it_has_one_channel_or_two(self, little, resources, tmp_path, channels):
        recording, lane = music(tmp_path, channels)
        episode = add_recordings(load_episode(little), [recording], [lane]).episode
        run = run_of(episode, resources)
        set_balance(run)
        # A tone of 1 kHz with crests of -30 dBFS on both sides is as loud as its number says, but for what the weighting rounds.
        target = run.voices[0].levelling.target_lufs - MUSIC_UNDER_LU
        assert run.episode.lane(lane.id).level_db == pytest.approx(target + 30.0, abs=0.1)
        switches = [e.switch for e in run.entries]
        assert BalanceSwitch(lane.id, BalancePart.DUCKING) in switches
        assert {BalanceSwitch(v.id, p) for v in run.voices for p in (BalancePart.LEVELLING, BalancePart.BLEED)} <= set(switches)

    def test_one_voice_alone_has_no_bleed_to_control(self, little, resources):
        episode = load_episode(little)
        run = run_of(replace(episode, lanes=episode.lanes[:1]), resources)
        set_balance(run)
        assert [e.switch.part for e in run.entries] == [BalancePart.LEVELLING]

    def test_left_out_of_the_plan_it_changes_nothing(self, run, resources):
        less = run_of(run.episode, resources, [PlanKey(PlanKind.BALANCE)])
        set_balance(less)
        assert less.episode == run.episode and less.entries == []


def test_music_alone_is_balanced_and_nothing_else_is_done(resources, tmp_path):
    recording, lane = music(tmp_path, 2)
    said: list[str] = []
    result = run_card(add_recordings(new_episode(), [recording], [lane]).episode, resources, say=said.append)
    assert said == ["Measuring", "Balancing"] and len(result.changes) == 1 and result.entries == ()
