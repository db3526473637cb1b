"""Cyclic garbage is collected on the main thread alone.

Python collects in whichever thread happens to allocate. A window that is garbage would be destroyed there,
with its timers, and Qt ends the program: a thread that decodes or engraves is enough.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

EVERY_MS = 500


class MainThreadCollector(QObject):
    """Switches the automatic collection off and collects by the usual thresholds from a timer of its
    thread.
    """

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # what was imported so far stays: it need not be looked at again
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._collect)
        self._timer.start(EVERY_MS)

    def _collect(self) -> None:
        counts, limits = gc.get_count(), gc.get_threshold()
        due = [k for k in range(3) if counts[k] > limits[k]]
        if due:
            gc.collect(max(due))
