"""What practising knows and does, with no widget: from a take to a polish list, and whether it helped."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.documents.drill_picture import DrillPicture, draw_drill
from jeweller.documents.parts import instrument_of
from jeweller.errors import JewellerError
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_number
from jeweller.i18n import _, chosen_language, ngettext
from jeweller.library.journal import PlayerJournal
from jeweller.notation.model import Score
from jeweller.practice.drills import Drill
from jeweller.practice.fit import sure_notes, ways_for
from jeweller.practice.polish import PolishList, begin_bpm, count_in_vain, make_polish_list, thing_of
from jeweller.practice.remedies import Remedy, RemedyTable, load_remedies, load_schools, save_remedies
from jeweller.practice.spacing import KeptThing, items_due, keep_drill, kept_things, rule_sentence
from jeweller.report_format import TakeReport

if TYPE_CHECKING:
    from jeweller.library.tables import Player
    from jeweller.notation.model import Part

MINUTES = (10, 20, 30, 45)
DRILL_UNITS = 1500.0  # page units of an engraved drill


@dataclass(frozen=True)
class Source:
    """A take that a list is made from; without a report only what comes back from earlier days."""

    words: str
    report: TakeReport | None
    part: Part | None
    title: str
    player: Player | None = None
    comment: str = ""  # what the teacher says of it

    def is_like(self, other: Source | None) -> bool:
        """Whether both are of the same take, or of none and the same player."""
        if other is None or self.report is not other.report:
            return False
        ids = [s.player.id if s.player is not None else None for s in (self, other)]
        return self.report is not None or ids[0] == ids[1]


@dataclass(frozen=True)
class Made:
    """A list, and its drills engraved (None where there is none)."""

    list: PolishList
    drills: tuple[DrillPicture | None, ...]
    fits: tuple[Drill, ...] = ()  # the same tune, made fit


def make(
    source: Source,
    minutes: int,
    table: RemedyTable,
    in_vain: dict[str, int],
    instrument: str,
    schools: dict[str, str],
    kept: list[KeptThing],
    today: datetime.date,
) -> Made:
    """The list of a take, with its drills engraved: done beside the window."""
    from jeweller.instruments.table import find_instrument, require_instrument

    whose = find_instrument(instrument) if instrument else None
    if whose is None:
        whose = instrument_of(source.part) if source.part is not None else require_instrument("flute")
    back = items_due(kept, today, table, whose)
    polish = make_polish_list(source.report, source.part, whose, minutes, table, in_vain, schools, back)
    drills = tuple(
        draw_drill(i.drill, whose, DRILL_UNITS) if i.drill is not None else None for i in polish.items
    )
    fits: tuple[Drill, ...] = ()
    if source.report is not None and source.part is not None and not source.part.percussion:
        fits = tuple(ways_for(source.part, whose, sure_notes([source.report])))
    return Made(polish, drills, fits)


class PracticeModel(QObject):
    """`changed`: something to be shown anew; `message`, `trouble`: sentences for the user."""

    changed = Signal()
    message = Signal(str)
    trouble = Signal(str)

    def __init__(
        self,
        jobs: Jobs,
        settings: QSettings,
        library: Callable[[], Path],
        parent: QObject | None = None,
        today: Callable[[], datetime.date] = datetime.date.today,
    ) -> None:
        super().__init__(parent)
        self.jobs, self.settings, self._library, self.today = jobs, settings, library, today
        self.minutes = int(kept_number(settings, "practice/minutes", MINUTES[1], MINUTES[0], MINUTES[-1]))
        self.source: Source | None = None
        self.made: Made | None = None
        self._language = ""  # of what is made

    @property
    def journal(self) -> PlayerJournal:
        player = self.source.player if self.source is not None else None
        return PlayerJournal(self._library(), player.id if player is not None else None)

    @property
    def table(self) -> RemedyTable:
        """The remedies of the library; the shipped ones where they cannot be read."""
        try:
            table = load_remedies(self._library())
        except JewellerError as error:
            self.trouble.emit(str(error))
            return load_remedies(None)
        if table.foreign:
            self.message.emit(
                _("Of the changed remedies not used: {rows}.").format(rows="; ".join(table.foreign))
            )
        return table

    @property
    def schools(self) -> dict[str, str]:
        """Which school was chosen where they disagree; where none was, nothing is said."""
        chosen = {s.key: str(self.settings.value(f"practice/school/{s.key}", "")) for s in load_schools()}
        return {key: choice for key, choice in chosen.items() if choice}

    def choose_school(self, key: str, choice: str) -> None:
        """Another school, or none; the list is made anew."""
        self.settings.setValue(f"practice/school/{key}", choice)
        self.make()

    def keep_remedies(self, rows: list[Remedy]) -> None:
        """Another table; the list is made anew."""
        try:
            save_remedies(self._library(), rows)
        except OSError as error:
            self.trouble.emit(_("The table could not be kept: {error}.").format(error=error))
        self.make()

    def choose(self, source: Source | None) -> None:
        """Another take to work from."""
        self.source, self.made = source, None
        self.make()

    def set_minutes(self, minutes: int) -> None:
        self.minutes = minutes
        self.settings.setValue("practice/minutes", minutes)
        self.make()

    def make(self) -> None:
        """The list, for the minutes there are."""
        if self.source is None:
            self.changed.emit()
            return
        self._language = chosen_language()
        player = self.source.player
        job = self.jobs.threaded(
            "polish",
            make,
            self.source,
            self.minutes,
            self.table,
            self.in_vain(),
            player.instrument if player is not None else self._usual_instrument,
            self.schools,
            self.kept(),
            self.today(),
        )
        job.done.connect(self._made)
        job.failed.connect(self.trouble)
        self.changed.emit()

    def speak(self) -> None:
        """The list in the language that is chosen by now."""
        if self.source is not None and self._language != chosen_language():
            self.made = None
            self.make()

    def _made(self, made: Made) -> None:
        self.made = made
        self.changed.emit()

    @property
    def _usual_instrument(self) -> str:
        """Of whoever is not of the class, where no part tells it."""
        without = self.source is not None and self.source.part is None
        return str(self.settings.value("warmup/instrument", "")) if without else ""

    def kept(self) -> list[KeptThing]:
        """What was worked at and comes back, the soonest due first."""
        return kept_things(self.journal.every())

    def coming_back(self) -> str:
        """What comes back, and by which rule."""
        kept = self.kept()
        due = sum(k.due <= self.today() for k in kept)
        if not kept:
            return rule_sentence()
        told = ngettext(
            "{n} thing was worked at; {due} come back today, the next one on {day}.",
            "{n} things were worked at; {due} come back today, the next one on {day}.",
            len(kept),
        )
        later = [k.due for k in kept if k.due > self.today()]
        if not later:
            told = ngettext(
                "{n} thing was worked at; {due} come back today.",
                "{n} things were worked at; {due} come back today.",
                len(kept),
            )
        day = min(later).isoformat() if later else ""
        return told.format(n=len(kept), due=due, day=day) + " " + rule_sentence()

    def in_vain(self) -> dict[str, int]:
        """For how many sessions running each thing was worked at and came again."""
        sessions: list[tuple[list[str], list[str]]] = []
        for entry in self.journal.every():
            if entry["kind"] == "polish":
                sessions.append((list(entry.get("things", [])), []))
            elif entry["kind"] == "take" and sessions and not entry.get("plan", {}).get("bars"):
                sessions[-1][1].extend(entry.get("things", []))
        return count_in_vain(sessions)

    def worked_at(self, number: int) -> None:
        """An item is practised now: noted, so that it can be seen whether it helped."""
        if self.made is None:
            return
        item = self.made.list.items[number]
        try:
            self.journal.add(
                "polish",
                {
                    "things": [thing_of(item.finding)],
                    "remedy": item.remedy.name,
                    "minutes": item.minutes,
                    **({} if item.back else keep_drill(item, self.source.title if self.source else "")),
                },
            )
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))

    def fit_score(self, way: str) -> tuple[Score, float] | None:
        """The tune made fit as music, and the speed it begins at (quarters a minute)."""
        if self.made is None or self.source is None or self.source.report is None:
            return None
        fitted = next((f for f in self.made.fits if f.kind == way), None)
        if fitted is None:
            return None
        beat = float(fitted.part.bars[0].metre.beat)
        bpm = begin_bpm(self.source.report["tempo"]["played_bpm"], fitted.share) * beat
        title = _("{title}, {made}").format(title=self.source.title, made=fitted.title)
        return Score(title, (fitted.part,), ""), bpm

    def drill_score(self, number: int) -> tuple[Part, float] | None:
        """The drill of an item as music, and the speed it begins at (quarters a minute)."""
        if self.made is None:
            return None
        item = self.made.list.items[number]
        if item.drill is None:
            return None
        beat = float(item.drill.part.bars[0].metre.beat)
        return item.drill.part, item.bpm * beat
