"""What the scale wall knows and does, with no widget: whose wall, in which order, what is played for it and
whether it passed.
"""

from __future__ import annotations

import datetime
import random
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.booth.attempts import BoothTake
from jeweller.errors import JewellerError
from jeweller.i18n import _
from jeweller.instruments.table import Instrument, find_instrument, require_instrument
from jeweller.library.journal import PlayerJournal
from jeweller.notation.model import Part, Score
from jeweller.practice.settings import WALL
from jeweller.practice.wall import (
    CHECKED,
    EAR,
    ORDERS,
    SPEEDS,
    Slot,
    Stone,
    draw_test,
    key_before,
    keys_in_order,
    last_key,
    make_scale,
    may_set,
    signs_carried,
    stones_of,
)
from jeweller.practice.wall_words import carried_words

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player
    from jeweller.report_format import TakeReport


class WallModel(QObject):
    """`changed`: something to be shown anew; `message`, `trouble`: sentences for the user; `asked` carries
    the music to be played, its speed (quarters a minute), and whether from memory or reading.
    """

    changed = Signal()
    message = Signal(str)
    trouble = Signal(str)
    asked = Signal(object, float, str)

    def __init__(
        self,
        settings: QSettings,
        folder: Callable[[], Path],
        library: Callable[[], Library | None],
        music: Callable[[], list[Part]],
        parent: QObject | None = None,
        today: Callable[[], datetime.date] = datetime.date.today,
    ) -> None:
        super().__init__(parent)
        self.settings, self._folder, self._library = settings, folder, library
        self._music, self.today = music, today
        self.player: Player | None = None
        self.session = False  # one testing session sets what is known already
        self.reading = "practised"
        self.bpm = float(SPEEDS[1])
        self.draw = random.Random()
        self._asked: Slot | None = None  # what is played now
        self._entries: list[dict[str, Any]] | None = None  # of the journal, as they were read last
        self._seen = 0  # takes of it that were looked at

    # ---- whose, in which order

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self._folder(), self.player.id if self.player is not None else None)

    @property
    def instrument(self) -> Instrument:
        """That of the player, or the one that was chosen last."""
        if self.player is not None and self.player.instrument:
            found = find_instrument(self.player.instrument)
            if found is not None:
                return found
        return find_instrument(str(self.settings.value("warmup/instrument", "flute"))) or require_instrument(
            "flute"
        )

    def choose(self, player: Player | None) -> None:
        """Another player."""
        self.player, self._asked = player, None
        self.reread()

    @property
    def order(self) -> str:
        order = str(self.settings.value("practice/wall/order", "flats"))
        return order if order in ORDERS else "flats"

    @property
    def own(self) -> str:
        return str(self.settings.value("practice/wall/own", ""))

    def set_order(self, order: str, own: str | None = None) -> None:
        """Another order of the keys."""
        self.settings.setValue("practice/wall/order", order)
        if own is not None:
            self.settings.setValue("practice/wall/own", own)
        self.changed.emit()

    @property
    def keys(self) -> list[str]:
        return keys_in_order(self.order, self._music() if self.order == "music" else (), self.own)

    # ---- the stones

    @property
    def entries(self) -> list[dict[str, Any]]:
        if self._entries is None:
            self._entries = self.journal.entries("stone")
        return self._entries

    def reread(self) -> None:
        """The journal may hold something else by now."""
        self._entries = None
        self.changed.emit()

    @property
    def stones(self) -> dict[Slot, Stone]:
        return stones_of(self.entries)

    @property
    def last_key(self) -> str:
        """The key that was practised last."""
        return last_key(self.entries)

    def why_not(self, slot: Slot) -> str:
        """What was said of the last try of a place that did not pass, "" where it did or nothing was."""
        entry = next((e for e in reversed(self.entries) if e.get("slot") == slot.name), None)
        return str(entry.get("why", "")) if entry is not None and not entry.get("passed") else ""

    def of_class(self) -> list[tuple[Player, dict[Slot, Stone]]]:
        """What stands for each player of the newest class."""
        library = self._library()
        bands = library.bands() if library is not None else []
        players = library.players(bands[-1].id) if library is not None and bands else []
        return [(p, stones_of(PlayerJournal(self._folder(), p.id).entries("stone"))) for p in players]

    def play(self, slot: Slot) -> None:
        """Asks for the scale of a place, in the booth."""
        if not may_set(self.entries, slot, self.today(), session=self.session):
            self.message.emit(
                _("{n} new scales today are enough: they are to stay. Play one that stands.").format(
                    n=WALL.new_a_day
                )
            )
            return
        try:
            score = make_scale(slot, self.instrument, self.bpm)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self._asked, self._seen = slot, 0
        self.asked.emit(score, self.bpm * float(score.parts[0].bars[0].metre.beat), self.reading)

    def test_an_old_one(self) -> None:
        """One that stands, by chance."""
        stone = draw_test(self.stones.values(), self.today(), self.draw)
        if stone is None:
            self.message.emit(
                _("Nothing on the wall is {n} days old yet: there is nothing to test.").format(
                    n=WALL.old_days
                )
            )
            return
        self.bpm, self.reading = stone.bpm, stone.reading or "practised"
        self.play(stone.slot)

    def look(self, music: Score | None, takes: list[BoothTake]) -> None:
        """Takes of the booth whose verdict is told: one of the scale that was asked for is judged, once."""
        fresh, self._seen = takes[self._seen :], len(takes)
        if self._asked is None or music is None or music.title != self._asked.said:
            return
        for take in fresh:
            if take.report is not None and not take.plan.bars and take.plan.layer == "play":
                self._judge(self._asked, take, take.report)

    def _judge(self, slot: Slot, take: BoothTake, report: TakeReport) -> None:
        """It passed where all of it was right, at the speed that was counted in."""
        beat = float(report["score"]["beat_unit_q"] or 1.0)
        asked, played = take.plan.bpm / beat, report["tempo"]["played_bpm"] or 0.0
        passed = take.clean and played >= WALL.speed_share * asked
        before = key_before(self.entries, slot)
        carried = signs_carried(report, slot, before)
        self._write(slot, asked, passed, CHECKED, take.plan.reading, carried_words(carried, before))

    def set_by_ear(self, slot: Slot) -> None:
        """The teacher heard it: it stands, and is marked so."""
        self._write(slot, self.bpm, True, EAR, self.reading)

    def _write(self, slot: Slot, bpm: float, passed: bool, by: str, reading: str, why: str = "") -> None:
        try:
            self.journal.add(
                "stone",
                {
                    "slot": slot.name,
                    "day": self.today().isoformat(),
                    "bpm": round(bpm),
                    "passed": passed,
                    "by": by,
                    "reading": reading,
                    "session": self.session,
                    **({"why": why} if why else {}),
                },
            )
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))
            return
        if passed:
            told = _("{scale} stands at {bpm:.0f}.")
        elif why:
            told = _("{scale} is not set yet. {why}")
        else:
            told = _("{scale} is not set yet: listen to what was heard, and try it again.")
        self.message.emit(told.format(scale=slot.said, bpm=bpm, why=why))
        self.reread()
