"""A log-off, a closed terminal or Ctrl+C closes the window as its cross does; what does not end by itself is
ended.
"""

from __future__ import annotations

import os
import signal
import socket
import threading

from PySide6.QtCore import QSocketNotifier
from PySide6.QtWidgets import QApplication, QWidget

ENDS_S = 1.6  # the desktop waits about two seconds before it kills
SIGNALS = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)


class SignalGuard:
    """Closes a window on a signal; kept as long as the window is."""

    def __init__(self, app: QApplication, window: QWidget) -> None:
        self.app, self.window = app, window
        self._read, self._write = socket.socketpair()
        for end in (self._read, self._write):
            end.setblocking(False)
        signal.set_wakeup_fd(self._write.fileno())
        for number in SIGNALS:
            signal.signal(number, lambda _number, _frame: None)  # the byte in the socket tells of it
        self._notifier = QSocketNotifier(self._read.fileno(), QSocketNotifier.Type.Read)
        self._notifier.activated.connect(self._came)

    def _came(self) -> None:
        try:
            numbers = self._read.recv(16)
        except OSError:
            return
        status = 128 + (numbers[-1] if numbers else 0)
        watchdog = threading.Timer(ENDS_S, os._exit, (status,))
        watchdog.daemon = True
        watchdog.start()
        self.window.close()
        self.app.exit(status)
