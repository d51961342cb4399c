"""Makes src/dubbin/core/speech/weights/speaker-encoder.npz from the wheel it comes in: `python scripts/make_speaker_weights.py Resemblyzer-0.1.4-py3-none-any.whl`.

The wheel (Apache-2.0) holds the weights in torch's older form: pickles of a magic number, a protocol, facts of the system, the object and the keys of its storages, then every
storage as a count and raw float32. They are read here without torch, by an unpickler that knows those few names and refuses all others.
"""

from __future__ import annotations

import io
import pickle
import sys
import zipfile
from collections import OrderedDict
from pathlib import Path
from typing import Any

import numpy as np

INSIDE, LICENCE = "resemblyzer/pretrained.pt", "Resemblyzer-0.1.4.dist-info/LICENSE"
OUT = Path(__file__).resolve().parent.parent / "src" / "dubbin" / "core" / "speech" / "weights"
WANTED = ("lstm.", "linear.")


class _Reader(pickle.Unpickler):
    """Tensors become (key of the storage, offset, size, stride)."""

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) == ("collections", "OrderedDict"):
            return OrderedDict
        if (module, name) == ("torch._utils", "_rebuild_tensor_v2"):
            return lambda storage, offset, size, stride, *_: (storage, offset, size, stride)
        if module == "torch" and name.endswith("Storage"):
            return name
        raise pickle.UnpicklingError(f"{module}.{name} has no place in weights")

    def persistent_load(self, pid: Any) -> Any:
        return pid[2]  # ("storage", type, key, place, count, view)


def weights_of(data: bytes) -> dict[str, np.ndarray]:
    """The arrays of a file of weights, by their names."""
    f = io.BytesIO(data)
    for _ in range(3):
        _Reader(f).load()
    state = _Reader(f).load()["model_state"]
    keys = _Reader(f).load()
    storages = {}
    for key in keys:
        count = int(np.frombuffer(f.read(8), "<i8")[0])
        storages[key] = np.frombuffer(f.read(4 * count), "<f4")
    out = {}
    for name, (key, offset, size, _stride) in state.items():
        if name.startswith(WANTED):
            count = int(np.prod(size))
            out[name] = storages[key][offset : offset + count].reshape(size)
    return out


def main() -> None:
    with zipfile.ZipFile(sys.argv[1]) as wheel:
        weights = weights_of(wheel.read(INSIDE))
        licence = wheel.read(LICENCE)
    OUT.mkdir(parents=True, exist_ok=True)
    np.savez(OUT / "speaker-encoder.npz", **{name: w.astype(np.float16) for name, w in weights.items()})
    (OUT / "speaker-encoder-LICENSE").write_bytes(licence)
    for name, w in weights.items():
        print(name, w.shape)


if __name__ == "__main__":
    main()
