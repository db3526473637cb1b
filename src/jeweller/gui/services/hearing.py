"""Hearing what is sounded now: readings of the tuner and the level, while somebody looks at them."""

from __future__ import annotations

import queue
import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.microphone import Microphone
from jeweller.booth.stopping import LevelMeter
from jeweller.warmup.tuner import Tuner

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    Block = tuple[npt.NDArray[np.float32], float]
LOOK_MS = 40
AT_ONCE_S = 0.03  # what piles up is listened to bit by bit: the window is not held


class PitchHearing(QObject):
    """`heard` carries each reading, `looked` tells that all of a moment were, `ended` why the microphone
    ended by itself.
    """

    heard = Signal(object)
    looked = Signal()
    ended = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.meter = LevelMeter()
        self.microphone: Microphone | None = None
        self.blocks: list[npt.NDArray[np.float32]] | None = None  # what is kept, where it is asked for
        self._tuner: Tuner | None = None
        self._queue: queue.SimpleQueue[Block] = queue.SimpleQueue()
        self._why: str | None = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)

    @property
    def listening(self) -> bool:
        return self.microphone is not None

    def start(self, microphone: Microphone, *, keep: bool = False) -> None:
        """Begins to listen; `keep`: the sound itself is wanted too. Raises OSError."""
        self.stop()
        self.meter, self._why = LevelMeter(), None
        self._tuner, self._queue = Tuner(microphone.rate), queue.SimpleQueue()
        self.blocks = [] if keep else None
        waiting = self._queue
        microphone.start(lambda block, at: waiting.put((block, at)), self._told)
        self.microphone = microphone
        self._timer.start(LOOK_MS)

    @property
    def behind(self) -> bool:
        """Whether there is sound that was not listened to yet."""
        return not self._queue.empty()

    def _told(self, sentence: str) -> None:
        self._why = sentence

    def _look(self) -> None:
        tuner, until = self._tuner, time.monotonic() + AT_ONCE_S
        while tuner is not None and not self._queue.empty() and time.monotonic() < until:
            block, _at = self._queue.get()
            self.meter.push(block)
            if self.blocks is not None:
                self.blocks.append(block)
            for reading in tuner.push(block):
                self.heard.emit(reading)
        self.looked.emit()
        if self._why is not None:
            why = self._why
            self.stop()
            self.ended.emit(why)

    def sound(self) -> npt.NDArray[np.float32]:
        """What was kept so far."""
        import numpy as np

        return np.concatenate(self.blocks) if self.blocks else np.zeros(0, np.float32)

    def stop(self) -> None:
        self._timer.stop()
        microphone, self.microphone = self.microphone, None
        if microphone is not None:
            microphone.stop()
