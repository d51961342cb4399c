"""Delivery targets, kept as data in targets.toml."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import msgspec

from dubbin.core.errors import DubbinError
from dubbin.core.measure.loudness import Loudness

TABLE = Path(__file__).with_name("targets.toml")


@dataclass(frozen=True)
class Target:
    """What a master must be. Levels as BS.1770 measures them."""

    name: str
    title: str
    integrated_lufs: float
    tolerance_lu: float
    true_peak_dbtp: float
    rate: int
    channels: int
    bits: int
    kbps: int
    rule: str = ""
    range_lu: float | None = None
    short_term_lufs: float | None = None


@lru_cache(maxsize=8)
def read_targets(table: Path = TABLE) -> dict[str, Target]:
    """Targets by name, in the order of the file. Raises DubbinError when a user's file is wrong."""
    try:
        with open(table, "rb") as f:
            plain = tomllib.load(f)
        return {name: msgspec.convert({"name": name, **values}, Target) for name, values in plain.items()}
    except (OSError, tomllib.TOMLDecodeError, msgspec.ValidationError, TypeError) as error:
        raise DubbinError(f"The table of targets {table} can't be used: {error}.") from error


def find_target(name: str) -> Target:
    """A target by name. Raises DubbinError that lists the names there are."""
    targets = read_targets()
    if name not in targets:
        raise DubbinError(f"There is no target {name!r}; there are: {', '.join(targets)}.")
    return targets[name]


# A reading is a decimal figure: what rounds to the limit passes (EBU Tech 3341 asks for 0.1 LU).
READING_LU = 0.05
READING_DB = 0.05


def problems(loudness: Loudness, channels: int, target: Target) -> list[str]:
    """What keeps a measured file from meeting a target, as sentences; empty when it passes."""
    out = []
    level = loudness.integrated_lufs
    if level is None:
        return ["There is nothing to measure: the file is silent or shorter than 0.4 s."]
    off = level - target.integrated_lufs
    if abs(off) > target.tolerance_lu + READING_LU:
        word = "louder" if off > 0 else "quieter"
        out.append(
            f"{level:.1f} LUFS is {abs(off):.1f} LU {word} than {target.integrated_lufs:.1f} LUFS "
            f"(±{target.tolerance_lu:.1f} LU allowed)."
        )
    peak = loudness.true_peak_dbtp
    if peak is not None and peak > target.true_peak_dbtp + READING_DB:
        out.append(f"True peak {peak:.1f} dBTP is above the ceiling of {target.true_peak_dbtp:.1f} dBTP.")
    if target.range_lu is not None and loudness.range_lu is not None and loudness.range_lu > target.range_lu:
        out.append(f"Loudness range {loudness.range_lu:.1f} LU is above {target.range_lu:.1f} LU.")
    short = loudness.max_short_term_lufs
    if target.short_term_lufs is not None and short is not None and short > target.short_term_lufs + READING_LU:
        out.append(f"Short-term loudness reaches {short:.1f} LUFS, above {target.short_term_lufs:.1f} LUFS.")
    if channels != target.channels:
        out.append(f"{channels} channel{'s' if channels != 1 else ''}; the target asks for {target.channels}.")
    return out
