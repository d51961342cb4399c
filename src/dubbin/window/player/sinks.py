"""Where sound goes: a device through Qt Multimedia, or a simulation that keeps time and what would have been heard."""

from __future__ import annotations

import time
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QIODevice
from PyQt6.QtMultimedia import QAudioDevice, QAudioFormat, QAudioSink, QMediaDevices

from dubbin.core.sound.source import Samples

BUFFER_S = 0.12


class Sink(Protocol):
    """Takes stereo blocks and plays them in real time."""

    def start(self) -> None: ...

    def stop(self) -> None: ...

    def room(self) -> int:
        """Frames that can be written now."""

    def write(self, x: Samples) -> None: ...

    def played(self) -> int:
        """Frames heard since `start`."""

    def is_gone(self) -> bool:
        """Whether nothing can be played there any more: it was unplugged, or its service has ended."""


class DeviceSink:
    """A sound device."""

    def __init__(self, device: QAudioDevice, rate: int) -> None:
        self._format = QAudioFormat()
        self._format.setSampleRate(rate)
        self._format.setChannelCount(2)
        self._format.setSampleFormat(QAudioFormat.SampleFormat.Float)
        self._rate, self._device = rate, device
        self._sink: QAudioSink | None = None
        self._stream: QIODevice | None = None
        self._written = 0

    def start(self) -> None:
        self._sink = QAudioSink(self._device, self._format)
        self._sink.setBufferSize(int(self._rate * BUFFER_S) * 8)
        self._written = 0
        self._stream = self._sink.start()

    def stop(self) -> None:
        if self._sink is not None:
            self._sink.stop()
        self._sink = self._stream = None

    def room(self) -> int:
        return self._sink.bytesFree() // 8 if self._sink is not None else 0

    def write(self, x: Samples) -> None:
        if self._stream is not None:
            self._stream.write(np.ascontiguousarray(np.clip(x, -1, 1).T).tobytes())
            self._written += x.shape[1]

    def played(self) -> int:
        if self._sink is None:
            return 0
        waiting = (self._sink.bufferSize() - self._sink.bytesFree()) // 8
        return max(self._written - max(waiting, 0), 0)

    def is_gone(self) -> bool:
        return self._sink is not None and self._sink.error().name in ("OpenError", "IOError", "FatalError")


class SimulatedSink:
    """No device: time passes as it would, and `heard` holds the last minute of what would have been played."""

    KEEP_S = 60.0

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._started = 0.0
        self._written = 0
        self._blocks: list[Samples] = []

    def start(self) -> None:
        self._started, self._written, self._blocks = time.monotonic(), 0, []

    def stop(self) -> None:
        return

    def room(self) -> int:
        return max(0, self.played() + int(BUFFER_S * self._rate) - self._written)

    def write(self, x: Samples) -> None:
        # An empty buffer waits for sound: what comes late is heard late.
        behind = int((time.monotonic() - self._started) * self._rate) - self._written
        if behind > 0:
            self._started += behind / self._rate
        self._written += x.shape[1]
        self._blocks.append(x.copy())
        while sum(b.shape[1] for b in self._blocks) > self.KEEP_S * self._rate:
            self._blocks.pop(0)

    def played(self) -> int:
        return min(int((time.monotonic() - self._started) * self._rate), self._written)

    def is_gone(self) -> bool:
        return False

    def heard(self) -> Samples:
        return np.concatenate(self._blocks, axis=1) if self._blocks else np.zeros((2, 0), np.float32)


def device_names() -> list[tuple[str, str]]:
    """(id, name) of all outputs there are."""
    return [(bytes(d.id().data()).decode("utf-8", "replace"), d.description()) for d in QMediaDevices.audioOutputs()]


def best_sink(rate: int, device_id: str = "") -> Sink:
    """The output with an id, else the system's default, where there is one; a simulation where there is none."""
    wanted = [d for d in QMediaDevices.audioOutputs() if bytes(d.id().data()).decode("utf-8", "replace") == device_id]
    device = wanted[0] if wanted else QMediaDevices.defaultAudioOutput()
    if device.isNull():
        return SimulatedSink(rate)
    return DeviceSink(device, rate)
