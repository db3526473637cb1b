"""The part that is shown in the pattern book, heard at its own speed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.playback import Transport, cut
from jeweller.audio.ports import Speaker
from jeweller.documents.parts import instrument_of
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _
from jeweller.synthesis.model import Model, sounded

if TYPE_CHECKING:
    from jeweller.notation.model import Part

LOOK_MS = 150


class PartListening(QObject):
    """Plays one part at a time. `turned(on)` tells whether one is played or being made ready."""

    turned = Signal(bool)
    message = Signal(str)
    trouble = Signal(str)

    def __init__(self, owner: QObject, jobs: Jobs, speaker: Speaker) -> None:
        super().__init__(owner)
        self.jobs = jobs
        self.transport = Transport(speaker)
        self._ends = QTimer(self)
        self._ends.setInterval(LOOK_MS)
        self._ends.timeout.connect(self._look_whether_it_plays)

    def toggle(self, part: Part | None) -> None:
        """Plays a part, or stops."""
        if self._ends.isActive() or part is None:
            self.stop()
            return
        self._ends.start()
        self.turned.emit(True)
        job = self.jobs.threaded("listen", sounded, part, instrument_of(part).sound or "flute")
        job.done.connect(self._play)
        job.failed.connect(self.trouble)
        job.failed.connect(self.stop)

    def _play(self, model: Model) -> None:
        whole = cut(model.samples, model.rate, 0.0, len(model.samples) / model.rate, 1.0, "model")
        self.transport.play([whole])
        if self.transport.speaker.silent:
            self.message.emit(_("No sound device: this plays silently."))

    def _look_whether_it_plays(self) -> None:
        if not self.transport.playing and not self.jobs.running("listen"):
            self.stop()

    def stop(self) -> None:
        self.jobs.cancel("listen")
        self._ends.stop()
        self.transport.stop()
        self.turned.emit(False)
