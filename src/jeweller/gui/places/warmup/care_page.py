"""The care lists of an instrument, side by side; each can be changed where it stands."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from jeweller.gui.places.warmup.model import WarmUpModel
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import _
from jeweller.instruments.care import LISTS


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
