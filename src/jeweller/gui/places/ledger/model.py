"""What the ledger knows and does, without a widget: the class in a piece, the players, the assignments.

Errors are told by `trouble`, never raised at a widget; the library may be opened and closed at any time.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from jeweller.difficulty.analysis import SAID
from jeweller.errors import JewellerError
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument, instruments
from jeweller.library.assignments import AssignmentStatus, assignment_status, kinds_of
from jeweller.library.class_list import Listed, enter_class
from jeweller.library.class_view import ClassView, class_view, pieces_of
from jeweller.library.library import Library
from jeweller.library.privacy import delete_band, delete_player, export_player, list_held
from jeweller.library.progress import OverTime, over_time
from jeweller.library.states import TakeState
from jeweller.library.tables import Band, Player
from jeweller.library.years import format_name, list_held_in_band, new_year
from jeweller.notation.model import Part

NAME_LENGTH = 80  # characters of a name that are kept
NAMED = 6  # players named in a row


class LedgerModel(QObject):
    """The library of the ledger and the one way of changing it."""

    trouble = Signal(str)

    def __init__(self, library: Callable[[], Library | None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._library = library
        self.picture = ClassPicture(self)
        self.players = PlayersModel(self)
        self.assignments = AssignmentsModel(self)

    @property
    def library(self) -> Library | None:
        return self._library()

    @property
    def opened(self) -> Library:
        """The library, where one is known to be open. Raises LookupError."""
        library = self.library
        if library is None:
            raise LookupError("no library is open")
        return library

    def apply(self, act: Callable[[Library], Any]) -> bool:
        """Does something with the library and says why where it cannot be; whether it was done."""
        if self.library is None:
            return False
        try:
            act(self.library)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return False
        return True

    def first_band(self) -> int | None:
        """The first band of the library, entered as "My band" where there is none."""
        if self.library is None:
            return None
        if not self.library.bands() and not self.apply(lambda library: library.add_band(_("My band"))):
            return None
        return self.library.bands()[0].id


class ClassPicture:
    """One piece of one tray, bar by bar for everybody."""

    def __init__(self, model: LedgerModel) -> None:
        self._model = model
        self.view: ClassView | None = None
        self.piece: str | None = None

    def trays(self) -> list[tuple[str, int]]:
        """Name and id of each tray."""
        library = self._model.library
        return [(t.name, t.id) for t in library.trays()] if library is not None else []

    def pieces(self, tray: int | None) -> list[tuple[str, str]]:
        """Words and id of each piece that was played in a tray."""
        if tray is None:
            return []
        return [(f"{title} ({count})", piece) for piece, title, count in pieces_of(self._model.opened, tray)]

    def choose(self, tray: int | None, piece: str | None) -> None:
        """Makes `view`; None where nothing is chosen or it cannot be read."""
        self.view, self.piece = None, piece
        if tray is None or piece is None:
            return
        try:
            self.view = class_view(self._model.opened, tray, piece)
        except JewellerError as error:
            self._model.trouble.emit(str(error))

    def part(self, name: str) -> Part | None:
        """A part of the piece by its name, else its first; None where the piece is not on the shelf."""
        try:
            parts = self._model.opened.shelf.score(str(self.piece)).parts
        except JewellerError:
            return None
        return next((p for p in parts if p.name == name), parts[0])


class PlayersModel:
    """Everybody who plays, by the words they are found by, and the one who is looked at."""

    def __init__(self, model: LedgerModel) -> None:
        self._model = model
        self.player: Player | None = None
        self.progress: OverTime | None = None
        self.named: list[tuple[str, int, int]] = []  # words, player, band

    def read(self) -> None:
        """Everybody anew; the chosen player stays chosen while they are there."""
        library = self._model.opened
        names = {i.id: i.said for i in instruments()}
        self.named = [
            (" · ".join(filter(None, [p.name, names.get(p.instrument, p.part)])), p.id, p.band)
            for p in library.who_plays_what()
        ]
        here = self.player.id if self.player is not None else None
        self.player = next((library.player(i) for _name, i, _band in self.named if i == here), None)

    def bands(self) -> list[tuple[str, int]]:
        """Name and id of each band."""
        return [(format_name(b), b.id) for b in self.band_rows()]

    def band_rows(self) -> Sequence[Band]:
        return self._model.library.bands() if self._model.library is not None else ()

    def find(self, text: str, band: int | None, most: int) -> list[tuple[str, int]]:
        """Words and id of those of a band (None: of all) in whose words each word of `text` stands."""
        wanted = text.casefold().split()
        found = (
            (words, player)
            for words, player, of in self.named
            if band in (None, of) and all(w in words.casefold() for w in wanted)
        )
        return [entry for _k, entry in zip(range(most), found, strict=False)]

    def choose(self, player: int | None) -> None:
        if player is None or self._model.library is None:
            self.player = self.progress = None
            return
        self.player = self._model.opened.player(player)
        self.progress = over_time(self._model.opened, self.player)

    def instrument_name(self) -> str:
        """What the chosen player plays, else the name of their part."""
        if self.player is None:
            return ""
        instrument = find_instrument(self.player.instrument) if self.player.instrument else None
        return instrument.said if instrument is not None else self.player.part

    # ---- what can be done

    def add(self, values: Mapping[str, Any]) -> bool:
        """Enters somebody, who is then the chosen one."""
        fields = dict(values)
        band = fields.pop("band_id")

        def enter(library: Library) -> None:
            self.player = library.add_player(band, **fields)

        return self._model.apply(enter)

    def names(self, band: int) -> list[Player]:
        """Everybody of a band."""
        return list(self._model.library.players(band)) if self._model.library is not None else []

    def enter_class(self, band: int, listed: Sequence[Listed]) -> tuple[int, int] | None:
        """Enters a class list; how many are new, how many were brought up to date. None where it failed."""
        told: list[tuple[int, int]] = []
        done = self._model.apply(lambda library: told.append(enter_class(library, band, listed)))
        return told[0] if done and told else None

    def change(self, values: Mapping[str, Any]) -> bool:
        """Another name, instrument, part or band for the chosen player."""
        player = self.player
        if player is None:
            return False
        if not values["name"]:
            self._model.trouble.emit(_("A player needs a name."))
            return False
        return self._model.apply(lambda library: library.change(player, **values))

    def toggle_consent(self, today: datetime.date) -> bool:
        """Notes that consent was given today, or takes it back."""
        player = self.player
        if player is None:
            return False
        consent = "" if player.consent else today.isoformat()
        return self._model.apply(lambda library: library.change(player, consent=consent))

    def add_practice(self, minutes: int, today: datetime.date) -> bool:
        player = self.player
        if player is None:
            return False
        return self._model.apply(lambda library: library.add_practice(player.id, today.isoformat(), minutes))

    def export(self, target: Path) -> int | None:
        """Everything that is held on the chosen player as one file; how many files it holds."""
        if self.player is None or self._model.library is None:
            return None
        try:
            return export_player(self._model.library, self.player, target)
        except JewellerError as error:
            self._model.trouble.emit(str(error))
            return None

    def list_held(self) -> list[str]:
        """What is held on the chosen player, in words."""
        return list_held(self._model.opened, self.player) if self.player is not None else []

    def delete(self) -> bool:
        player = self.player
        if player is None:
            return False
        return self._model.apply(lambda library: delete_player(library, player))

    # ---- bands and years

    def band(self, number: int | None) -> Band | None:
        return next((b for b in self.band_rows() if b.id == number), None)

    def members(self, band: Band | None) -> Sequence[Player]:
        return self._model.opened.players(band.id) if band is not None else ()

    def new_year(self, name: str, year: str, going_on: Sequence[int]) -> bool:
        return self._model.apply(lambda library: new_year(library, name, year, list(going_on)))

    def rename_band(self, band: Band, name: str) -> bool:
        words = " ".join(name.split())[:NAME_LENGTH]
        return bool(words) and self._model.apply(lambda library: library.change(band, name=words))

    def list_held_in_band(self, band: Band) -> list[str]:
        return list_held_in_band(self._model.opened, band)

    def delete_band(self, band: Band) -> bool:
        return self._model.apply(lambda library: delete_band(library, band.id))


class AssignmentsModel:
    """What was given out and who has handed in."""

    def __init__(self, model: LedgerModel) -> None:
        self._model = model
        self.rows: list[AssignmentStatus] = []

    def read(self) -> None:
        self.rows = assignment_status(self._model.opened)

    def cells(self, row: AssignmentStatus, today: datetime.date) -> tuple[str, ...]:
        """What a row says: due, piece, what matters, handed in, to decide, not yet from."""
        a = row.assignment
        bars = _(", bars {bars}").format(bars=a.bars) if a.bars else ""
        missing = ", ".join(row.missing[:NAMED])
        if len(row.missing) > NAMED:
            missing += _(" and {n} more").format(n=len(row.missing) - NAMED)
        return (
            row.due_words(today),
            a.title + bars,
            ", ".join(_(SAID[t]) for t in a.settings.get("traps") or () if t in SAID),
            _("{n} of {n2}").format(n=len(row.handed_in), n2=len(row.handed_in) + len(row.missing)),
            str(row.waiting or ""),
            missing,
        )

    def pieces(self) -> list[tuple[str, str]]:
        """Id and title of each whole piece of the shelf, by title."""
        shelf = self._model.opened.shelf
        shelf.read()
        whole = (p for p in shelf.pieces.values() if not p.passage_of)
        return [(p.id, p.title) for p in sorted(whole, key=lambda p: p.title.casefold())]

    def kinds_of(self, piece: str) -> list[str]:
        """The kinds of trap in a piece."""
        return kinds_of(self._model.opened, piece)

    def give(self, asked: Mapping[str, Any]) -> bool:
        """Gives a piece out to the first band, as a box of criteria tells it."""
        band = self._model.first_band()
        return band is not None and self._model.apply(
            lambda library: library.give(
                band,
                asked["piece"],
                asked["title"],
                bars=asked["bars"],
                due=asked["due"],
                **asked["settings"],
            )
        )

    def change(self, row: AssignmentStatus, asked: Mapping[str, Any], *, check_again: bool) -> int | None:
        """Other criteria for an assignment. Where they need another check its takes wait for it: how many;
        None where it could not be done.
        """
        waiting = 0

        def reassign(library: Library) -> None:
            nonlocal waiting
            library.reassign(
                row.assignment.id,
                asked["piece"],
                asked["title"],
                bars=asked["bars"],
                due=asked["due"],
                **asked["settings"],
            )
            takes = [t for tray in row.trays for t in library.takes(tray) if t.piece == asked["piece"]]
            for take in takes if check_again else ():
                library.change(take, state=TakeState.WAITING)
                waiting += 1

        return waiting if self._model.apply(reassign) else None
