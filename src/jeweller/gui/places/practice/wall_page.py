"""The scale wall: keys as rows, forms as columns, what stands in each place."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics, QKeyEvent
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
from jeweller.practice.wall import FORMS, ORDERS, SPEEDS, Slot, Stone
from jeweller.practice.wall_words import class_words, stone_sign, stone_words

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player


class WallPage(PlayerPage):
    """`printed` asks for the wall on paper."""

    printed = Signal()

    def __init__(
        self,
        model: WallModel,
        library: Callable[[], Library | None],
        parent: QWidget | None = None,
        *,
        at_home: bool = False,
    ) -> None:
        """`at_home`: no teacher's ear sets a stone, and there is no class."""
        super().__init__(model, library, parent)
        self.model = model
        self.class_rows: list[tuple[Player, dict[Slot, Stone]]] = []
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
        self.at_a_glance = QCheckBox(_("The class at a glance"))
        self.at_a_glance.toggled.connect(lambda _unused: self.refresh())
        row.addWidget(self.at_a_glance)
        self.form = QComboBox()
        self.form.setAccessibleName(_("The form that is shown of the class"))
        for form, (words, _request) in FORMS.items():
            self.form.addItem(_(words), form)
        self.form.setCurrentIndex(list(FORMS).index("major"))
        self.form.activated.connect(lambda _unused: self.refresh())
        row.addWidget(self.form)
        self.table = QTableWidget(0, len(FORMS))
        self.table.setAccessibleName(_("The scale wall"))
        self.table.setTabKeyNavigation(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.itemSelectionChanged.connect(self._show_place)
        self.table.itemDoubleClicked.connect(self._double_clicked)
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
        if at_home:
            self.ear.hide()
            self.at_a_glance.hide()
        buttons.addStretch()
        buttons.addWidget(self.paper)
        column.addLayout(buttons)

    def place(self) -> Slot | None:
        """The place that is chosen."""
        item = self.table.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else None

    @property
    def whole_class(self) -> bool:
        """Whether the walls of the class are shown, and not that of one player."""
        return self.at_a_glance.isChecked()

    def _double_clicked(self, item: QTableWidgetItem) -> None:
        if self.whole_class:
            self.look_at(self.class_rows[item.row()][0])
        else:
            self.play()

    def look_at(self, player: Player) -> None:
        """The wall of one player of the class."""
        self.at_a_glance.setChecked(False)
        self.players.fill(player)
        self.model.choose(player)

    def play(self) -> None:
        if self.whole_class:
            row = self.table.currentRow()
            if 0 <= row < len(self.class_rows):
                self.look_at(self.class_rows[row][0])
            return
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
        one = not self.whole_class
        self.form.setVisible(not one)
        for widget in (self.players, self.speed, self.reading, self.session, self.ear, self.test):
            widget.setEnabled(one)
        self.go.setText(_("Play it") if one else _("Look at this wall"))
        self.class_rows = [] if one else model.of_class()
        rows: list[tuple[str, list[tuple[Slot, Stone | None]]]]
        if one:
            heads = [_(words) for words, _r in FORMS.values()]
            rows = [(note_name(k), [(s, stones.get(s)) for s in (Slot(k, f) for f in FORMS)]) for k in keys]
        else:
            heads, form = [note_name(k) for k in keys], self.form.currentData()
            slots = [Slot(k, form) for k in keys]
            rows = [(p.name, [(s, own.get(s)) for s in slots]) for p, own in self.class_rows]
        self._fill(heads, rows, at)
        self._show_place()

    def _fill(
        self, heads: list[str], rows: list[tuple[str, list[tuple[Slot, Stone | None]]]], at: Slot | None
    ) -> None:
        """The table; `at` is the place that is chosen where it is still there."""
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        self.table.setColumnCount(len(heads))
        self.table.setVerticalHeaderLabels([name for name, _places in rows])
        self.table.setHorizontalHeaderLabels(heads)
        chosen = (0, 0)
        for r, (_name, places) in enumerate(rows):
            for c, (slot, stone) in enumerate(places):
                item = QTableWidgetItem(stone_sign(stone))
                item.setData(Qt.ItemDataRole.UserRole, slot)
                item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, stone_words(slot, stone))
                self.table.setItem(r, c, item)
                if slot == at and not self.class_rows:
                    chosen = (r, c)
        if rows:
            self.table.setCurrentCell(*chosen)
        self.table.blockSignals(False)

    def _show_place(self) -> None:
        slot = self.place()
        if self.whole_class and not self.class_rows:
            self.told.setText(_("There is no class yet: enter its players in the ledger."))
            return
        if slot is None:
            return
        if self.whole_class:
            player, stones = self.class_rows[self.table.currentRow()]
            standing = sum(s.form == slot.form and not stone.loose for s, stone in stones.items())
            told = class_words(player.name, standing, len(self.model.keys), _(FORMS[slot.form][0]))
            self.told.setText(told + "\n" + stone_words(slot, stones.get(slot)))
            return
        last = self.model.last_key
        told = " ".join(
            t for t in (stone_words(slot, self.model.stones.get(slot)), self.model.why_not(slot)) if t
        )
        if last:
            told += "\n" + _("Practised last: {key}.").format(key=last)
        self.told.setText(told)

    def set_theme(self, theme: Theme, points: float) -> None:
        self.table.setFont(font(points))
        bold = QFontMetrics(font(points, weight=700))
        widest = max(bold.horizontalAdvance(_(words)) for words, _unused in FORMS.values())
        self.table.horizontalHeader().setMinimumSectionSize(widest + 16)
        self.told.setFont(font(points))
        self.refresh()
