"""Boxes about players and bands: who somebody is and what they play; a new year and who goes on into it; the
columns of their marks.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from jeweller.documents.marks_export import COLUMNS
from jeweller.gui.widgets.roomy import RoomyDialog
from jeweller.i18n import _
from jeweller.instruments.table import instruments
from jeweller.library.exports import ATTEMPTS
from jeweller.library.tables import Band, Player
from jeweller.library.years import format_name

LISTED = 132  # pixels of a list in a box


ROW_LETTERS = 24  # that a field has room for


class _Box(RoomyDialog):
    def __init__(self, parent: QWidget, title: str) -> None:
        super().__init__(parent, title)
        self.form = QFormLayout()
        self.form.setSpacing(8)
        self.column.addLayout(self.form)
        self.finish(
            QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        )

    def row(self, words: str, widget: QWidget) -> None:
        widget.setAccessibleName(words)
        widget.setMinimumWidth(widget.fontMetrics().horizontalAdvance("n") * ROW_LETTERS)
        label = QLabel(words)
        label.setBuddy(widget)
        self.form.addRow(label, widget)

    def ticks(self, words: str, choices: Sequence[tuple[str, Any]], chosen: Sequence[Any]) -> QListWidget:
        """A list to be ticked."""
        box = QListWidget()
        box.setFixedHeight(LISTED)
        for name, value in choices:
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, value)
            item.setCheckState(Qt.CheckState.Checked if value in chosen else Qt.CheckState.Unchecked)
            box.addItem(item)
        self.row(words, box)
        return box


def ticked(box: QListWidget) -> list[Any]:
    """What is ticked in a list."""
    items = [box.item(k) for k in range(box.count())]
    return [i.data(Qt.ItemDataRole.UserRole) for i in items if i.checkState() == Qt.CheckState.Checked]


class MarksBox(_Box):
    """The columns of marks for the office, in their order, and which of several attempts at one piece
    counts.
    """

    def __init__(self, parent: QWidget, columns: Sequence[str], attempts: str) -> None:
        super().__init__(parent, _("Marks for the office"))
        order = [*columns, *(c for c in COLUMNS if c not in columns)]
        self.columns = self.ticks(
            _("Columns, dragged into their order"), [(_(COLUMNS[c]), c) for c in order], columns
        )
        self.columns.setFixedHeight(2 * LISTED)
        self.columns.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.attempts = QComboBox()
        for value, words in ATTEMPTS.items():
            self.attempts.addItem(_(words), value)
        self.attempts.setCurrentIndex(max(0, self.attempts.findData(attempts)))
        self.row(_("Of several attempts"), self.attempts)


class PlayerBox(_Box):
    """`values` gives name, instrument, also, part and band_id."""

    def __init__(
        self, parent: QWidget, bands: Sequence[Band], player: Player | None = None, band: int | None = None
    ) -> None:
        super().__init__(parent, player.name if player is not None else _("Add player"))
        self.name = QLineEdit(player.name if player is not None else "")
        self.name.setPlaceholderText(_("a name or nickname"))
        self.row(_("Name"), self.name)
        self.instrument = QComboBox()
        self.instrument.addItem(_("not specified"), "")
        for i in instruments():
            self.instrument.addItem(i.said, i.id)
        self.instrument.setCurrentIndex(
            max(0, self.instrument.findData(player.instrument if player is not None else ""))
        )
        self.row(_("Plays"), self.instrument)
        self.part = QLineEdit(player.part if player is not None else "")
        self.part.setPlaceholderText(_("which part of a score, as 2nd clarinet"))
        self.row(_("Part"), self.part)
        self.also = self.ticks(
            _("Has played too"),
            [(i.said, i.id) for i in instruments()],
            player.also if player is not None else (),
        )
        self.also.setToolTip(_("Fingerings and lips of these may slip in: a wrong note is then told as such"))
        self.band = QComboBox()
        for b in bands:
            self.band.addItem(format_name(b), b.id)
        self.band.setCurrentIndex(max(0, self.band.findData(player.band_id if player is not None else band)))
        self.row(_("Band"), self.band)

    def values(self) -> dict[str, Any]:
        return {
            "name": " ".join(self.name.text().split())[:80],
            "instrument": self.instrument.currentData(),
            "also": ticked(self.also),
            "part": self.part.text().strip(),
            "band_id": self.band.currentData(),
        }


class YearBox(_Box):
    """A new band or year; `going_on` gives the ids of the players who go on into it."""

    def __init__(self, parent: QWidget, name: str, players: Sequence[Player]) -> None:
        super().__init__(parent, _("A new band or year"))
        self.name = QLineEdit(name)
        self.row(_("Name"), self.name)
        self.year = QLineEdit(str(datetime.date.today().year))
        self.row(_("Year"), self.year)
        self.players = self.ticks(
            _("Who goes on into it"), [(p.name, p.id) for p in players], [p.id for p in players]
        )

    @property
    def going_on(self) -> list[int]:
        return ticked(self.players)
