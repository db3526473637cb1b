"""Cyclic garbage is collected on the main thread alone.

Python collects in whichever thread happens to allocate. A window that is garbage would be destroyed there,
with its timers, and Qt ends the program: a thread that decodes or engraves is enough.
"""

from __future__ import annotations

import ctypes
import gc
import linecache
import time

from PySide6.QtCore import QObject, QTimer

EVERY_MS = 500
TRIM_EVERY_S = 60.0  # it takes some 15 ms
M_MMAP_THRESHOLD, M_ARENA_MAX = -3, -8  # as the usual C library numbers them
ALONE_BYTES = 1 << 20  # what is larger (sounds, pictures) lies by itself, and goes when it is freed
ARENAS = 2  # for all threads: each thread with its own kept what it once had


class MainThreadCollector(QObject):
    """Switches the automatic collection off and collects by the usual thresholds from a timer of its
    thread. What is free is given back to the system now and then: threads leave their memory in pieces, and
    an evening's takes would be held as long as the window is open.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # what was imported so far stays: it need not be looked at again
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._collect)
        self._timer.start(EVERY_MS)
        library = ctypes.CDLL(None)
        self._trim = getattr(library, "malloc_trim", None)  # of the usual C library
        if hasattr(library, "mallopt"):
            library.mallopt(M_ARENA_MAX, ARENAS)
            library.mallopt(M_MMAP_THRESHOLD, ALONE_BYTES)
        self._trimmed = time.monotonic()

    def _collect(self) -> None:
        counts, limits = gc.get_count(), gc.get_threshold()
        due = [k for k in range(3) if counts[k] > limits[k]]
        if due:
            gc.collect(max(due))
        elif self._trim is not None and time.monotonic() - self._trimmed > TRIM_EVERY_S:
            linecache.clearcache()  # the binding of Qt reads the source of all that is imported: 30 MB
            self._trim(0)
            self._trimmed = time.monotonic()
