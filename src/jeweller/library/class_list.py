"""A class list as teachers have it: a CSV file with any columns, read into names, instruments and parts, and
brought up to date without doubles.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from jeweller.errors import LedgerError
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.library.library import Library

MOST_BYTES = 2**20  # a longer file is no class list
# What the columns are called, in plain words; the first that fits names it.
NAMES = ("name", "player", "student", "pupil", "full name", "student name")
FIRST, LAST = (
    ("first name", "first", "given name", "forename"),
    ("last name", "last", "surname", "family name"),
)
INSTRUMENTS = ("instrument", "instruments", "plays")
PARTS = ("part", "parts", "voice", "chair", "section")


@dataclass(frozen=True)
class Listed:
    """One player of a class list; `instrument` is an id of the table, "" where none is known."""

    name: str
    instrument: str = ""
    part: str = ""


def read_class_list(path: Path) -> tuple[list[Listed], list[str]]:
    """The players of a CSV file, in its order, and a sentence for each thing in it that is not understood.
    Raises LedgerError where there are no names in it.
    """
    rows = [[cell.strip() for cell in row] for row in _rows(path)]
    rows = [row for row in rows if any(row)]
    if not rows:
        raise LedgerError(_("{name} is empty.").format(name=path.name))
    columns = _columns(rows)
    if columns is None:
        raise LedgerError(_("{name} has no column of names; call one “name”.").format(name=path.name))
    name, last, instrument, part, headed = columns
    listed: dict[str, Listed] = {}
    told = []
    for row in rows[headed:]:
        called = " ".join(_cell(row, k) for k in (name, last) if k is not None).strip()
        if not called:
            continue
        plays = _cell(row, instrument)
        found = find_instrument(plays) if plays else None
        if plays and found is None:
            told.append(_("{name}: there is no instrument “{plays}”.").format(name=called, plays=plays))
        listed.setdefault(called.casefold(), Listed(called, found.id if found else "", _cell(row, part)))
    if not listed:
        raise LedgerError(_("{name} has no names in it.").format(name=path.name))
    return list(listed.values()), told


def enter_class(library: Library, band: int, listed: Sequence[Listed]) -> tuple[int, int]:
    """(how many are new, how many were brought up to date): who is there already by name is kept, and given
    the instrument and the part of the list.
    """
    there = {p.name.casefold(): p for p in library.players(band)}
    new = changed = 0
    for row in listed:
        player = there.get(row.name.casefold())
        if player is None:
            library.add_player(band, row.name, row.instrument, row.part)
            new += 1
            continue
        values = {
            key: value
            for key, value in (("instrument", row.instrument), ("part", row.part))
            if value and getattr(player, key) != value
        }
        if values:
            library.change(player, **values)
            changed += 1
    return new, changed


def _rows(path: Path) -> list[list[str]]:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise LedgerError(_("{name} is too long for a class list.").format(name=path.name))
        data = path.read_bytes()
    except OSError as error:
        raise LedgerError(
            _("{name} cannot be read ({error}).").format(name=path.name, error=error)
        ) from error
    if b"\0" in data:
        raise LedgerError(_("{name} is no text; save the list as CSV and open that.").format(name=path.name))
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", "replace")
    first = text.split("\n", 1)[0]
    comma = max(",;\t", key=first.count)
    try:
        return list(csv.reader(io.StringIO(text), delimiter=comma))
    except csv.Error as error:
        raise LedgerError(
            _("{name} cannot be read ({error}).").format(name=path.name, error=error)
        ) from error


def _columns(rows: list[list[str]]) -> tuple[int, int | None, int | None, int | None, int] | None:
    """(name, last name, instrument, part, how many rows are headings): by the headings, else by what stands
    in the columns; None where no column holds names.
    """
    head = [" ".join(cell.casefold().replace("_", " ").split()) for cell in rows[0]]

    def column(called: Sequence[str]) -> int | None:
        return next((head.index(c) for c in called if c in head), None)

    first = column(FIRST)
    name = first if first is not None else column(NAMES)
    if name is not None:
        return name, column(LAST) if first is not None else None, column(INSTRUMENTS), column(PARTS), 1
    width = max(map(len, rows))
    plays = [sum(find_instrument(_cell(r, k)) is not None for r in rows) for k in range(width)]
    instrument = max(range(width), key=plays.__getitem__) if any(plays) else None
    words = [sum(any(c.isalpha() for c in _cell(r, k)) for r in rows) for k in range(width)]
    texts = [k for k in range(width) if k != instrument and 2 * words[k] > len(rows)]
    return (texts[0], None, instrument, None, 0) if texts else None


def _cell(row: list[str], k: int | None) -> str:
    return row[k] if k is not None and k < len(row) else ""
