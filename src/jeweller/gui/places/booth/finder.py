"""Finding the first note before a take: it is sounded, then what the player sounds is held against it."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.microphone import Microphone
from jeweller.audio.playback import Transport, cut
from jeweller.booth.first_note import FirstNote, judge_first_note
from jeweller.booth.settings import TRACK
from jeweller.gui.services.hearing import PitchHearing
from jeweller.instruments.table import Instrument
from jeweller.synthesis.sampler import RATE, Tone, render
from jeweller.warmup.tendency import ToneFollower
from jeweller.warmup.tuner import PitchReading

SOUNDS_S = 1.2


class FirstNoteFinder(QObject):
    """`told` carries what was found, `found` that it is right, `trouble` why nothing can be heard."""

    told = Signal(str)
    found = Signal()
    trouble = Signal(str)

    def __init__(self, transport: Transport, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.transport = transport
        self.hearing = PitchHearing(self)
        self.hearing.heard.connect(self._heard)
        self.hearing.ended.connect(self.trouble)
        self.last: FirstNote | None = None
        self._follower: ToneFollower | None = None
        self._instrument: Instrument | None = None
        self._target = 0
        self._microphone: Microphone | None = None
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.timeout.connect(self._listen)

    @property
    def active(self) -> bool:
        return self._wait.isActive() or self.hearing.listening

    def start(self, instrument: Instrument, target: int, microphone: Microphone, *, sounded: bool) -> None:
        """Sounds the note (a sounding MIDI number) where `sounded`, then listens."""
        self.stop()
        self._instrument, self._target, self._microphone = instrument, target, microphone
        self.last, self._follower = None, ToneFollower(instrument)
        if not sounded or not instrument.sound:
            self._listen()
            return
        tone = render([Tone(on_s=0.0, off_s=SOUNDS_S, midi=target, level_db=0.0)], instrument.sound, SOUNDS_S)
        peak = max(1e-6, float(abs(tone).max()))
        self.transport.play([cut(TRACK.model_gain * tone / peak, RATE, 0.0, SOUNDS_S, 1.0, "model")])
        self._wait.start(round(1000 * SOUNDS_S))

    def _listen(self) -> None:
        self.transport.stop()
        if self._microphone is None:
            return
        try:
            self.hearing.start(self._microphone)
        except OSError as error:
            self.trouble.emit(str(error))

    def _heard(self, reading: PitchReading) -> None:
        if self._follower is None or self._instrument is None:
            return
        tone = self._follower.push(reading)
        if tone is None:
            return
        self.last = judge_first_note(self._instrument, self._target, tone)
        self.told.emit(self.last.sentence)
        if self.last.right:
            self.stop()
            self.found.emit()

    def stop(self) -> None:
        self._wait.stop()
        if self.hearing.listening:
            self.hearing.stop()
        self._follower = None
