"""What is heard at the bench: music and sound of the take in hand, there before they are asked for."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.audio.decode import Recording
from jeweller.audio.playback import Transport, cut
from jeweller.audio.ports import Speaker
from jeweller.gui.places.bench.model import BenchModel
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.widgets.snippet import engrave_for_snippet
from jeweller.library.library import Library
from jeweller.library.tray import load_take
from jeweller.notation.performance import PerformedPart
from jeweller.synthesis.sampler import RATE

# the take is seen before its sound is looked for, which takes the interpreter from the painting
PAINTED_MS = 20
KEPT = 4  # takes whose music and sound are kept at hand


def fetch_take(library: Library, take: int, rate: int) -> tuple[PerformedPart | None, Recording]:
    """The music and the sound of a take, the music engraved as the bench shows it. Raises JewellerError."""
    music, sound = load_take(library, take, rate)
    if music is not None:
        engrave_for_snippet(music.part)
    return music, sound


class TakeListening(QObject):
    """Fetches takes and plays the place in hand. `loaded` tells that the take in hand is there, `failed` a
    sentence why it is not; `order` gives the takes as they are listed.
    """

    loaded = Signal()
    failed = Signal(str)

    def __init__(
        self, owner: QObject, model: BenchModel, jobs: Jobs, speaker: Speaker, order: Callable[[], list[int]]
    ) -> None:
        super().__init__(owner)
        self.model, self.jobs, self.order = model, jobs, order
        self.transport = Transport(speaker)
        # the take in hand and those beside it
        self.fetched: dict[int, tuple[PerformedPart | None, Recording]] = {}
        self._fetching: set[int] = set()
        self._play_when_loaded = False

    def music(self) -> PerformedPart | None:
        """The part of the take in hand, where it is there."""
        hand = self.model.hand
        return self.fetched.get(hand.take.id, (None, None))[0] if hand is not None else None

    def _in_hand(self, take: int) -> bool:
        return self.model.hand is not None and self.model.hand.take.id == take

    def fetch_soon(self, take: int) -> None:
        """Once the take is shown, unless another is taken in hand before."""
        QTimer.singleShot(PAINTED_MS, self, lambda: self._fetch_if_in_hand(take))

    def _fetch_if_in_hand(self, take: int) -> None:
        if self._in_hand(take) and self.model.readable:
            self._fetch(take)

    def _fetch(self, take: int) -> None:
        """Loads the music and the sound of a take, and then of the one after it, before it is asked for."""
        if take in self.fetched:
            self._fetch_next(take)
        elif take not in self._fetching:
            self._fetching.add(take)
            job = self.jobs.threaded(f"take {take}", fetch_take, self.model.library, take, RATE)
            job.done.connect(lambda found, t=take: self._loaded(t, found))
            job.failed.connect(lambda sentence, t=take: self._not_loaded(t, sentence))

    def _fetch_next(self, take: int) -> None:
        order = self.order()
        after = order.index(take) + 1 if take in order else len(order)
        if self._in_hand(take) and after < len(order):
            self._fetch(order[after])

    def _loaded(self, take: int, found: tuple[PerformedPart, Recording]) -> None:
        self._fetching.discard(take)
        self.fetched[take] = found
        for old in list(self.fetched)[:-KEPT]:
            if not self._in_hand(old):
                del self.fetched[old]
        if self._in_hand(take):
            self.loaded.emit()
            if self._play_when_loaded:
                self._play_when_loaded = False
                self.play()
            self._fetch_next(take)

    def _not_loaded(self, take: int, sentence: str) -> None:
        self._fetching.discard(take)
        if self._in_hand(take):
            self.failed.emit(sentence)

    def play(self) -> None:
        """From two beats before the finding in hand to a beat after it; as soon as it is there."""
        hand, key = self.model.hand, self.model.key
        if hand is None:
            return
        if hand.take.id not in self.fetched:
            self._play_when_loaded = True
            return
        sound = self.fetched[hand.take.id][1]
        start, end = hand.span(key) if key is not None else (0.0, sound.duration)
        self.transport.play([cut(sound.samples, sound.rate, start, min(end, sound.duration), 1.0)])

    def toggle_play(self) -> None:
        if self.transport.playing:
            self.stop()
        else:
            self.play()

    def stop(self) -> None:
        self._play_when_loaded = False
        self.transport.stop()

    def forget(self) -> None:
        """Nothing of a library that was closed stays."""
        self.fetched.clear()
