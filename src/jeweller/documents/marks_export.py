"""Marks for the office: one row a take, in the columns the teacher chose, as CSV or as a spreadsheet.

A cell that a spreadsheet would take for a formula is made harmless: an apostrophe stands before it.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES
from jeweller.files import harmless
from jeweller.i18n import N_, _

COLUMNS = {
    "player": N_("Player"),
    "instrument": N_("Instrument"),
    "part": N_("Part"),
    "piece": N_("Piece"),
    "tray": N_("Tray"),
    "date": N_("Date"),
    "mark": N_("Mark"),
    "out_of": N_("Out of"),
    "computed": N_("Computed mark"),
    "band": N_("In words"),
    "state": N_("State"),
    "comment": N_("Comment"),
    "bpm": N_("Speed"),
    **{f: FACET_NAMES[f] for f in FACETS},
}
USUAL = ("player", "instrument", "piece", "date", "mark", "out_of", "band", "comment")


def marks_csv(rows: Sequence[Mapping[str, str | float | None]], columns: Sequence[str] = USUAL) -> bytes:
    """UTF-8 with a mark in front that spreadsheets know it by."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([_(COLUMNS[c]) for c in columns])
    for row in rows:
        writer.writerow([_cell(row.get(c)) for c in columns])
    return out.getvalue().encode("utf-8-sig")


def marks_xlsx(
    rows: Sequence[Mapping[str, str | float | None]], columns: Sequence[str] = USUAL, title: str = "Marks"
) -> bytes:
    """A spreadsheet (Office Open XML); numbers are numbers."""
    import xlsxwriter

    buffer = io.BytesIO()
    book = xlsxwriter.Workbook(
        buffer, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    sheet = book.add_worksheet("".join(c for c in title if c not in "[]:*?/\\'")[:31] or "Marks")
    bold = book.add_format({"bold": True})
    for k, column in enumerate(columns):
        sheet.write_string(0, k, _(COLUMNS[column]), bold)
    for r, row in enumerate(rows, 1):
        for k, column in enumerate(columns):
            value = row.get(column)
            if isinstance(value, int | float):
                sheet.write_number(r, k, value)
            elif value:
                sheet.write_string(r, k, harmless(str(value)))
    sheet.freeze_panes(1, 0)
    sheet.autofit()
    book.close()
    return buffer.getvalue()


def _cell(value: str | float | None) -> str:
    if value is None:
        return ""
    return f"{value:g}" if isinstance(value, int | float) else harmless(str(value))
