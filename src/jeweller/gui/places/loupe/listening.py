"""What is heard under the loupe: the take, the model, or one after the other, and where playing is."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.formats import PLAYBACK_RATE
from jeweller.audio.playback import Stretch, Transport, cut
from jeweller.audio.ports import Speaker
from jeweller.gui.places.loupe.selection import Selection
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _

if TYPE_CHECKING:
    from jeweller.audio.decode import Recording
    from jeweller.synthesis.model import Model

TICK_MS = 30


class ReviewListening(QObject):
    """Makes the sounds of a review ready and plays what is chosen in it. `started` and `stopped` tell of
    playing, `moved(seconds, quarters)` where it is: in the take (None where only the model of the printed
    speed sounds) and in the part. `message` is a sentence for the teacher.
    """

    started = Signal()
    stopped = Signal()
    moved = Signal(object, object)
    message = Signal(str)

    def __init__(self, owner: QObject, selection: Selection, jobs: Jobs, speaker: Speaker) -> None:
        super().__init__(owner)
        self.selection, self.jobs = selection, jobs
        self.transport = Transport(speaker)
        self.source, self.speed, self.loop = "take", 1.0, False
        self.written_speed = False
        self.sound: Recording | None = None
        self.model: Model | None = None
        self._tick = QTimer(self)
        self._tick.timeout.connect(self._follow)

    @property
    def playing(self) -> bool:
        return self.transport.playing

    @property
    def ready(self) -> bool:
        """Whether what is to be played is there."""
        return self.sound is not None and (self.model is not None or self.source == "take")

    def open(self, take_path: str) -> None:
        """The sounds of the review that was opened, made ready beside the window."""
        from jeweller.audio.decode import decode

        self.stop()
        self.jobs.cancel("sound")
        self.jobs.cancel("model")
        self.sound = None
        job = self.jobs.threaded("sound", decode, take_path, PLAYBACK_RATE)
        job.done.connect(self._sound_ready)
        job.failed.connect(self.message)
        self._load_model()

    def _load_model(self) -> None:
        self.model = None
        review = self.selection.review
        if review is not None and review.report["followed"]:
            from jeweller.gui.places.loupe.sounds import make_model

            job = self.jobs.threaded("model", make_model, review, self.written_speed)
            job.done.connect(self._model_ready)
            job.failed.connect(self.message)

    def _sound_ready(self, recording: Recording) -> None:
        self.sound = recording

    def _model_ready(self, model: Model) -> None:
        self.model = model

    def set_source(self, source: str) -> None:
        """take, model or both."""
        self.source = source
        self._play_anew()

    def set_speed(self, speed: float) -> None:
        self.speed = speed
        self._play_anew()

    def set_loop(self, on: bool) -> None:
        self.loop = on
        self._play_anew()

    def set_written_speed(self, on: bool) -> None:
        """The model at the printed speed, not in the take's own time."""
        self.written_speed = on
        self._load_model()

    def _play_anew(self) -> None:
        if self.playing:
            self.play()

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        """Plays the chosen stretch from its beginning."""
        span = self.selection.stretch(self.loop, both=self.source == "both")
        if span is None:
            return
        sound, model = self.sound, self.model
        if sound is None or not self.ready:
            self.message.emit(_("The sound is still being made ready; press Space again in a moment."))
            return
        wanted: list[Callable[[], Stretch]] = []
        if self.source in ("take", "both"):
            wanted.append(lambda: cut(sound.samples, sound.rate, span[0], span[1], self.speed, "take"))
        if self.source in ("model", "both") and model is not None:
            a, b = (self._model_time(span[0]), self._model_time(span[1])) if self.written_speed else span
            wanted.append(lambda: cut(model.samples, model.rate, a, b, self.speed, "model"))
        job = self.jobs.threaded("stretch", lambda: [make() for make in wanted])
        job.done.connect(self._start)
        job.failed.connect(self.message)

    def _start(self, stretches: list[Stretch]) -> None:
        self.transport.play(stretches, self.loop)
        self._tick.start(TICK_MS)
        self.started.emit()
        if self.transport.speaker.silent:
            self.message.emit(_("No sound device: playing silently, the cursor shows where."))

    def stop(self) -> None:
        self.transport.stop()
        self._tick.stop()
        self.stopped.emit()

    def _model_time(self, take_s: float) -> float:
        quarters, spq = self.selection.quarters(take_s), self.selection.written_spq
        return quarters * spq if quarters is not None and spq else take_s

    def _follow(self) -> None:
        place = self.transport.position()
        if place is None or self.selection.review is None:
            self.stop()
            return
        label, seconds = place
        if label == "model" and self.written_speed:
            self.moved.emit(None, seconds / (self.selection.written_spq or 1.0))
        else:
            self.moved.emit(seconds, self.selection.quarters(seconds))
