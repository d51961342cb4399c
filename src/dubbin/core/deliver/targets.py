"""Delivery targets, kept as data in targets.toml and, of one's own, in a file of the same form."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from dubbin.core.decodable import decodable
from dubbin.core.errors import DubbinError
from dubbin.core.figures import number, with_unit
from dubbin.core.texts import tr, tr_count

if TYPE_CHECKING:
    from dubbin.core.measure.loudness import Loudness

TABLE = Path(__file__).with_name("targets.toml")
OWN_TABLE = "targets.toml"  # in the folder of a person's settings


@dataclass(frozen=True)
class Target:
    """What a master must be. Levels as BS.1770 measures them, or RMS where the rule says so; None: the rule has no such limit.

    head_s, tail_s: least and most seconds of room tone at both ends. rate 0: that of the program. keeps_level: nothing is done to the program.
    """

    name: str
    title: str
    true_peak_dbtp: float
    rate: int
    channels: int
    bits: int
    kbps: int
    integrated_lufs: float | None = None
    tolerance_lu: float = 1.0
    rms_low_dbfs: float | None = None
    rms_high_dbfs: float | None = None
    rule: str = ""
    range_lu: float | None = None
    short_term_lufs: float | None = None
    momentary_lufs: float | None = None
    noise_floor_dbfs: float | None = None
    head_s: tuple[float, float] | None = None
    tail_s: tuple[float, float] | None = None
    vbr: bool = False
    keeps_level: bool = False
    formats: tuple[str, ...] = ()

    @property
    def by_rms(self) -> bool:
        """Whether the level is judged by its RMS and not by its loudness."""
        return self.rms_low_dbfs is not None and self.rms_high_dbfs is not None

    @property
    def aim(self) -> float | None:
        """The level that is aimed at: LUFS, or RMS in dBFS; None where the level is kept."""
        if self.rms_low_dbfs is not None and self.rms_high_dbfs is not None:
            return (self.rms_low_dbfs + self.rms_high_dbfs) / 2
        return self.integrated_lufs

    @property
    def aim_text(self) -> str:
        """The level that is aimed at, with its unit."""
        if self.aim is None:
            return tr("as it is")
        return tr("{aim} dB RMS").format(aim=number(self.aim)) if self.by_rms else with_unit(self.aim, "LUFS", 0)


@lru_cache(maxsize=8)
def read_targets(table: Path = TABLE) -> dict[str, Target]:
    """Targets by name, in the order of the file. Raises DubbinError when a file is wrong."""
    try:
        with open(table, "rb") as f:
            plain = tomllib.load(f)
        found = {name: msgspec.convert({"name": name, **values}, decodable(Target)) for name, values in plain.items()}
        if table == TABLE:
            found = {name: replace(target, title=tr(target.title), rule=tr(target.rule)) for name, target in found.items()}
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, msgspec.ValidationError, TypeError) as error:
        raise DubbinError(tr("The table of targets {table} can't be used: {error}.").format(table=table, error=error)) from error
    for target in found.values():
        check_target(target, table)
    return found


def check_target(target: Target, table: Path) -> None:
    """Raise DubbinError where a target asks for what can't be. table: the file that it stands in."""
    problems = [
        (target.aim is None and not target.keeps_level, tr("no loudness to aim at")),
        (target.aim is not None and not -60.0 <= target.aim <= 0.0, tr("a loudness that can't be")),
        (not -30.0 <= target.true_peak_dbtp <= 0.0, tr("a true peak that can't be")),
        (target.rate != 0 and not 8000 <= target.rate <= 192000, tr("a rate that can't be")),
        (target.channels not in (1, 2), tr("neither one channel nor two")),
        (target.bits not in (16, 24, 32), tr("neither 16, 24 nor 32 bits")),
        (not 16 <= target.kbps <= 512, tr("a bit rate that can't be")),
    ]
    for wrong, what in problems:
        if wrong:
            raise DubbinError(
                tr("The table of targets {table} can't be used: {name} has {what}.").format(table=table, name=target.name, what=what)
            )


def all_targets(settings_folder: Path | None = None) -> dict[str, Target]:
    """The targets that come with the program and a person's own, which may replace them. Raises DubbinError when their file is wrong."""
    own = settings_folder / OWN_TABLE if settings_folder is not None else None
    return {**read_targets(), **(read_targets(own) if own is not None and own.is_file() else {})}


def find_target(name: str, settings_folder: Path | None = None) -> Target:
    """A target by name. Raises DubbinError that lists the names there are."""
    targets = all_targets(settings_folder)
    if name not in targets:
        raise DubbinError(tr("There is no target {name!r}; there are: {targets}.").format(name=name, targets=", ".join(targets)))
    return targets[name]


# A reading is a decimal figure: what rounds to the limit passes (EBU Tech 3341 asks for 0.1 LU).
READING_LU = 0.05
READING_DB = 0.05
READING_S = 0.05


@dataclass(frozen=True)
class Reading:
    """What is held against a target. head_s, tail_s: before the first and after the last word."""

    loudness: Loudness
    channels: int
    rms_dbfs: float | None = None
    noise_floor_dbfs: float | None = None
    head_s: float | None = None
    tail_s: float | None = None


@dataclass(frozen=True)
class Rule:
    """One rule of a target: what it asks, what was found, and whether that passes. problem: a sentence where it does not."""

    name: str
    asked: str
    found: str
    passes: bool
    problem: str = ""


def rules(reading: Reading, target: Target) -> list[Rule]:
    """Every rule of a target held against a reading."""
    out: list[Rule] = []
    loudness = reading.loudness
    if loudness.integrated_lufs is None:
        return [
            Rule(
                tr("Sound"),
                tr("something to measure"),
                tr("silence"),
                False,
                tr("There is nothing to measure: the file is silent or shorter than 0.4 s."),
            )
        ]
    if target.integrated_lufs is not None:
        out.append(_level_rule(loudness.integrated_lufs, target.integrated_lufs, target.tolerance_lu))
    if target.rms_low_dbfs is not None and target.rms_high_dbfs is not None:
        out.append(_rms_rule(reading.rms_dbfs, target.rms_low_dbfs, target.rms_high_dbfs))
    if not target.keeps_level:
        out.append(
            _limit(tr("True peak"), loudness.true_peak_dbtp, target.true_peak_dbtp, "dBTP", READING_DB, tr("is above the ceiling of"))
        )
    out += [
        _limit(name, value, limit, unit, slack, tr("is above"))
        for name, value, limit, unit, slack in (
            (tr("Loudness range"), loudness.range_lu, target.range_lu, "LU", READING_LU),
            (tr("Short-term loudness"), loudness.max_short_term_lufs, target.short_term_lufs, "LUFS", READING_LU),
            (tr("Momentary loudness"), loudness.max_momentary_lufs, target.momentary_lufs, "LUFS", READING_LU),
            (tr("Noise floor"), reading.noise_floor_dbfs, target.noise_floor_dbfs, "dBFS", READING_DB),
        )
        if limit is not None
    ]
    for name, seconds, span in (
        (tr("Room tone before"), reading.head_s, target.head_s),
        (tr("Room tone after"), reading.tail_s, target.tail_s),
    ):
        if span is not None and seconds is not None:
            good = span[0] - READING_S <= seconds <= span[1] + READING_S
            problem = (
                ""
                if good
                else tr("{name} the words lasts {seconds} s; {least} to {most} s are asked for.").format(
                    name=name, seconds=number(seconds, 2), least=number(span[0]), most=number(span[1])
                )
            )
            out.append(
                Rule(
                    name,
                    tr("{least} to {most} s").format(least=number(span[0]), most=number(span[1])),
                    with_unit(seconds, "s", 2),
                    good,
                    problem,
                )
            )
    if reading.channels != target.channels:
        text = tr_count(
            "{count} channel; the target asks for {wanted}.",
            "{count} channels; the target asks for {wanted}.",
            reading.channels,
            wanted=target.channels,
        )
        out.append(Rule(tr("Channels"), str(target.channels), str(reading.channels), False, text))
    else:
        out.append(Rule(tr("Channels"), str(target.channels), str(reading.channels), True))
    return out


def _level_rule(level: float, wanted: float, tolerance: float) -> Rule:
    off = level - wanted
    good = abs(off) <= tolerance + READING_LU
    louder = tr("{level} LUFS is {off} LU louder than {wanted} LUFS (±{tolerance} LU allowed).")
    quieter = tr("{level} LUFS is {off} LU quieter than {wanted} LUFS (±{tolerance} LU allowed).")
    text = (louder if off > 0 else quieter).format(
        level=number(level), off=number(abs(off)), wanted=number(wanted), tolerance=number(tolerance)
    )
    return Rule(
        tr("Integrated loudness"), f"{number(wanted)} LUFS ±{number(tolerance)}", with_unit(level, "LUFS"), good, "" if good else text
    )


def _rms_rule(rms: float | None, low: float, high: float) -> Rule:
    good = rms is not None and low - READING_DB <= rms <= high + READING_DB
    found = with_unit(rms, "dBFS")
    return Rule(
        "RMS",
        tr("{low} to {high} dBFS").format(low=number(low, 0), high=number(high, 0)),
        found,
        good,
        ""
        if good
        else tr("RMS is {found}; {low} to {high} dBFS are asked for.").format(found=found, low=number(low, 0), high=number(high, 0)),
    )


def _limit(name: str, value: float | None, limit: float, unit: str, slack: float, words: str) -> Rule:
    good = value is None or value <= limit + slack
    problem = "" if good else f"{name} {number(value)} {unit} {words} {number(limit)} {unit}."
    return Rule(
        name,
        tr("at most {limit} {unit}").format(limit=number(limit), unit=unit),
        with_unit(value, unit),
        good,
        problem,
    )


def problems(reading: Reading, target: Target) -> list[str]:
    """What keeps a measured file from meeting a target, as sentences; empty when it passes."""
    return [rule.problem for rule in rules(reading, target) if not rule.passes]
