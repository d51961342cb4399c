"""Reads sound files one after the other and says what came of each: run in a process of its own, with limits.

The files are decoded here, by what the program has a process of its own for: to start one for each of hundreds takes minutes.
"""

from __future__ import annotations

import json
import resource
import sys
import time
import traceback
from pathlib import Path

from dubbin.core.deliver import picture
from dubbin.core.deliver.picture import picture_of
from dubbin.core.errors import DubbinError
from dubbin.core.sound import working_copy
from dubbin.core.sound.reading import decode, probe
from dubbin.core.sound.working_copy import WorkingCopies

MOST_BYTES = 3 * 10**9


def main(folder: Path, names: list[str]) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
    picture.look = working_copy.look = probe
    working_copy.decode_apart = decode
    copies = WorkingCopies(folder / "copies")
    for name in names:
        print(json.dumps({"begins": name}), flush=True)
        started, said, frames = time.monotonic(), "", 0
        try:
            probe(folder / name)
            copy = copies.obtain(folder / name, 48000)
            frames = copy.frames
            for start in range(0, copy.frames, 1 << 18):
                copy.read(start, min(start + (1 << 18), copy.frames))
            picture_of(folder / name)
        except DubbinError as error:
            said = str(error)
        except MemoryError:
            said = "fault: out of memory"
        except BaseException:
            said = "fault: " + traceback.format_exc()[-1500:]
        print(json.dumps({"name": name, "said": said, "frames": frames, "seconds": time.monotonic() - started}), flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
