"""Every part that ships tells its licence, and none of them forbids what ours asks for."""

from __future__ import annotations

import re
from pathlib import Path

from dubbin.core.licences import licences

LOCK = Path(__file__).parents[2] / "requirements.lock"


def test_all_that_is_installed_for_the_program_is_listed_with_its_version():
    known = {re.sub(r"[-_.]+", "-", item.name).lower(): item for item in licences()}
    locked = re.findall(r"^([a-z0-9_.-]+)==([^ ]+)", LOCK.read_text(), re.MULTILINE)
    wanted = {re.sub(r"[-_.]+", "-", name): version for name, version in locked if name != "setuptools"}
    missing = {name for name in wanted if name not in known}
    assert missing <= {"colorama", "pywin32"} and all(known[name].version == wanted[name] for name in wanted if name in known)


def test_the_program_comes_first_and_nothing_is_without_a_title():
    first, *others = licences()
    assert first.name == "dubbin" and first.title == "GPL-3.0-or-later" and "GNU GENERAL PUBLIC LICENSE" in first.text
    assert [o.name.casefold() for o in others] == sorted(o.name.casefold() for o in others)
    assert all(item.title and "\n" not in item.title for item in licences())


def test_what_ships_within_the_package_brings_its_text():
    parts = {item.name: item for item in licences() if not item.version}
    assert (
        "SIL OPEN FONT LICENSE" in parts["Alegreya Sans (typeface)"].text.upper()
        and parts["speaker encoder (weights)"].title == "Apache-2.0"
    )
    assert sum(bool(item.text) for item in licences()) > 0.7 * len(licences())
