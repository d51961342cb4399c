"""Small videos, made here."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np

from tests.conftest import noise


def made_video(path: Path, seconds: float = 3.0) -> Path:
    """A grey picture that grows lighter, at 25 frames a second, with noise."""
    with av.open(str(path), "w") as out:
        video, audio = out.add_stream("mpeg4", rate=25), out.add_stream("aac", rate=48000)
        video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
        audio.layout = "mono"
        for k in range(round(seconds * 25)):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), k % 255, np.uint8), format="rgb24")
            frame.pts = k
            out.mux(video.encode(frame))
        x = noise(seconds, -30, 5)[None]
        for a in range(0, x.shape[1], 1024):
            sound = av.AudioFrame.from_ndarray(np.ascontiguousarray(x[:, a : a + 1024]), format="fltp", layout="mono")
            sound.sample_rate, sound.pts = 48000, a
            out.mux(audio.encode(sound))
        out.mux(video.encode(None))
        out.mux(audio.encode(None))
    return path


def pictures_of(path: Path) -> list[bytes]:
    """The packets of its picture."""
    with av.open(str(path)) as container:
        return [bytes(p) for p in container.demux(video=0) if p.size]


def sound_of(path: Path) -> np.ndarray:
    """Its sound, (channels, frames)."""
    with av.open(str(path)) as container:
        return np.concatenate([f.to_ndarray() for f in container.decode(audio=0)], axis=1)
