"""What the log knows and does, with no widget: who practised when, for how long, against which rule; a timer
that listens.
"""

from __future__ import annotations

import contextlib
import datetime
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.booth.settings import STOP
from jeweller.errors import JewellerError
from jeweller.gui.services.devices import Devices, no_microphone
from jeweller.gui.services.hearing import PitchHearing
from jeweller.gui.services.kept import kept_number
from jeweller.i18n import _
from jeweller.library.journal import PlayerJournal
from jeweller.practice.log import DAYS, HeardTimer, LogWeek, Practised, Rule, total, week_of
from jeweller.practice.loudness import HeardLevel, levels_of, may_tell, soft_by_habit, soft_words
from jeweller.practice.settings import LOG

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player

MOST_WORDS = 200  # characters of a note
MOST_MINUTES = 180  # that a rule may ask of a day


class LogModel(QObject):
    """The log of `player`, None for whoever is not of the class. `changed`: something to be shown anew;
    `ticked`: the timer has moved on; `trouble`: a sentence for the user.
    """

    changed = Signal()
    ticked = Signal()
    trouble = Signal(str)

    def __init__(
        self,
        devices: Devices,
        settings: QSettings,
        folder: Callable[[], Path],
        library: Callable[[], Library | None],
        parent: QObject | None = None,
        today: Callable[[], datetime.date] = datetime.date.today,
        now: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(parent)
        self.devices, self.settings, self._folder, self._library = devices, settings, folder, library
        self.today, self._now = today, now
        self.player: Player | None = None
        self.weeks_back = 0
        self._entries: list[Practised] | None = None  # as they were read last
        self.timer = HeardTimer()
        self.hearing = PitchHearing(self)
        self.hearing.looked.connect(self._moment)
        self.hearing.ended.connect(self._ended)

    # ---- who and what

    @property
    def journal(self) -> PlayerJournal:
        return PlayerJournal(self._folder(), self.player.id if self.player is not None else None)

    def choose(self, player: Player | None) -> None:
        """Another player."""
        self.stop()
        self.player, self.timer, self.weeks_back = player, HeardTimer(), 0
        self.reread()

    def reread(self) -> None:
        """The journal and the ledger may hold something else by now."""
        self._entries = None
        self.changed.emit()

    @property
    def rule(self) -> Rule:
        return Rule(
            int(kept_number(self.settings, "practice/log/minutes", LOG.minutes, 1, MOST_MINUTES)),
            int(kept_number(self.settings, "practice/log/days", LOG.days, 1, DAYS)),
        )

    def set_rule(self, minutes: int, days: int) -> None:
        """Another rule, for all weeks."""
        self.settings.setValue("practice/log/minutes", minutes)
        self.settings.setValue("practice/log/days", days)
        self.changed.emit()

    @property
    def entries(self) -> list[Practised]:
        """All that was written down. The minutes of a player of the class are those of the ledger, whoever
        wrote them there.
        """
        if self._entries is not None:
            return self._entries
        told = [
            Practised(
                day=str(e.get("day", "")),
                minutes=int(e.get("minutes", 0)) if self.player is None else 0,
                note=str(e.get("note", "")) if self.player is None else "",
                well=str(e.get("well", "")),
                did=str(e.get("did", "")),
            )
            for e in self.journal.entries("log")
        ]
        library = self._library()
        if self.player is not None and library is not None:
            rows = library.practice(self.player.id)
            told += [Practised(day=p.day, minutes=p.minutes, note=p.note) for p in rows]
        self._entries = told
        return told

    @property
    def week(self) -> LogWeek:
        """The week that is shown."""
        day = self.today() - datetime.timedelta(weeks=self.weeks_back)
        return week_of(self.entries, day, self.rule)

    def total(self) -> tuple[int, int]:
        """(minutes, days that count) since the beginning."""
        return total(self.entries, self.rule)

    def soft_words(self) -> str:
        """That it has become softer than usual by habit, once; "" else."""
        levels = levels_of(self.journal.every())
        library = self._library()
        if self.player is not None and library is not None:
            for take in library.takes_of(self.player.id):
                level = (take.summary.get("sound") or {}).get("level_db")
                if take.setup and level is not None:
                    setup = f"{take.setup} · {take.part}"
                    levels.append(HeardLevel(take.added_at.date(), setup, float(level)))
        habit = soft_by_habit(levels)
        told = self.journal.entries("soft")
        if habit is None or not may_tell(told, habit, self.today()):
            return ""
        if not told or told[-1]["day"] != self.today().isoformat():
            with contextlib.suppress(OSError):  # it is said once more then
                self.journal.add("soft", {"setup": habit.setup, "day": self.today().isoformat()})
        return soft_words(habit)

    def turn(self, weeks: int) -> None:
        """An earlier week (positive), or a later one; none is in the future."""
        self.weeks_back = max(0, self.weeks_back + weeks)
        self.changed.emit()

    def write(self, day: datetime.date, minutes: int, note: str, well: str, did: str) -> bool:
        """Writes something down; whether that was done."""
        note, well, did = (t.strip()[:MOST_WORDS] for t in (note, well, did))
        library = self._library()
        try:
            if self.player is not None and library is not None and (minutes or note):
                library.add_practice(self.player.id, day.isoformat(), minutes, note)
            self.journal.add(
                "log",
                {"day": day.isoformat(), "minutes": minutes, "note": note, "well": well, "did": did},
            )
        except (OSError, JewellerError) as error:
            self.trouble.emit(_("The journal could not be written: {error}.").format(error=error))
            return False
        self.timer = HeardTimer()
        self.reread()
        return True

    # ---- the timer

    @property
    def listening(self) -> bool:
        return self.hearing.listening

    def go(self) -> None:
        """Begins to listen, or stops."""
        if self.listening:
            self.stop()
            return
        try:
            self.hearing.start(self.devices.microphone())
        except OSError as error:
            self.trouble.emit(no_microphone(error))
        self.changed.emit()

    def stop(self) -> None:
        """Stops listening; the minutes stay until they are written down."""
        self.hearing.stop()
        self.timer.heard_s = None
        self.changed.emit()

    def _moment(self) -> None:
        before = self.timer.seconds
        self.timer.push(self._now(), self.hearing.meter.loud_db > STOP.silent_db)
        if int(before) != int(self.timer.seconds):
            self.ticked.emit()

    def _ended(self, sentence: str) -> None:
        self.timer.heard_s = None
        if sentence:
            self.trouble.emit(sentence)
        self.changed.emit()
