"""Threads that take turns at every moment, and a collector that runs at every moment and lets others go on meanwhile: what depends on whose turn it is shows. With `DUBBIN_TURNS` for all tests."""

from __future__ import annotations

import gc
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from time import sleep  # as it is: some tests have another clock

import pytest


def _step_aside(*_: object) -> None:
    sleep(0)


@contextmanager
def turns_anywhere() -> Iterator[None]:
    interval, threshold = sys.getswitchinterval(), gc.get_threshold()
    sys.setswitchinterval(1e-6)
    gc.set_threshold(50, 3, 3)
    gc.callbacks.append(_step_aside)
    try:
        yield
    finally:
        gc.callbacks.remove(_step_aside)
        gc.set_threshold(*threshold)
        sys.setswitchinterval(interval)


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol() -> Iterator[None]:
    with turns_anywhere():
        yield
