"""No more threads compute at once than there are cores, however deep work is nested; and all get on."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dubbin.core import seats
from dubbin.core.jobs import Task, ahead, in_parallel
from dubbin.core.seats import CORES, CORES_VARIABLE, MOST, Seats, cores_to_use, holding, seated, standing

LONG_S = 20.0  # after which somebody waits for ever


class Counter:
    """How many are inside at once, and were at most."""

    def __init__(self):
        self.now, self.most, self.times, self._lock = 0, 0, 0, threading.Lock()

    def __enter__(self):
        with self._lock:
            self.now, self.times = self.now + 1, self.times + 1
            self.most = max(self.most, self.now)

    def __exit__(self, *_):
        with self._lock:
            self.now -= 1


def run(*works):
    """Works on threads of their own, all of which come to an end."""
    threads = [threading.Thread(target=work, daemon=True) for work in works]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(LONG_S)
    assert not any(thread.is_alive() for thread in threads)


def nested(counter, widths):
    """Work that is spread over so many parts, each of which is spread again."""
    if not widths:
        with counter:
            time.sleep(0.001)
        return
    in_parallel(lambda _: nested(counter, widths[1:]), range(widths[0]), Task())


@given(st.lists(st.integers(1, 4), min_size=1, max_size=3), st.integers(1, 4))
@settings(max_examples=15, deadline=None)
def test_however_deep_work_is_nested_no_more_compute_than_there_are_cores(widths, jobs):
    counter = Counter()
    run(*[lambda: nested(counter, widths)] * jobs)
    parts = jobs
    for width in widths:
        parts *= width
    assert counter.times == parts and 1 <= counter.most <= CORES


def test_who_waits_for_what_another_computes_leaves_his_seat_to_that_work():
    """All ask at once for what is found once, by work that is spread itself: with seats kept by those who wait it would never be done."""
    lock, found, counter = threading.Lock(), [], Counter()

    def find(_):
        with holding(lock):
            if not found:
                nested(counter, [8])
                found.append(True)
        with counter:
            time.sleep(0.001)

    run(*[lambda: in_parallel(find, range(4), Task())] * 3)
    assert found == [True] and counter.times == 8 + 12 and counter.most <= CORES


def test_an_error_leaves_no_seat_taken():
    def fail(_):
        raise ValueError("no")

    for _ in range(2 * CORES):
        with pytest.raises(ValueError, match="no"):
            in_parallel(fail, range(3), Task())
        with pytest.raises(ValueError, match="no"), seated(), standing():
            fail(None)
    counter = Counter()
    run(lambda: nested(counter, [CORES, 4]))
    assert counter.times == 4 * CORES


def test_after_an_error_no_part_begins_that_waited_for_a_seat():
    """All seats are taken while parts wait; then one seat is free, and the part that gets it fails."""
    begun, free = [], [threading.Event() for _ in range(CORES)]

    def sit(event):
        with seated():
            event.wait(LONG_S)

    def fail(part):
        begun.append(part)
        raise ValueError("no")

    def work():
        with pytest.raises(ValueError, match="no"):
            in_parallel(fail, range(8), Task())

    sitting = [threading.Thread(target=sit, args=(event,), daemon=True) for event in free]
    for thread in sitting:
        thread.start()
    while seats._seats._free:
        time.sleep(0.001)
    waiting = threading.Thread(target=work, daemon=True)
    waiting.start()
    while len(seats._seats._waiting) < CORES:
        time.sleep(0.001)
    free[0].set()
    waiting.join(LONG_S)
    for event in free:
        event.set()
    for thread in sitting:
        thread.join(LONG_S)
    assert not waiting.is_alive() and len(begun) == 1


def test_seats_are_given_in_the_order_in_which_they_were_asked_for():
    seats, came, served = Seats(1), [], []
    seats.take()

    def ask(number):
        came.append(number)
        seats.take()
        served.append(number)
        seats.leave()

    threads = []
    for number in range(5):
        threads.append(threading.Thread(target=ask, args=(number,), daemon=True))
        threads[-1].start()
        while len(seats._waiting) <= number:
            time.sleep(0.001)
    seats.leave()
    seats.take()  # who comes again waits behind the others
    served.append("again")
    seats.leave()
    for thread in threads:
        thread.join(LONG_S)
    assert served == [0, 1, 2, 3, 4, "again"]


@pytest.mark.parametrize("taken", [2, 5])
def test_what_is_made_ahead_may_take_seats_while_all_seats_wait_for_it(taken):
    """taken: of five items, after which nobody wants any more."""

    def made():
        for k in range(5):
            in_parallel(lambda _: time.sleep(0.001), range(3), Task())
            yield k

    def work(_):
        found = [k for k, _ in zip(ahead(made(), seats_needed=True), range(taken), strict=False)]
        assert found == list(range(taken))

    done = threading.Event()
    run(lambda: (in_parallel(work, range(3 * CORES), Task()), done.set()))
    assert done.is_set()


@pytest.mark.parametrize(("at_hand", "used"), [(1, 2), (2, 2), (3, 3), (4, 4), (16, 4), (128, 4)])
def test_as_many_compute_as_there_are_cores_within_bounds(at_hand, used):
    assert cores_to_use("", at_hand) == used


@pytest.mark.parametrize("wanted", ["1", "3", "8", str(MOST)])
def test_who_says_how_many_gets_them(wanted):
    assert cores_to_use(wanted, 2) == int(wanted)


@pytest.mark.parametrize("wanted", ["0", "-1", "many", "2.5", str(MOST + 1), "²", " "])
def test_what_is_no_number_of_cores_is_as_if_nothing_was_said(wanted):
    assert cores_to_use(wanted, 3) == 3


@pytest.mark.parametrize(("said", "taken"), [(None, "1"), ("3", "3")])
@pytest.mark.parametrize("first", ["dubbin.cli.main", "dubbin.window.app", "dubbin.core.sound.decoder"])
def test_products_of_matrices_take_no_threads_beside_unless_somebody_says_so(said, taken, first):
    """However the program begins: it is said before NumPy looks."""
    environment = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"} | ({"OPENBLAS_NUM_THREADS": said} if said else {})
    code = f"import sys, os; sys.modules['numpy'] = None\ntry: import {first}\nexcept ImportError: pass\nprint(os.environ['OPENBLAS_NUM_THREADS'])"
    done = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    assert done.stdout.strip() == taken


def test_the_variable_is_looked_at_when_the_program_starts():
    code = "from dubbin.core.seats import CORES; print(CORES)"
    done = subprocess.run([sys.executable, "-c", code], env={**os.environ, CORES_VARIABLE: "3"}, capture_output=True, text=True, check=True)
    assert done.stdout == "3\n"
