"""The remedy table in the window: what to try, by the kind of finding and the hands of the instrument."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from jeweller.assessment.finding import KINDS
from jeweller.assessment.messages import CAUSE_WORDS, cause_words, kind_name
from jeweller.errors import JewellerError
from jeweller.files import write_bytes
from jeweller.gui.places.practice.model import PracticeModel
from jeweller.gui.widgets.row_table import Column, RowTable
from jeweller.i18n import N_, _
from jeweller.practice.drills import drill_name
from jeweller.practice.remedies import (
    HANDS,
    MANNERS,
    NAMED_DRILLS,
    Remedy,
    load_remedies,
    read_remedies,
    remedies_text,
)

HAND_WORDS = {
    "valves": N_("valves"),
    "slide": N_("slide"),
    "flute": N_("flute"),
    "recorder": N_("recorder"),
    "reed": N_("reed"),
    "mallets": N_("mallets"),
    "sticks": N_("sticks"),
    "other": N_("another instrument"),
}
MOST_BYTES = 2_000_000  # of a file that is brought in


class RemedyEditor:
    """Opens the table over `parent`; what is kept goes to the model."""

    def __init__(self, model: PracticeModel, parent: QWidget) -> None:
        self.model = model
        rows = list(model.table.rows)
        self._sources = {_(t): t for r in rows for t in (r.look, r.first, r.next, r.caution) if t}
        self.table = RowTable(
            parent,
            _("What to try"),
            _(
                "For a kind of finding and what the instrument is played with: what to look at, what to try. "
                "The first row that fits is tried first; what does not help gives way to the next."
            ),
            (
                Column(
                    head=_("Finding"),
                    width=150,
                    choices=_choices(rows, "kinds", {k: kind_name(k) for k in KINDS}),
                    fixed=True,
                ),
                Column(
                    head=_("Played with"), width=120, choices=_choices(rows, "hands", _hands()), fixed=True
                ),
                Column(
                    head=_("Cause"),
                    width=110,
                    choices={
                        "": _("any"),
                        **{c: cause_words(c) for c in CAUSE_WORDS},
                        **{m: _(words) for m, words in MANNERS.items()},
                    },
                    fixed=True,
                ),
                Column(head=_("Look at"), width=190),
                Column(head=_("Try first"), width=190),
                Column(head=_("Then"), width=190),
                Column(head=_("Drill"), width=120, choices={d: drill_name(d) for d in NAMED_DRILLS}),
                Column(head=_("Mind"), width=140),
            ),
            [_cells(r) for r in rows],
            lambda: [KINDS[0], HANDS[0], "", "", "", "", "slow_bar", ""],
            files=True,
        )
        self.table.kept.connect(lambda _rows: self.model.keep_remedies(self.remedies()))
        self.table.shipped.connect(
            lambda: self.table.show_rows([_cells(r) for r in load_remedies(None).rows])
        )
        self.table.brought.connect(lambda: self.bring())
        self.table.given.connect(lambda: self.give())
        self.table.open()

    def remedies(self) -> list[Remedy]:
        """The rows as they are now; those that say nothing to try are left out."""
        source = self._sources
        return [
            Remedy(
                kinds=tuple(kinds.split()),
                hands=tuple(hands.split()),
                cause=cause,
                look=source.get(look, look),
                first=source.get(first, first),
                next=source.get(then, then),
                drill=drill,
                caution=source.get(caution, caution),
            )
            for kinds, hands, cause, look, first, then, drill, caution in self.table.rows()
            if first
        ]

    def bring(self, path: str = "") -> None:
        """Rows from a file in place of those of the same name; nothing is kept before that is asked for."""
        if not path:
            path, _unused = QFileDialog.getOpenFileName(
                self.table, _("A table of remedies"), "", _("Tables ({pattern})").format(pattern="*.json")
            )
        if not path:
            return
        try:
            if Path(path).stat().st_size > MOST_BYTES:
                raise ValueError
            rows, foreign = read_remedies(Path(path).read_text(encoding="utf-8"))
        except JewellerError as error:
            self.model.trouble.emit(str(error))
            return
        except (OSError, ValueError):
            self.model.trouble.emit(_("{name} cannot be read.").format(name=Path(path).name))
            return
        now = {r.name: r for r in self.remedies()}
        now.update({r.name: r for r in rows})
        self.table.show_rows([_cells(r) for r in now.values()])
        if foreign:
            self.model.trouble.emit(
                _("Not taken over, the rows that are here stay: {rows}.").format(rows="; ".join(foreign))
            )

    def give(self, path: str = "") -> None:
        """All rows to a file, for a colleague."""
        if not path:
            path, _unused = QFileDialog.getSaveFileName(
                self.table,
                _("The table to a file"),
                "remedies.json",
                _("Tables ({pattern})").format(pattern="*.json"),
            )
        if not path:
            return
        try:
            write_bytes(Path(path), remedies_text(self.remedies()).encode("utf-8"))
        except OSError as error:
            self.model.trouble.emit(_("The table could not be kept: {error}.").format(error=error))


def _kinds() -> dict[str, str]:
    return {k: kind_name(k) for k in KINDS}


def _hands() -> dict[str, str]:
    return {h: _(w) for h, w in HAND_WORDS.items()}


def _choices(rows: list[Remedy], field: str, words: dict[str, str]) -> dict[str, str]:
    """Each value, and those several that a row already names."""
    several = {tuple(getattr(r, field)) for r in rows if len(getattr(r, field)) > 1}
    return {**words, **{" ".join(v): ", ".join(words.get(x, x) for x in v) for v in sorted(several)}}


def _cells(row: Remedy) -> list[str]:
    said = (row.look, row.first, row.next)
    return [
        " ".join(row.kinds),
        " ".join(row.hands),
        row.cause,
        *(_(t) if t else "" for t in said),
        row.drill,
        _(row.caution) if row.caution else "",
    ]
