"""A person's own targets: read from and written to a file of the form of targets.toml."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import fields
from pathlib import Path

from dubbin.core.deliver.targets import OWN_TABLE, Target, check_target, read_targets
from dubbin.core.sound.writing import not_written, replacing

HEAD = "# Targets of one's own, of the form of those that come with Dubbin. Edit them in the Master step, or here.\n"


def own_targets(settings_folder: Path) -> dict[str, Target]:
    """By name. Raises DubbinError when the file is wrong."""
    table = settings_folder / OWN_TABLE
    return dict(read_targets(table)) if table.is_file() else {}


def save_own_targets(settings_folder: Path, targets: Mapping[str, Target]) -> None:
    """Write all of them; the file appears whole or not at all. Raises DubbinError where one can't be met by anything, CannotWrite where the file can't be written."""
    table = settings_folder / OWN_TABLE
    for target in targets.values():
        check_target(target, table)
    text = HEAD + "".join(_section(target) for target in targets.values())
    try:
        table.parent.mkdir(parents=True, exist_ok=True)
        with replacing(table) as temporary:
            temporary.write_text(text, "utf-8")
    except OSError as error:
        raise not_written(table, error) from error
    read_targets.cache_clear()


def _section(target: Target) -> str:
    lines = [f"\n[{_toml(target.name)}]"]
    for field in fields(Target):
        value = getattr(target, field.name)
        if field.name != "name" and value is not None and value != field.default:
            lines.append(f"{field.name} = {_toml(value)}")
    return "\n".join(lines) + "\n"


def _toml(value: object) -> str:
    """Strings, numbers, truth values and lists of these are written alike in JSON and TOML, but for characters that JSON escapes in pairs."""
    if isinstance(value, tuple):
        return f"[{', '.join(_toml(v) for v in value)}]"
    return json.dumps(value, ensure_ascii=False)


def free_name(title: str, taken: Mapping[str, Target]) -> str:
    """A name for files and the command line, made from a title, that no target has yet."""
    base = "-".join("".join(c if c.isalnum() else " " for c in title.casefold()).split()) or "target"
    names = [base, *(f"{base}-{k}" for k in range(2, len(taken) + 3))]
    return next(name for name in names if name not in taken)
