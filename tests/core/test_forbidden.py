"""Permissions that are taken away while the program works: a plain sentence, nothing half, nothing lost, and it goes on when they are back."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys

import pytest

from tests.core.forbidden_victim import KINDS

CAPABILITIES = "-dac_override,-dac_read_search"


@pytest.fixture(scope="module")
def found(tmp_path_factory):
    """What a process says that permissions bind, also where the tests are run by somebody whom they don't."""
    folder = tmp_path_factory.mktemp("forbidden")
    command = [sys.executable, "-m", "tests.core.forbidden_victim", str(folder)]
    if os.geteuid() == 0:
        if shutil.which("setpriv") is None:
            pytest.skip("no way to be bound by permissions")
        command = ["setpriv", f"--bounding-set={CAPABILITIES}", *command]
    done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
    assert done.returncode == 0, done.stderr
    assert "Traceback" not in done.stderr
    return json.loads(done.stdout)


def test_the_process_is_bound_by_permissions(found):
    assert found["is_bound"]["bound"]


@pytest.mark.parametrize("kind", [k.__name__ for k in KINDS if k.__name__ != "is_bound"])
def test_it_is_said_in_a_sentence_and_nothing_half_is_left(found, kind):
    one = found[kind]
    assert one["said"].endswith(".") and "Errno" not in one["said"], one
    assert one["hidden"] == [], one


def test_an_episode_stays_as_it_was_and_is_saved_when_the_permission_is_back(found):
    assert found["episode"]["as_it_was"] and found["episode"]["saved_after"]


def test_of_masters_that_came_to_nothing_no_sound_is_left_and_the_next_are_made(found):
    assert found["masters"]["left"] == [] and found["masters"]["made_after"] == 1


def test_work_goes_on_without_a_journal_and_with_what_was_treated_before(found):
    assert found["journal"]["done"] and found["tiles"]["kept"] and found["recording"]["heard_on"]
