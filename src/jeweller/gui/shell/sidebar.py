"""The spine: the places of the program in the order of the work, at the left edge."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from jeweller.documents.theme import Theme
from jeweller.gui.widgets.shapes import icon
from jeweller.i18n import N_, _

# place: (its word, a plain subtitle)
PLACES = {
    "loupe": (N_("Loupe"), N_("one take looked at closely")),
    "pattern": (N_("Pattern book"), N_("music made, typed in or opened, looked over and printed")),
    "bench": (N_("Bench"), N_("a tray of takes, gone through")),
    "ledger": (N_("Ledger"), N_("the class and each player, over time")),
}
ORDER = ("pattern", "bench", "ledger", "loupe")  # the order of the work
KEYS = {"loupe": 1, "pattern": 2, "bench": 5, "ledger": 7}  # with Ctrl
WIDTH = 84
ICON = 26


class Sidebar(QWidget):
    """`chosen` is emitted with the name of a place."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("spine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 12, 4, 12)
        column.setSpacing(8)
        self.buttons: dict[str, QToolButton] = {}
        for place in ORDER:
            button = QToolButton()
            button.setText(_(PLACES[place][0]).replace(" ", "\n"))
            button.setToolTip(f"{_(PLACES[place][1])} (Ctrl+{KEYS[place]})")
            button.setAccessibleName(_(PLACES[place][0]))
            button.setCheckable(True)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(ICON, ICON))
            button.setFixedWidth(WIDTH - 8)
            button.clicked.connect(lambda _unused=False, p=place: self.chosen.emit(p))
            column.addWidget(button)
            self.buttons[place] = button
        column.addStretch(1)
        self.show_place("loupe")

    def show_place(self, place: str) -> None:
        for name, button in self.buttons.items():
            button.setChecked(name == place)

    def set_theme(self, theme: Theme, points: float) -> None:
        width = round(WIDTH * points / 11.0)
        self.setFixedWidth(width)
        for place, button in self.buttons.items():
            button.setIcon(icon(place, theme, ICON))
            button.setFixedWidth(width - 8)
