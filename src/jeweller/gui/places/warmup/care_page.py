"""The care lists of an instrument, side by side; each can be changed where it stands."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from jeweller.gui.places.warmup.model import WarmUpModel
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.row_table import Column, RowTable
from jeweller.i18n import _
from jeweller.instruments.care import GROUPS, LISTS, PLACES, CareTable, load_care


class CarePage(QWidget):
    """`printed` asks for the lists on paper."""

    printed = Signal()

    def __init__(self, model: WarmUpModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        grid = QGridLayout()
        grid.setSpacing(16)
        self.heads: dict[str, QLabel] = {}
        self.edits: dict[str, QPlainTextEdit] = {}
        self._kept: dict[str, str] = {}  # the lists as they are in the library
        for k, (name, words) in enumerate(LISTS.items()):
            box = QVBoxLayout()
            head = QLabel(_(words))
            head.setObjectName("heading")
            edit = QPlainTextEdit()
            edit.setAccessibleName(_(words))
            edit.setTabChangesFocus(True)
            box.addWidget(head)
            box.addWidget(edit, 1)
            grid.addLayout(box, k // 2, k % 2)
            self.heads[name], self.edits[name] = head, edit
        column.addLayout(grid, 1)
        self.cautions = QLabel()
        self.cautions.setObjectName("quiet")
        self.cautions.setWordWrap(True)
        column.addWidget(self.cautions)
        row = FlowRow()
        self.keep = QPushButton(_("Keep the changes"))
        self.keep.clicked.connect(self.save)
        row.addWidget(self.keep)
        self.change_cautions = QPushButton(_("Change the cautions…"))
        self.change_cautions.clicked.connect(self.ask_cautions)
        row.addWidget(self.change_cautions)
        column.addLayout(row)
        for edit in self.edits.values():
            edit.textChanged.connect(self._changed)

    def refresh(self) -> None:
        """The lists as they are kept."""
        care, instrument = self.model.care, self.model.instrument
        for name, edit in self.edits.items():
            rows = care.list_for(instrument, name)
            edit.blockSignals(True)
            if edit.toPlainText() == self._kept.get(name, "") and edit.toPlainText() != "\n".join(rows):
                edit.setPlainText("\n".join(rows))
            self._kept[name] = "\n".join(rows)
            edit.blockSignals(False)
            there = bool(rows) or name != "reed" or instrument.hands == "reed"
            edit.setVisible(there)
            self.heads[name].setVisible(there)
        self.cautions.setText("\n".join(care.cautions_for(instrument, "lists")))
        self._changed()

    def _changed(self) -> None:
        self.keep.setEnabled(bool(self._changes()))

    def _changes(self) -> dict[str, str]:
        """The texts that are others than those that are kept."""
        texts = {name: edit.toPlainText() for name, edit in self.edits.items()}
        return {name: text for name, text in texts.items() if text != self._kept.get(name, "")}

    def save(self) -> None:
        """Keeps the lists that were changed."""
        for name, text in self._changes().items():
            self._kept[name] = text
            self.model.change_list(name, text)
        self.refresh()

    def ask_cautions(self) -> RowTable:
        """The cautions as a table to be changed."""
        table = RowTable(
            self,
            _("Cautions"),
            _("Each is shown once, where the act is: a short sentence, never a lecture."),
            (
                Column(head=_("Where"), width=170, choices={k: _(w) for k, w in PLACES.items()}),
                Column(head=_("For whom"), width=220, choices=self._groups()),
                Column(head=_("Words"), width=480),
            ),
            self._cautions(self.model.care),
            lambda: ["lists", "all", ""],
        )
        table.kept.connect(self._keep_cautions)
        table.shipped.connect(lambda: table.show_rows(self._cautions(load_care(None))))
        table.open()
        return table

    def _groups(self) -> dict[str, str]:
        """Whom a caution may be for: each group, and those several groups that a row already names."""
        several = [who for _at, who, _text in self.model.care.cautions if len(who) > 1]
        both = {" ".join(who): ", ".join(_(GROUPS.get(w, w)) for w in who) for who in several}
        return {**{k: _(w) for k, w in GROUPS.items()}, **both}

    def _cautions(self, care: CareTable) -> list[list[str]]:
        return [[at, " ".join(who), _(text)] for at, who, text in care.cautions]

    def _keep_cautions(self, rows: list[list[str]]) -> None:
        sources = {
            _(text): text for care in (self.model.care, load_care(None)) for *_u, text in care.cautions
        }
        self.model.change_cautions([(at, who.split(), sources.get(text, text)) for at, who, text in rows])
        self.refresh()
