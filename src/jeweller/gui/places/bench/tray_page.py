"""How the bench is laid out: the tray and its state above, its takes at the left, the take in hand beside."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from jeweller.gui.places.bench.take_list import TakeList
from jeweller.gui.places.bench.take_page import TakePage
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import _, ngettext
from jeweller.library.tables import Tray

EMPTY_WIDTH = 720  # pixels of what is said where there is nothing yet


class TrayPage(QWidget):
    """Widgets without a will of their own; the place connects them."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = FlowRow()
        self.trays = QComboBox()
        self.trays.setAccessibleName(_("The tray"))
        row.addWidget(self.trays)
        self.state = QLabel()
        self.state.setObjectName("plain")
        row.addWidget(self.state)
        row.addStretch()
        self.pause = QPushButton(_("Pause"))
        self.halt = QPushButton(_("Stop"))
        self.halt.setToolTip(_("Stop checking; what is not checked waits"))
        self.clean = QPushButton()
        self.clean.setToolTip(_("All of them at once (Ctrl+Shift+Return); Ctrl+Z takes it back"))
        self.alike = QPushButton(_("All of this kind…"))
        self.alike.setToolTip(_("Dismiss every undecided finding of this kind in the tray at once"))
        self.asked = QPushButton(_("Assignment settings…"))
        self.asked.setToolTip(_("Bars, speed, what is judged and how it is marked, for this tray"))
        self.bring = QPushButton(_("Bring takes in…"))
        for button in (self.pause, self.halt, self.clean, self.alike, self.asked, self.bring):
            row.addWidget(button)
        column.addLayout(row)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setObjectName("bench")
        self.list = TakeList()
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.page = TakePage()
        self.split.addWidget(self.list)
        self.split.addWidget(self.page)
        self.split.setCollapsible(0, False)
        self.split.setSizes([540, 620])
        column.addWidget(self.split, 1)
        self.empty = QLabel()
        self.empty.setObjectName("sheet")
        self.empty.setWordWrap(True)
        self.empty.setMaximumWidth(EMPTY_WIDTH)
        column.addWidget(self.empty)
        column.addStretch(0)

    def list_trays(self, trays: Sequence[Tray], chosen: int | None) -> None:
        """These trays to choose from, without a signal; the first, where none is chosen."""
        self.trays.blockSignals(True)
        self.trays.clear()
        for tray in trays:
            self.trays.addItem(tray.name, tray)
        self.trays.setCurrentIndex(next((k for k, tray in enumerate(trays) if tray.id == chosen), 0))
        self.trays.blockSignals(False)
        self.trays.setVisible(bool(trays))

    def show_checking(self, busy: bool, *, paused: bool) -> None:
        """What can be done with checks that run."""
        self.pause.setVisible(busy)
        self.halt.setVisible(busy)
        self.pause.setText(_("Go on") if paused else _("Pause"))

    def show_clean(self, count: int) -> None:
        """How many clean takes can be decided at once."""
        self.clean.setVisible(count > 0)
        self.clean.setText(
            ngettext("Decide the clean one", "Decide the {n} clean ones", count).format(n=count)
        )

    def show_takes(self, some: bool) -> None:
        """Takes to go through, or what is said where there are none."""
        self.split.setVisible(some)
        self.empty.setVisible(not some)
        for button in (self.alike, self.asked, self.bring):  # the next step offers it where there is nothing
            button.setVisible(some)
        self.empty.setText(
            _(
                "A tray is a pile of recordings: one line, many players. Drop a folder, a zip file "
                "or recordings here. Jeweller works out who is playing what, you correct what it "
                "guessed, and it checks them while you do something else."
            )
        )
