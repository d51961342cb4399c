"""The program needs nothing from outside: it opens no connection, and what it is made of is pinned by content."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
# Connections to anywhere end the program; those inside of it (sockets of a pair) are its own affair.
REFUSING = """
import socket, sys
def refuse(*a, **k):
    raise SystemExit(f"tried to reach {a}")
for name in ("connect", "connect_ex", "sendto", "bind"):
    setattr(socket.socket, name, refuse) if hasattr(socket.socket, name) else None
socket.create_connection = socket.getaddrinfo = refuse
from dubbin.cli.main import main
import json
sys.exit(next((code for arguments in json.loads(sys.argv[1]) if (code := main(arguments))), 0))
"""


def alone(*commands: tuple[str, ...], home: Path) -> subprocess.CompletedProcess:
    """One process does the commands, up to the first that fails."""
    return subprocess.run(
        [sys.executable, "-c", REFUSING, json.dumps(commands)], capture_output=True, text=True, check=False, timeout=300, env={"DUBBIN_HOME": str(home), "PATH": "/usr/bin:/bin"},
    )  # fmt: skip


def test_nothing_is_fetched_to_check_transcribe_and_master(little, tmp_path):
    recording = next(p for p in little.parent.iterdir() if p.suffix in (".wav", ".flac"))
    done = alone(
        ("check", str(recording)), ("transcribe", str(recording), "-o", str(tmp_path / "w.vtt")),
        ("master", str(recording), "-o", str(tmp_path / "out"), "--target", "podcast-mono", "--format", "mp3"), ("about", "--json"), home=tmp_path / "home",
    )  # fmt: skip
    assert done.returncode == 0 and "tried to reach" not in done.stderr, done.stderr[-500:]
    assert (tmp_path / "w.vtt").exists() and list((tmp_path / "out").glob("*.mp3"))


@pytest.mark.parametrize("address", ["http://127.0.0.1:9/a.mp3", "https://example.org/a.wav", "ftp://x/y.wav", "rtsp://x/y"])
def test_an_address_is_no_recording(tmp_path, address):
    done = alone(("check", address), home=tmp_path / "home")
    assert done.returncode == 1 and "only files on this machine" in done.stderr and "tried to reach" not in done.stderr


@pytest.mark.parametrize("lock", ["requirements.lock", "requirements-test.lock", "requirements-mutants.lock"])
def test_every_package_is_pinned_to_a_version_and_to_what_it_holds(lock):
    entries = re.split(r"\n(?=\S)", (ROOT / lock).read_text().strip())
    packages = [e for e in entries if not e.startswith("#")]
    assert len(packages) > 20
    for entry in packages:
        assert re.match(r"[A-Za-z0-9_.\[\]-]+==[\w.+!-]+", entry), entry[:80]
        assert re.search(r"--hash=sha256:[0-9a-f]{64}", entry), entry[:80]
