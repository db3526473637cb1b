"""A class list as teachers have it: a CSV or XLSX file with any columns, or pasted from one, read into names,
instruments and parts, and brought up to date without doubles.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from jeweller.errors import LedgerError
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.library.library import Library

MOST_BYTES = 2**20  # a longer file is no class list
MOST_UNPACKED = 2**25  # of a workbook
MOST_ROWS, MOST_COLUMNS = 5000, 60
SHEETS = (".xlsx", ".xlsm")
ENDINGS = (*SHEETS, ".csv", ".tsv")
# What the columns are called, in plain words; the first that fits names it.
NAMES = ("name", "player", "student", "pupil", "full name", "student name")
FIRST, LAST = (
    ("first name", "first", "given name", "forename"),
    ("last name", "last", "surname", "family name"),
)
INSTRUMENTS = ("instrument", "instruments", "plays")
PARTS = ("part", "parts", "voice", "chair")
SECTIONS = ("section", "group", "class", "period")


@dataclass(frozen=True)
class Listed:
    """One player of a class list; `instrument` is an id of the table, "" where none is known."""

    name: str
    instrument: str = ""
    part: str = ""

    @property
    def plays(self) -> str:
        """The name of the instrument; "" where none is known."""
        found = find_instrument(self.instrument) if self.instrument else None
        return found.name if found is not None else ""


def read_class_list(path: Path) -> tuple[list[Listed], list[str]]:
    """The players of a CSV or XLSX file, in its order, and a sentence for each thing in it that is not
    understood. Raises LedgerError where there are no names in it.
    """
    return _listed(_rows(path), path.name)


def read_pasted_list(text: str) -> tuple[list[Listed], list[str]]:
    """The players of a list that was pasted from a table or typed, one in a line. Raises LedgerError.

    >>> read_pasted_list("Kit Moor\\tTuba\\nWren Alder\\tFlute")[0][0]
    Listed(name='Kit Moor', instrument='tuba', part='')
    """
    return _listed(_parted(text, _("The list")), _("The list"))


def _listed(cells: list[list[str]], called_list: str) -> tuple[list[Listed], list[str]]:
    rows = [[cell.strip() for cell in row] for row in cells]
    rows = [row for row in rows if any(row)]
    if not rows:
        raise LedgerError(_("{name} is empty.").format(name=called_list))
    columns = _columns(rows)
    if columns is None:
        raise LedgerError(_("{name} has no column of names; call one “name”.").format(name=called_list))
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
        raise LedgerError(_("{name} has no names in it.").format(name=called_list))
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
    if path.suffix.casefold() in SHEETS:
        return _sheet(data, path.name)
    if b"\0" in data:
        raise LedgerError(
            _("{name} is no text; save the list as CSV or XLSX and open that.").format(name=path.name)
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", "replace")
    return _parted(text, path.name)


def _sheet(data: bytes, name: str) -> list[list[str]]:
    """The cells of the first sheet of a workbook that holds any, as text."""
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            if sum(i.file_size for i in packed.infolist()) > MOST_UNPACKED:
                raise LedgerError(_("{name} is too long for a class list.").format(name=name))
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
        for sheet in book.worksheets:
            rows = [
                ["" if cell is None else str(cell) for cell in row]
                for row in sheet.iter_rows(max_row=MOST_ROWS, max_col=MOST_COLUMNS, values_only=True)
            ]
            if any(any(row) for row in rows):
                return rows
    except LedgerError:
        raise
    except Exception as error:  # a damaged workbook fails in as many ways as it has parts
        raise LedgerError(
            _("{name} is no workbook that can be read; save it again, or as CSV.").format(name=name)
        ) from error
    return []


def _parted(text: str, name: str) -> list[list[str]]:
    """The cells of a text, parted by whatever stands between them most in its first line."""
    first = text.strip().split("\n", 1)[0]
    comma = max(",;\t", key=first.count)
    try:
        return list(csv.reader(io.StringIO(text), delimiter=comma))[:MOST_ROWS]
    except csv.Error as error:
        raise LedgerError(_("{name} cannot be read ({error}).").format(name=name, error=error)) from error


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
        part = column(PARTS)
        instrument = column(INSTRUMENTS)
        if instrument is None:  # in a band a section is what they play
            instrument = _of_instruments(rows[1:], column(SECTIONS))
        return name, column(LAST) if first is not None else None, instrument, part, 1
    width = max(map(len, rows))
    plays = [sum(find_instrument(_cell(r, k)) is not None for r in rows) for k in range(width)]
    instrument = max(range(width), key=plays.__getitem__) if any(plays) else None
    words = [sum(any(c.isalpha() for c in _cell(r, k)) for r in rows) for k in range(width)]
    texts = [k for k in range(width) if k != instrument and 2 * words[k] > len(rows)]
    return (texts[0], None, instrument, None, 0) if texts else None


def _of_instruments(rows: list[list[str]], k: int | None) -> int | None:
    """A column, if what stands in it is mostly instruments."""
    known = sum(find_instrument(_cell(r, k)) is not None for r in rows if _cell(r, k))
    return k if k is not None and 2 * known > len(rows) else None


def _cell(row: list[str], k: int | None) -> str:
    return row[k] if k is not None and k < len(row) else ""
