"""The card's balance: voices as loud as each other, bleed down, music under the program and under speech."""

from __future__ import annotations

from dubbin.core.card.entry import BalancePart, BalanceSwitch, CardStep, Entry
from dubbin.core.card.plan import PlanKind
from dubbin.core.card.state import CardRun
from dubbin.core.episode.commands.balance import suggest_balance
from dubbin.core.episode.model import Lane, Role
from dubbin.core.episode.time_map import program_map
from dubbin.core.figures import with_unit
from dubbin.core.measure.loudness import measure_loudness
from dubbin.core.mix.balance_report import report_balance
from dubbin.core.mix.lane_gains import Balance, find_balance
from dubbin.core.mix.voice_facts import voice_facts
from dubbin.core.texts import tr

BOTH_CHANNELS_LU = 3.01  # a lane of one channel sounds from both sides in the program


def set_balance(run: CardRun) -> None:
    """Suggest levels, and tell what becomes of every voice and of the music."""
    if not run.wants(PlanKind.BALANCE):
        return
    before, loudness = run.episode, _loudness_of_music(run)
    run.do(lambda e: suggest_balance(e, loudness))
    if not run.voices:
        return
    task = run.task.part(0.92, 1.0).watched(lambda fraction: run.tell(PlanKind.BALANCE, fraction))
    facts = voice_facts(run.episode, run.sounds(), task, run.resources.kept)
    balances = (before, Balance()), (run.episode, find_balance(run.episode, facts))
    was, now = ({v.lane: v for v in report_balance(e, program_map(e), facts, b).voices} for e, b in balances)
    for lane in run.voices:
        title = tr("Levelling · {voice}").format(voice=lane.voice)
        levels = was[lane.id].before_lufs if lane.id in was else None, now[lane.id].after_lufs if lane.id in now else None
        _add(run, title, lane, BalancePart.LEVELLING, *(with_unit(level, "LUFS") for level in levels))
        bleed = run.episode.lane(lane.id).bleed
        if bleed.on:
            title = tr("Bleed control · {voice}").format(voice=lane.voice)
            _add(run, title, lane, BalancePart.BLEED, "", with_unit(-bleed.range_db, "dB", 0))
    for lane in run.episode.beds:
        title = tr("Ducking · {voice}").format(voice=lane.voice)
        _add(run, title, lane, BalancePart.DUCKING, "", with_unit(-lane.ducking.depth_db, "dB", 0))


def _loudness_of_music(run: CardRun) -> dict[str, float | None]:
    """In LUFS as it sounds in the program, by lane id."""
    sounds, found = run.sounds(), dict[str, float | None]()
    for lane in run.episode.lanes:
        if lane.role is Role.MUSIC and not lane.is_insert:
            sound = sounds[lane.id].recorded
            lufs = measure_loudness(sound, true_peak=False).integrated_lufs
            found[lane.id] = None if lufs is None else lufs + (BOTH_CHANNELS_LU if sound.channels == 1 else 0.0)
    return found


def _add(run: CardRun, title: str, lane: Lane, part: BalancePart, before: str, after: str) -> None:
    run.entries.append(Entry(CardStep.BALANCE, title, BalanceSwitch(lane.id, part), before, after))
