"""What was given out: when it is due, who has handed in, what is still to be decided; and giving something
out.
"""

from __future__ import annotations

import datetime
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog, checks_again
from jeweller.gui.places.ledger.model import LedgerModel
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain_table
from jeweller.i18n import N_, _
from jeweller.library.assignments import AssignmentStatus

COLUMNS = (N_("Due"), N_("Piece"), N_("What matters"), N_("Handed in"), N_("To decide"), N_("Not yet from"))
MATTERS = 2  # the column
NOTHING = N_(
    "Nothing was given out yet. What is given out says how its takes are checked and marked; who "
    "has not handed in is named here."
)


class AssignmentsPage(QWidget):
    """`to_tray` is emitted with a tray whose takes are wanted; `changed` when something was given out or
    changed.
    """

    to_tray = Signal(int)
    changed = Signal()
    message = Signal(str)
    trouble = Signal(str)

    def __init__(self, model: LedgerModel) -> None:
        super().__init__()
        self.model, self.given = model, model.assignments
        self.theme: Theme = LIGHT
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.told = QLabel()
        self.told.setObjectName("plain")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.table = plain_table(COLUMNS, _("Assignments"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for wide in (MATTERS, len(COLUMNS) - 1):  # the two that hold whole sentences share what is left
            header.setSectionResizeMode(wide, QHeaderView.ResizeMode.Stretch)
        self.table.itemSelectionChanged.connect(self._fit)
        self.table.cellDoubleClicked.connect(lambda row, _unused: self.show_takes())
        column.addWidget(self.table, 1)
        row = FlowRow()
        self.takes = QPushButton(_("Show submissions"))
        self.takes.clicked.connect(self.show_takes)
        self.edit = QPushButton(_("Change it…"))
        self.edit.clicked.connect(lambda: self.change())
        self.again = QPushButton(_("Give something out…"))
        self.again.clicked.connect(lambda: self.give())
        for button in (self.takes, self.edit, self.again):
            row.addWidget(button)
        column.addLayout(row)

    @property
    def rows(self) -> list[AssignmentStatus]:
        return self.given.rows

    def chosen(self) -> AssignmentStatus | None:
        """The assignment that is chosen."""
        row = self.table.currentRow()
        return self.rows[row] if 0 <= row < len(self.rows) else None

    def show_all(self, theme: Theme, today: datetime.date | None = None) -> None:
        """Every assignment that stands."""
        self.theme = theme
        if self.model.library is None:
            return
        today = today or datetime.date.today()
        now = self.chosen()
        self.given.read()
        self.table.setRowCount(len(self.rows))
        for k, g in enumerate(self.rows):
            cells = self.given.cells(g, today)
            for n, words in enumerate(cells):
                item = QTableWidgetItem(words)
                item.setToolTip(", ".join(g.missing) if n == len(cells) - 1 else words)
                font = item.font()
                font.setBold(n == 0 and g.presses(today))
                item.setFont(font)
                self.table.setItem(k, n, item)
        self.table.verticalHeader().setDefaultSectionSize(self.table.fontMetrics().height() + 16)
        pressing = sum(g.presses(today) for g in self.rows)
        self.told.setText(
            _(NOTHING)
            if not self.rows
            else _("{pressing} due, and not yet from everybody.").format(pressing=pressing)
            if pressing
            else _("Nothing presses.")
        )
        if self.rows:
            same = next(
                (
                    k
                    for k, g in enumerate(self.rows)
                    if now is not None and g.assignment.id == now.assignment.id
                ),
                0,
            )
            self.table.selectRow(same)
        self._fit()

    def _fit(self) -> None:
        g = self.chosen()
        self.takes.setEnabled(g is not None and bool(g.trays))
        self.edit.setEnabled(g is not None)

    def show_takes(self) -> None:
        """The newest tray of the chosen assignment, on the bench."""
        g = self.chosen()
        if g is not None and g.trays:
            self.to_tray.emit(g.trays[-1])
        elif g is not None:
            self.message.emit(_("No takes came in for it yet."))

    def give(
        self, piece: str = "", traps: list[str] | None = None, asked: dict[str, Any] | None = None
    ) -> None:
        """Gives something out: a piece of the shelf, what of it, until when, how it is judged. `asked` in
        place of the box.
        """
        if self.model.library is None:
            return
        pieces = self.given.pieces()
        if not pieces:
            self.trouble.emit(
                _("There is no music on the shelf yet: put a piece there from the pattern book first.")
            )
            return
        if asked is None:
            dialog = CriteriaDialog(self, pieces, None, self.given.kinds_of)
            dialog.choose(piece, traps or [])
            if dialog.exec() != QDialog.DialogCode.Accepted:
                return
            asked = dialog.asked()
        if not self.given.give(asked):
            return
        self.message.emit(
            _("{title} is given out; takes of it that are brought in are handed in for it.").format(
                title=asked["title"]
            )
        )
        self.show_all(self.theme)
        self.changed.emit()

    def change(self, asked: dict[str, Any] | None = None) -> None:
        """Other words for the chosen assignment: the marks of its takes follow."""
        g = self.chosen()
        if self.model.library is None or g is None:
            return
        if asked is None:
            dialog = CriteriaDialog(
                self,
                [(g.assignment.piece, g.assignment.title)],
                g.assignment,
                self.given.kinds_of,
            )
            if dialog.exec() != QDialog.DialogCode.Accepted:
                return
            asked = dialog.asked()
        waiting = self.given.change(g, asked, check_again=checks_again(g.assignment, asked))
        if waiting is None:
            return
        if waiting:
            self.message.emit(
                _(
                    "{n} takes wait on the bench to be checked again by what is asked for now; what "
                    "was decided stays."
                ).format(n=waiting)
            )
        self.show_all(self.theme)
        self.changed.emit()
