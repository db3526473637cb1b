"""What the ear trainer knows and does, with no widget: a take with hidden faults, what is marked, the answer,
how well each facet is heard over time.
"""

from __future__ import annotations

import dataclasses
import random
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.audio.playback import Transport, cut
from jeweller.booth.own_view import OwnView
from jeweller.eartraining.hearing import (
    AnswerLine,
    FacetScore,
    answer,
    answer_lines,
    findings_read,
    scores,
)
from jeweller.eartraining.hidden import (
    LEVELS,
    EarRequest,
    HiddenTake,
    trained_instruments,
)
from jeweller.gui.services.devices import Devices
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.work import sound_of, train_takes
from jeweller.i18n import _
from jeweller.library.journal import PlayerJournal
from jeweller.scratch import scratch_folder

if TYPE_CHECKING:
    from jeweller.library.tables import Player

MOST_FAULTS = 3
LEAD_S, BAR_S = 1.0, 6.0  # what is heard of a bar: from before it, and so long


class EarWay(StrEnum):
    """Marks are made on the part, or it is said which of three takes was read about."""

    MARK = "mark"
    WHICH = "which"


class EarStage(StrEnum):
    EMPTY = "empty"
    MAKING = "making"
    LISTENING = "listening"
    ANSWERED = "answered"


class EarModel(QObject):
    """`changed`: something to be shown anew; `message`, `trouble`: sentences for the user."""

    changed = Signal()
    message = Signal(str)
    trouble = Signal(str)

    def __init__(
        self,
        jobs: Jobs,
        devices: Devices,
        settings: QSettings,
        folder: Callable[[], Path],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self.jobs, self.settings, self._folder = jobs, settings, folder
        self.transport = Transport(devices.speaker)
        self.player: Player | None = None
        self.stage, self.way = EarStage.EMPTY, EarWay.MARK
        self.takes: tuple[HiddenTake, ...] = ()  # one, or three to choose from
        self.asked = 0  # the number of the take that is asked for
        self.said: int | None = None  # the number that was said
        self.lines: list[AnswerLine] = []
        self.draw = random.Random()
        self._sounds = scratch_folder()
        self._scores: list[FacetScore] | None = None

    # ---- whose, and what is asked

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self._folder(), self.player.id if self.player is not None else None)

    def choose(self, player: Player | None) -> None:
        """Another one who listens."""
        self.player = player
        self.forget()

    def reread(self) -> None:
        """The journal may hold something else by now."""
        self._scores = None
        self.changed.emit()

    @property
    def scores(self) -> list[FacetScore]:
        """How well each facet was heard."""
        if self._scores is None:
            self._scores = scores(self.journal.entries("ear"))
        return self._scores

    @property
    def request(self) -> EarRequest:
        """What is asked for the next time, as it was left."""
        value = self.settings.value
        known = [i.id for i in trained_instruments()]
        instrument = str(value("practice/ear/instrument", "clarinet"))
        level, faults = str(value("practice/ear/level", "plain")), str(value("practice/ear/faults", "1"))
        return EarRequest(
            instrument=instrument if instrument in known else known[0],
            facet=str(value("practice/ear/facet", "")),
            level=level if level in LEVELS else "plain",
            faults=max(1, min(MOST_FAULTS, int(faults))) if faults.isdecimal() else 1,
        )

    def set_request(self, name: str, value: str) -> None:
        """Another instrument, facet, level or number of faults."""
        self.settings.setValue(f"practice/ear/{name}", value)
        self.forget()

    def set_way(self, way: EarWay) -> None:
        self.way = way
        self.forget()

    def forget(self) -> None:
        """Nothing is listened to."""
        self.stop()
        self.jobs.cancel("ear")
        self.stage, self.takes, self.said, self.lines = EarStage.EMPTY, (), None, []
        for path in Path(self._sounds.name).glob("*.npy"):
            path.unlink(missing_ok=True)
        self.reread()

    # ---- a take

    def make(self) -> None:
        """Another take, or three."""
        self.forget()
        self.stage = EarStage.MAKING
        asked = self.request
        request = EarRequest(
            instrument=asked.instrument,
            facet=asked.facet,
            level=asked.level,
            faults=asked.faults if self.way == EarWay.MARK else 1,
            seed=self.draw.randrange(1, 10**6),
        )
        folder = self._sounds.name
        job = self.jobs.process("ear", train_takes, request, self.way == EarWay.WHICH, folder)
        job.done.connect(lambda made: self._made(request, *made))
        job.failed.connect(self._failed)
        self.changed.emit()

    def _made(self, request: EarRequest, takes: tuple[HiddenTake, ...], asked: int) -> None:
        self.takes = tuple(
            dataclasses.replace(take, samples=np.load(sound_of(self._sounds.name, request, k), mmap_mode="r"))
            for k, take in enumerate(takes)
        )
        self.asked = asked
        self.stage = EarStage.LISTENING
        self.changed.emit()
        if self.way == EarWay.MARK:
            self.play()

    def _failed(self, sentence: str) -> None:
        self.stage = EarStage.EMPTY
        self.trouble.emit(sentence)
        self.changed.emit()

    @property
    def take(self) -> HiddenTake | None:
        """The take that is asked about."""
        return self.takes[self.asked] if self.takes else None

    @property
    def read(self) -> list[str]:
        """The findings to be read before three takes are heard."""
        return findings_read(self.take.report) if self.take is not None else []

    # ---- what is heard

    def play(self, number: int = 0, bar: str = "") -> None:
        """A take from its beginning, or a bar of it."""
        if not 0 <= number < len(self.takes):
            return
        take = self.takes[number]
        length = len(take.samples) / take.rate
        at = take.bar_s.get(bar)
        first = max(0.0, at - LEAD_S) if at is not None else 0.0
        last = min(length, first + LEAD_S + BAR_S) if at is not None else length
        self.transport.play([cut(take.samples, take.rate, first, last, 1.0, str(number))])

    def toggle(self) -> None:
        """Plays the take, or stops."""
        if self.transport.playing:
            self.stop()
        else:
            self.play(self.asked if self.stage == EarStage.ANSWERED else 0)

    def stop(self) -> None:
        self.transport.stop()

    # ---- the answer

    def say(self, view: OwnView) -> None:
        """What was heard; then the answer shows."""
        if self.take is None or self.stage != EarStage.LISTENING:
            return
        self.lines = answer_lines(self.take, view.marks)
        self._keep(answer(self.take.faults, view.marks).entry())

    def say_which(self, number: int) -> None:
        """Which of the three takes it was."""
        if self.take is None or self.stage != EarStage.LISTENING:
            return
        self.said = number
        right = number == self.asked
        first = self.take.faults[0]
        told = _("Yes: it was take {number}.") if right else _("It was take {number}.")
        self.lines = [AnswerLine(first.facet, first.bars[0], told.format(number=self.asked + 1))]
        self.lines += answer_lines(self.take, None)
        of = [f.facet for f in self.take.faults]
        self._keep({"of": of, "heard": of if right else [], "invented": []})

    def _keep(self, entry: dict[str, object]) -> None:
        asked = self.request
        self.stage = EarStage.ANSWERED
        try:
            self.journal.add(
                "ear",
                {**entry, "way": self.way, "level": asked.level, "instrument": asked.instrument},
            )
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))
        self.reread()
