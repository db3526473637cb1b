"""The simulated player as a guest in the booth: plays into the simulated microphone whenever it is counted
in, with fewer slips from one take to the next.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from jeweller.audio.microphone import SimulatedMicrophone
from jeweller.simulator.guest import play_line

if TYPE_CHECKING:
    from jeweller.gui.places.booth.model import BoothModel

SLIPS = ((4, 11), (11,), ())  # the notes that go wrong, take by take; then it is clean


class BoothGuest(QObject):
    """`make_microphone` is what the window asks for its inputs."""

    def __init__(self, speed: float = 1.0, slips: Sequence[Sequence[int]] = SLIPS) -> None:
        super().__init__()
        self.speed, self.slips = speed, tuple(tuple(s) for s in slips)
        self.microphone: SimulatedMicrophone | None = None
        self.model: BoothModel | None = None

    def make_microphone(self, _name: str) -> SimulatedMicrophone:
        self.microphone = SimulatedMicrophone(endless=True, speed=self.speed)
        return self.microphone

    def visit(self, model: BoothModel) -> None:
        """From now on it plays when this booth counts in."""
        self.model = model
        model.runner.began.connect(self._play)

    def _play(self) -> None:
        model, microphone = self.model, self.microphone
        session = model.runner.session if model is not None else None
        if model is None or microphone is None or session is None or model.turns.active:
            return
        whole = [t for t in model.log.takes if t.plan.bars == model.plan.bars]
        wrong = self.slips[min(len(whole), len(self.slips) - 1)]
        sound = model.instrument.sound if model.instrument is not None else ""
        track = session.track
        samples = play_line(session.line, track.spq, sound or "flute", microphone.rate, wrong=wrong)
        began = session.began_s if session.began_s < float("inf") else microphone.now()
        microphone.play(samples, began + track.downbeat_s + session.latency_s)
