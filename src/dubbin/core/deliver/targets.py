"""Delivery targets, kept as data in targets.toml and, of one's own, in a file of the same form."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from dubbin.core.errors import DubbinError

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
            return "as it is"
        return (f"{self.aim:.1f} dB RMS" if self.by_rms else f"{self.aim:.0f} LUFS").replace("-", "−")


@lru_cache(maxsize=8)
def read_targets(table: Path = TABLE) -> dict[str, Target]:
    """Targets by name, in the order of the file. Raises DubbinError when a file is wrong."""
    try:
        with open(table, "rb") as f:
            plain = tomllib.load(f)
        found = {name: msgspec.convert({"name": name, **values}, Target) for name, values in plain.items()}
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, msgspec.ValidationError, TypeError) as error:
        raise DubbinError(f"The table of targets {table} can't be used: {error}.") from error
    for target in found.values():
        check_target(target, table)
    return found


def check_target(target: Target, table: Path) -> None:
    """Raise DubbinError where a target asks for what can't be. table: the file that it stands in."""
    problems = [
        (target.aim is None and not target.keeps_level, "no loudness to aim at"),
        (target.aim is not None and not -60.0 <= target.aim <= 0.0, "a loudness that can't be"),
        (not -30.0 <= target.true_peak_dbtp <= 0.0, "a true peak that can't be"),
        (target.rate not in (0, *range(8000, 192001)), "a rate that can't be"),
        (target.channels not in (1, 2), "neither one channel nor two"),
        (target.bits not in (16, 24, 32), "neither 16, 24 nor 32 bits"),
        (not 16 <= target.kbps <= 512, "a bit rate that can't be"),
    ]
    for wrong, what in problems:
        if wrong:
            raise DubbinError(f"The table of targets {table} can't be used: {target.name} has {what}.")


def all_targets(settings_folder: Path | None = None) -> dict[str, Target]:
    """The targets that come with the program and a person's own, which may replace them. Raises DubbinError when their file is wrong."""
    own = settings_folder / OWN_TABLE if settings_folder is not None else None
    return {**read_targets(), **(read_targets(own) if own is not None and own.is_file() else {})}


def find_target(name: str, settings_folder: Path | None = None) -> Target:
    """A target by name. Raises DubbinError that lists the names there are."""
    targets = all_targets(settings_folder)
    if name not in targets:
        raise DubbinError(f"There is no target {name!r}; there are: {', '.join(targets)}.")
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
                "Sound", "something to measure", "silence", False, "There is nothing to measure: the file is silent or shorter than 0.4 s."
            )
        ]
    if target.integrated_lufs is not None:
        out.append(_level_rule(loudness.integrated_lufs, target.integrated_lufs, target.tolerance_lu))
    if target.rms_low_dbfs is not None and target.rms_high_dbfs is not None:
        out.append(_rms_rule(reading.rms_dbfs, target.rms_low_dbfs, target.rms_high_dbfs))
    if not target.keeps_level:
        out.append(_limit("True peak", loudness.true_peak_dbtp, target.true_peak_dbtp, "dBTP", READING_DB, "is above the ceiling of"))
    out += [
        _limit(name, value, limit, unit, slack, "is above")
        for name, value, limit, unit, slack in (
            ("Loudness range", loudness.range_lu, target.range_lu, "LU", READING_LU),
            ("Short-term loudness", loudness.max_short_term_lufs, target.short_term_lufs, "LUFS", READING_LU),
            ("Momentary loudness", loudness.max_momentary_lufs, target.momentary_lufs, "LUFS", READING_LU),
            ("Noise floor", reading.noise_floor_dbfs, target.noise_floor_dbfs, "dBFS", READING_DB),
        )
        if limit is not None
    ]
    for name, seconds, span in (("Room tone before", reading.head_s, target.head_s), ("Room tone after", reading.tail_s, target.tail_s)):
        if span is not None and seconds is not None:
            good = span[0] - READING_S <= seconds <= span[1] + READING_S
            problem = "" if good else f"{name} the words lasts {seconds:.2f} s; {span[0]:.1f} to {span[1]:.1f} s are asked for."
            out.append(Rule(name, f"{span[0]:.1f} to {span[1]:.1f} s", f"{seconds:.2f} s", good, problem))
    if reading.channels != target.channels:
        plural = "s" if reading.channels != 1 else ""
        text = f"{reading.channels} channel{plural}; the target asks for {target.channels}."
        out.append(Rule("Channels", str(target.channels), str(reading.channels), False, text))
    else:
        out.append(Rule("Channels", str(target.channels), str(reading.channels), True))
    return out


def _level_rule(level: float, wanted: float, tolerance: float) -> Rule:
    off = level - wanted
    good = abs(off) <= tolerance + READING_LU
    word = "louder" if off > 0 else "quieter"
    text = f"{level:.1f} LUFS is {abs(off):.1f} LU {word} than {wanted:.1f} LUFS (±{tolerance:.1f} LU allowed)."
    return Rule("Integrated loudness", f"{wanted:.1f} LUFS ±{tolerance:.1f}", f"{level:.1f} LUFS", good, "" if good else text)


def _rms_rule(rms: float | None, low: float, high: float) -> Rule:
    good = rms is not None and low - READING_DB <= rms <= high + READING_DB
    found = "–" if rms is None else f"{rms:.1f} dBFS"
    return Rule(
        "RMS", f"{low:.0f} to {high:.0f} dBFS", found, good, "" if good else f"RMS is {found}; {low:.0f} to {high:.0f} dBFS are asked for."
    )


def _limit(name: str, value: float | None, limit: float, unit: str, slack: float, words: str) -> Rule:
    good = value is None or value <= limit + slack
    problem = "" if good else f"{name} {value:.1f} {unit} {words} {limit:.1f} {unit}."
    return Rule(name, f"at most {limit:.1f} {unit}", "–" if value is None else f"{value:.1f} {unit}", good, problem)


def problems(reading: Reading, target: Target) -> list[str]:
    """What keeps a measured file from meeting a target, as sentences; empty when it passes."""
    return [rule.problem for rule in rules(reading, target) if not rule.passes]
