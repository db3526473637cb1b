"""What the keys after a take lead to: another speed, fewer bars or more of them."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from jeweller.booth.attempts import BoothTake
from jeweller.booth.ladder import Rung, SpeedLadder, first_speed, joined, wider, worst_bar
from jeweller.booth.plan import Music, TakePlan, cut_bars
from jeweller.booth.settings import LADDER
from jeweller.errors import JewellerError
from jeweller.gui.places.booth.take_log import TakeLog
from jeweller.i18n import _

USUAL_BPM = 80.0


class LadderKeys(QObject):
    """The music, how the next take of it is made, and what the takes so far lead to; the model goes on from
    here. `changed`: something to be shown anew; `trouble`, `message`: sentences for the user.
    """

    changed = Signal()
    trouble = Signal(str)
    message = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.music: Music | None = None
        self.plan = TakePlan()
        self.log = TakeLog()
        self.ladder: SpeedLadder | None = None
        self.rung: Rung | None = None

    def set_plan(self, **changes: Any) -> None:
        raise NotImplementedError

    @property
    def take(self) -> BoothTake | None:
        """The take that is shown."""
        return self.log.take

    def music_bars(self) -> list[str]:
        """The printed numbers of the bars that are shown."""
        if self.music is None:
            return []
        return [b.number for b in cut_bars(self.music.part, self.plan.bars).bars]

    @property
    def beat(self) -> float:
        """The beat of the music, in quarters: speeds are said in beats."""
        return self.plan.beat

    @property
    def written_bpm(self) -> float:
        """The speed that is written, or a usual one."""
        if self.music is None:
            return USUAL_BPM
        return self.music.line(self.plan).written_bpm or USUAL_BPM

    def bars_of(self, text: str) -> str | None:
        """Bars as they were typed, "" all; None, with a sentence, where the music has none such."""
        asked = "-".join(w.strip() for w in text.replace("–", "-").split("-") if w.strip())
        try:
            if self.music is not None:
                cut_bars(self.music.part, asked)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        return asked

    def set_ladder(self, goal_bpm: float | None) -> None:
        """A ladder up to a speed, from where the errors vanish; None for none."""
        self.ladder = SpeedLadder(goal_bpm=goal_bpm) if goal_bpm is not None else None
        self.rung = None
        if goal_bpm is not None:
            self.set_plan(bpm=first_speed(self.log.like(self.plan), goal_bpm))
        self.changed.emit()

    def slower(self) -> None:
        """A good deal slower."""
        self.set_plan(bpm=float(max(LADDER.slowest_bpm, round(self.plan.bpm * LADDER.slower))))
        self.message.emit(_("Slower: {bpm:.0f} a minute.").format(bpm=self.plan.bpm / self.beat))

    def bad_bar(self) -> None:
        """Only the bar that most is to be mended in."""
        bar = worst_bar(self.take) if self.take is not None else ""
        if not bar or self.music is None or bar not in self.music.bar_numbers:
            self.message.emit(_("There is no bar to mend in this take."))
            return
        self.set_plan(bars=bar)
        self.message.emit(_("Bar {bar} alone.").format(bar=bar))

    def join(self) -> None:
        """The bars with the next one."""
        if self.music is None or not self.plan.bars:
            self.message.emit(_("The whole piece is practised already."))
            return
        self.set_plan(bars=joined(self.music, self.plan.bars))

    def widen(self) -> None:
        """The next step of the ladder of places."""
        if self.music is not None and self.plan.bars:
            self.set_plan(bars=wider(self.music, self.plan.bars))
