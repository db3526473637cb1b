"""What practising knows and does, with no widget: from a take to a polish list, and whether it helped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.parts import instrument_of
from jeweller.errors import JewellerError
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _, chosen_language
from jeweller.library.journal import PlayerJournal
from jeweller.notation.model import Score
from jeweller.practice.drills import Drill
from jeweller.practice.fit import sure_notes, ways_for
from jeweller.practice.polish import PolishList, begin_bpm, count_in_vain, make_polish_list, thing_of
from jeweller.practice.remedies import Remedy, RemedyTable, load_remedies, load_schools, save_remedies
from jeweller.report_format import TakeReport

if TYPE_CHECKING:
    from jeweller.library.tables import Player
    from jeweller.notation.model import Part

MINUTES = (10, 20, 30, 45)
DRILL_UNITS = 1500.0  # page units of an engraved drill


@dataclass(frozen=True)
class Source:
    """A take that a list is made from."""

    words: str
    report: TakeReport
    part: Part
    title: str
    player: Player | None = None


@dataclass(frozen=True)
class Made:
    """A list, and its drills engraved (None where there is none)."""

    list: PolishList
    drills: tuple[Engraving | None, ...]
    fits: tuple[Drill, ...] = ()  # the same tune, made fit


def make(
    source: Source,
    minutes: int,
    table: RemedyTable,
    in_vain: dict[str, int],
    instrument: str,
    schools: dict[str, str],
) -> Made:
    """The list of a take, with its drills engraved: done beside the window."""
    from jeweller.instruments.table import find_instrument

    player = find_instrument(instrument) if instrument else None
    polish = make_polish_list(
        source.report, source.part, player or instrument_of(source.part), minutes, table, in_vain, schools
    )
    drills = tuple(
        engrave(i.drill.part, DRILL_UNITS, rails=False) if i.drill is not None else None for i in polish.items
    )
    whose = player or instrument_of(source.part)
    fits = () if source.part.percussion else tuple(ways_for(source.part, whose, sure_notes([source.report])))
    return Made(polish, drills, fits)


class PracticeModel(QObject):
    """`changed`: something to be shown anew; `message`, `trouble`: sentences for the user."""

    changed = Signal()
    message = Signal(str)
    trouble = Signal(str)

    def __init__(
        self, jobs: Jobs, settings: QSettings, library: Callable[[], Path], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.jobs, self.settings, self._library = jobs, settings, library
        self.minutes = int(str(settings.value("practice/minutes", MINUTES[1])))
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
            player.instrument if player is not None else "",
            self.schools,
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
                {"things": [thing_of(item.finding)], "remedy": item.remedy.name, "minutes": item.minutes},
            )
        except OSError as error:
            self.message.emit(_("The journal could not be written: {error}.").format(error=error))

    def fit_score(self, way: str) -> tuple[Score, float] | None:
        """The tune made fit as music, and the speed it begins at (quarters a minute)."""
        if self.made is None or self.source is None:
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
