"""The scale wall: keys as rows, forms as columns, what stands in each place."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHeaderView,
    QInputDialog,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from jeweller.booth.plan import READINGS
from jeweller.documents.theme import Theme
from jeweller.gui.places.practice.player_page import PlayerPage
from jeweller.gui.places.practice.wall_model import WallModel
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import _
from jeweller.phrases import note_name
from jeweller.practice.wall import FORMS, ORDERS, SPEEDS, Slot
from jeweller.practice.wall_words import stone_sign, stone_words

if TYPE_CHECKING:
    from jeweller.library.library import Library


class WallPage(PlayerPage):
    """`printed` asks for the wall on paper."""

    printed = Signal()

    def __init__(
        self, model: WallModel, library: Callable[[], Library | None], parent: QWidget | None = None
    ) -> None:
        super().__init__(model, library, parent)
        self.model = model
        column, row = self.column, self.row
        self.order = QComboBox()
        self.order.setAccessibleName(_("The order of the keys"))
        for key, words in ORDERS.items():
            self.order.addItem(_(words), key)
        self.order.activated.connect(self._order_chosen)
        row.addWidget(self.order)
        row.addWidget(plain(_("at")))
        self.speed = QComboBox()
        self.speed.setAccessibleName(_("Beats a minute"))
        for bpm in SPEEDS:
            self.speed.addItem(str(bpm), float(bpm))
        self.speed.activated.connect(lambda _unused: setattr(model, "bpm", self.speed.currentData()))
        row.addWidget(self.speed)
        self.reading = QComboBox()
        self.reading.setAccessibleName(_("Reading or from memory"))
        for reading in ("practised", "memory"):
            self.reading.addItem(_(READINGS[reading]), reading)
        self.reading.activated.connect(lambda _unused: setattr(model, "reading", self.reading.currentData()))
        row.addWidget(self.reading)
        self.session = QCheckBox(_("Testing session: what is known already"))
        self.session.toggled.connect(lambda on: setattr(model, "session", on))
        row.addWidget(self.session)
        self.table = QTableWidget(0, len(FORMS))
        self.table.setAccessibleName(_("The scale wall"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.itemSelectionChanged.connect(self._show_place)
        self.table.itemDoubleClicked.connect(lambda _unused: self.play())
        column.addWidget(self.table, 1)
        self.told = QLabel()
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        buttons = FlowRow(spacing=8)
        self.go = QPushButton(_("Play it"))
        self.go.clicked.connect(self.play)
        self.ear = QPushButton(_("I heard it: it stands"))
        self.ear.setToolTip(_("Set by the teacher's ear, and marked so"))
        self.ear.clicked.connect(self._by_ear)
        self.test = QPushButton(_("Test an old one"))
        self.test.clicked.connect(model.test_an_old_one)
        self.paper = QPushButton(_("Print the wall…"))
        self.paper.clicked.connect(self.printed)
        for button in (self.go, self.ear, self.test):
            buttons.addWidget(button)
        buttons.addStretch()
        buttons.addWidget(self.paper)
        column.addLayout(buttons)

    def place(self) -> Slot | None:
        """The place that is chosen."""
        item = self.table.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    def play(self) -> None:
        slot = self.place()
        if slot is not None:
            self.model.play(slot)

    def _by_ear(self) -> None:
        slot = self.place()
        if slot is not None:
            self.model.set_by_ear(slot)

    def _order_chosen(self) -> None:
        order, own = self.order.currentData(), None
        if order == "own":
            asked = _("Key notes in your order, as in D G C")
            own, ok = QInputDialog.getText(self, _("The order of the keys"), asked, text=self.model.own)
            if not ok:
                self.refresh()
                return
        self.model.set_order(order, own)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.play()
        else:
            super().keyPressEvent(event)

    def refresh(self) -> None:
        """The wall as it stands."""
        model, stones, keys = self.model, self.model.stones, self.model.keys
        at = self.place()
        self.order.setCurrentIndex(max(0, self.order.findData(model.order)))
        self.speed.setCurrentIndex(max(0, self.speed.findData(model.bpm)))
        self.reading.setCurrentIndex(max(0, self.reading.findData(model.reading)))
        self.table.blockSignals(True)
        self.table.setRowCount(len(keys))
        self.table.setVerticalHeaderLabels([note_name(k) for k in keys])
        self.table.setHorizontalHeaderLabels([_(words) for words, _r in FORMS.values()])
        chosen = (0, 0)
        for r, tonic in enumerate(keys):
            for c, form in enumerate(FORMS):
                slot = Slot(tonic, form)
                stone = stones.get(slot)
                item = QTableWidgetItem(stone_sign(stone))
                item.setData(Qt.ItemDataRole.UserRole, slot)
                item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, stone_words(slot, stone))
                self.table.setItem(r, c, item)
                if slot == at:
                    chosen = (r, c)
        self.table.setCurrentCell(*chosen)
        self.table.blockSignals(False)
        self._show_place()

    def _show_place(self) -> None:
        slot = self.place()
        if slot is None:
            return
        last = self.model.last_key
        told = stone_words(slot, self.model.stones.get(slot))
        if last:
            told += "\n" + _("Practised last: {key}.").format(key=last)
        self.told.setText(told)

    def set_theme(self, theme: Theme, points: float) -> None:
        self.table.setFont(font(points))
        self.told.setFont(font(points))
        self.refresh()
