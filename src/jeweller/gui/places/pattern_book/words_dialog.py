"""An own table of words: what is said on a note of each length, to be printed under the notes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QLabel,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.documents.text_lines import WORD_VALUES
from jeweller.gui.widgets.plain import plain_table
from jeweller.gui.widgets.roomy import resize_by_text
from jeweller.i18n import _

WIDTH, HEIGHT = 420, 480


class WordsDialog(QDialog):
    """A word for each value; an empty row says nothing. `words()` is what was written."""

    def __init__(self, words: Sequence[tuple[str, str]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Own words"))
        resize_by_text(self, WIDTH, HEIGHT)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        said = QLabel(_("What is said on a note or rest of this length:"))
        said.setWordWrap(True)
        column.addWidget(said)
        self.table = plain_table((_("Length"), _("Word")), _("Own words"))
        known = dict(words)
        self.table.setRowCount(len(WORD_VALUES))
        for row, name in enumerate(WORD_VALUES):
            value = QTableWidgetItem(_(name))
            value.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.table.setItem(row, 0, value)
            self.table.setItem(row, 1, QTableWidgetItem(known.get(name, "")))
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        column.addWidget(self.table, 1)
        buttons = QDialogButtonBox()
        buttons.addButton(_("Use these words"), QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(_("Cancel"), QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.table.setCurrentCell(0, 1)

    def words(self) -> tuple[tuple[str, str], ...]:
        """The rows that have a word."""
        texts = [self.table.item(row, 1) for row in range(len(WORD_VALUES))]
        said = [item.text().strip() if item is not None else "" for item in texts]
        return tuple((name, word) for name, word in zip(WORD_VALUES, said, strict=True) if word)
