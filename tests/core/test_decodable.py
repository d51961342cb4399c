"""Plain values become what they are, whichever thread is the first to meet a type."""

from __future__ import annotations

import subprocess
import sys

import pytest

from dubbin.core.decodable import decodable
from dubbin.core.episode.model import Cover, Episode

# Without the lock it ends with a segmentation fault in its first rounds.
FIRST_MEETINGS = """
import dataclasses, sys, threading
import msgspec
from dubbin.core.decodable import decodable

sys.setswitchinterval(1e-6)

def deep(depth):
    kind = int
    for k in range(depth):
        kind = dataclasses.make_dataclass(f"Kind{k}", [("a", kind), ("b", kind), *((f"c{j}", "int | None", None) for j in range(5))])
    return kind

def plain(kind):
    return 1 if kind is int else {f.name: plain(f.type) for f in dataclasses.fields(kind)[:2]}

for _ in range(60):
    kind, begin, made = deep(4), threading.Barrier(4), []
    inner, value = dataclasses.fields(kind)[0].type, plain(kind)

    def go(number):
        begin.wait()
        made.append(msgspec.convert(value, decodable(kind)) if number % 2 else msgspec.convert([value["a"]] * 2, decodable(list[inner])))

    threads = [threading.Thread(target=go, args=(k,)) for k in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 4
print("all made")
"""


def test_threads_that_meet_a_type_for_the_first_time_at_once():
    done = subprocess.run([sys.executable, "-c", FIRST_MEETINGS], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout) == (0, "all made\n"), done.stderr


@pytest.mark.parametrize("kind", [Episode, list[Cover], Cover | None, tuple[int, ...], int])
def test_a_type_is_the_same_one(kind):
    assert decodable(kind) is kind and decodable(kind) is kind
