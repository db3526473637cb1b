"""The people of the library: bands, players and their practice."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

from sqlalchemy import delete, func, select, update

from jeweller.errors import LedgerError
from jeweller.i18n import _
from jeweller.library.store import Store
from jeweller.library.tables import (
    Band,
    Base,
    Player,
    Practice,
    Take,
    whole_rows,
)
from jeweller.repertoire.shelf import Shelf

Row = TypeVar("Row", bound=Base)


class Named(NamedTuple):
    """A player as a list shows them; `instrument` is an id of the table."""

    id: int
    name: str
    instrument: str
    part: str
    band: int


def name_of(name: str, what: str) -> str:
    name = " ".join(name.split())[:80]
    if not name:
        raise LedgerError(_("A {what} needs a name.").format(what=what))
    return name


class LibraryPeople:
    """Bands, players, practice; and how rows are read and written."""

    _shelf: Shelf | None
    store: Store

    def __init__(self, folder: Path, *, read_only: bool = False) -> None:
        self.store = Store(folder, read_only=read_only)
        self._shelf: Shelf | None = None

    @property
    def folder(self) -> Path:
        return self.store.folder

    @property
    def shelf(self) -> Shelf:
        """The music of the library."""
        if self._shelf is None:
            self._shelf = Shelf(self.store.shelf)
        return self._shelf

    def close(self) -> None:
        self.store.close()

    def bands(self) -> list[Band]:
        return self._all(select(Band).order_by(Band.name))

    def add_band(self, name: str, year: str = "", players: Sequence[int] = ()) -> Band:
        """A new band or class; `players` (by id) leave theirs and go on in it. Raises LedgerError."""
        band = Band(name=name_of(name, "band"), year=year)
        with self.store.write() as session:
            session.add(band)
            session.flush()
            if players:
                session.execute(update(Player).where(Player.id.in_(players)).values(band_id=band.id))
        return band

    def players(self, band: int | None = None) -> list[Player]:
        """The players of a band (None: all), by name."""
        query = select(Player).order_by(func.lower(Player.name))
        return self._all(query if band is None else query.where(Player.band_id == band))

    def player(self, player: int) -> Player:
        return self._get(Player, player)

    def who_plays_what(self) -> list[Named]:
        """Every player by name: as much as a long list needs."""
        with self.store.read() as session:
            query = select(Player.id, Player.name, Player.instrument, Player.part, Player.band_id).order_by(
                func.lower(Player.name)
            )
            return [Named(*row) for row in session.execute(query)]

    def players_in(self, tray: int) -> dict[int, Player]:
        """By their ids, the players who have a take in a tray."""
        of_tray = select(Take.player_id).where(Take.tray_id == tray)
        return {p.id: p for p in self._all(select(Player).where(Player.id.in_(of_tray)))}

    def add_player(
        self,
        band: int,
        name: str,
        instrument: str = "",
        part: str = "",
        *,
        also: Sequence[str] = (),
        consent: str = "",
    ) -> Player:
        return self._add(
            Player(
                band_id=band,
                name=name_of(name, "player"),
                instrument=instrument,
                part=part,
                also=list(also),
                consent=consent,
            )
        )

    def change(self, row: Row, **values: Any) -> None:
        """Other values in the columns of a row."""
        with self.store.write() as session:
            kind = type(row)
            session.execute(update(kind).where(kind.id == row.id).values(**values))  # type: ignore[attr-defined]

    def add_practice(self, player: int, day: str, minutes: int, note: str = "") -> Practice:
        return self._add(Practice(player_id=player, day=day, minutes=minutes, note=note))

    def practice(self, player: int) -> list[Practice]:
        return self._all(select(Practice).where(Practice.player_id == player).order_by(Practice.day))

    def _all(self, query: Any) -> list[Any]:
        with self.store.read() as session:
            return whole_rows(session.scalars(query))

    def _get(self, kind: type[Row], key: int) -> Row:
        with self.store.read() as session:
            row = session.get(kind, key)
        if row is None:
            raise LedgerError(
                _("There is no {casefold} {key} in this library.").format(
                    casefold=kind.__name__.casefold(), key=key
                )
            )
        return row

    def _add(self, row: Row) -> Row:
        with self.store.write() as session:
            session.add(row)
        return row

    def remove_rows(self, kind: type[Row], *where: Any) -> None:
        """Deletes rows for good."""
        with self.store.write() as session:
            session.execute(delete(kind).where(*where))
