"""The log: faults of the program are written down with their traceback, and told in one sentence."""

from __future__ import annotations

import logging

import numpy as np
import pytest

from dubbin.core import log
from dubbin.core.log import log_path, logger, program_error, start_log, stop_log


@pytest.fixture(autouse=True)
def quiet_after():
    level = logging.getLogger().level
    yield
    stop_log()
    logging.getLogger().setLevel(level)


def fault() -> Exception:
    try:
        raise KeyError("a lane")
    except KeyError as error:
        return error


def test_an_error_is_one_sentence_and_its_traceback_stands_in_the_log(tmp_path):
    start_log(tmp_path)
    sentence = program_error(fault(), tmp_path)
    assert str(log_path(tmp_path)) in sentence and "KeyError" in sentence and "\n" not in sentence
    text = log_path(tmp_path).read_text()
    assert "Traceback" in text and "in fault" in text


def test_an_endless_text_is_cut_short(tmp_path):
    start_log(tmp_path)
    assert len(program_error(ValueError("x\n" * 5000), tmp_path)) < 500


def test_the_log_never_grows_large(tmp_path, monkeypatch):
    monkeypatch.setattr(log, "MOST_BYTES", 2000)
    start_log(tmp_path)
    for k in range(400):
        logger.warning("something happened for the %d. time", k)
    stop_log()
    files = sorted(tmp_path.glob("dubbin.log*"))
    assert len(files) == 1 + log.OLDER_FILES and all(f.stat().st_size <= 2000 for f in files)
    assert "399" in log_path(tmp_path).read_text()


def test_debug_tells_everything_on_stderr_too(tmp_path, capsys):
    start_log(tmp_path, debug=True)
    logger.debug("a small thing")
    assert "a small thing" in capsys.readouterr().err and "a small thing" in log_path(tmp_path).read_text()


def test_a_folder_that_can_not_be_made_is_no_reason_to_stop(tmp_path):
    (tmp_path / "file").write_text("")
    start_log(tmp_path / "file" / "state")
    assert program_error(fault(), tmp_path)


def test_too_little_memory_is_no_fault_of_the_program_and_said_as_what_it_is(tmp_path):
    """NumPy's own kind of it, too."""
    errors = [MemoryError()]
    try:
        np.zeros(1 << 55)
    except MemoryError as error:
        errors.append(error)
    assert len(errors) == 2
    for error in errors:
        sentence = program_error(error, tmp_path)
        assert "not enough memory" in sentence and "report" not in sentence
