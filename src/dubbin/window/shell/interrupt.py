"""Ctrl+C in the terminal closes the window, as its own button would.

While Qt waits, Python runs no signal handlers: the signal is written into a socket, and that wakes Qt.
"""

from __future__ import annotations

import signal
import socket
from collections.abc import Callable

from PyQt6.QtCore import QObject, QSocketNotifier
from PyQt6.sip import voidptr


class Interrupt(QObject):
    """Calls `act` when the program is interrupted, for as long as this lives. To be made in the main thread."""

    def __init__(self, act: Callable[[], object]) -> None:
        super().__init__()
        self._read, self._write = socket.socketpair()
        for end in (self._read, self._write):
            end.setblocking(False)
        self._former_fd = signal.set_wakeup_fd(self._write.fileno(), warn_on_full_buffer=False)
        self._former = signal.signal(signal.SIGINT, lambda *_: None)
        self._act = act
        self._notifier = QSocketNotifier(voidptr(self._read.fileno()), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._on_signal)

    def _on_signal(self) -> None:
        if signal.SIGINT in self._read.recv(64):
            self._act()

    def end(self) -> None:
        """Leave signals as they were before."""
        self._notifier.setEnabled(False)
        signal.set_wakeup_fd(self._former_fd)
        signal.signal(signal.SIGINT, self._former)
        self._read.close()
        self._write.close()
