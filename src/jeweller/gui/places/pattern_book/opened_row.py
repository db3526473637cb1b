"""Opening a file in the pattern book: which tune of it, and the grid that played notes are drawn to."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from jeweller.gui.places.pattern_book.choices import GRIDS
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import _


class OpenedRow(QWidget):
    """`asked` is emitted when a file is to be chosen; `tunes` and the grid are there when a file has them."""

    asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = FlowRow(self)
        button = QPushButton(_("Open a file…"))
        button.clicked.connect(lambda: self.asked.emit())
        row.addWidget(button)
        self.tunes = QComboBox()
        self.tunes.setAccessibleName(_("The tune of the book"))
        row.addWidget(self.tunes)
        self.grid_words = plain(_("Grid"))
        self.grid = QComboBox()
        self.grid.setAccessibleName(_("The grid that played notes are drawn to"))
        for words, grid in GRIDS.items():
            self.grid.addItem(_(words), grid)
        row.addWidget(self.grid_words)
        row.addWidget(self.grid)
        row.addStretch()
        for widget in (self.tunes, self.grid, self.grid_words):
            widget.hide()
