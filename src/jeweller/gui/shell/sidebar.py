"""The spine: the places of the program in the order of the work, at the left edge."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from jeweller.documents.theme import Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.readable import StayingToolButton
from jeweller.gui.widgets.shapes import icon
from jeweller.i18n import N_, _


class PlaceName(NamedTuple):
    """What a place is called, and how it is reached."""

    word: str
    subtitle: str
    key: int  # with Ctrl
    library: bool = False  # whether the library has to be open there


# In the order of the work. The names are those of the window's attributes and of the icons.
PLACES = {
    "warmup": PlaceName(N_("Warm up"), N_("tuned, long tones, breath, care"), 3, library=True),
    "pattern": PlaceName(
        N_("Pattern book"), N_("music made, typed in or opened, looked over and printed"), 2
    ),
    "booth": PlaceName(N_("Booth"), N_("counted in, recorded, seen at once, tried again"), 4, library=True),
    "bench": PlaceName(N_("Bench"), N_("a tray of takes, gone through"), 5, library=True),
    "practice": PlaceName(N_("Practice"), N_("what to work at, how, for how many minutes"), 6, library=True),
    "ledger": PlaceName(N_("Ledger"), N_("the class and each player, over time"), 7, library=True),
    "loupe": PlaceName(N_("Loupe"), N_("one take looked at closely"), 1),
}
OF_ONE_PLAYER = ("warmup", "booth", "practice")  # the places of a player at home
WIDTH = 84
ICON = 26


def _on_lines(word: str) -> str:
    """A name on two lines where it has several words."""
    first, _unused, last = word.rpartition(" ")
    return f"{first}\n{last}" if first else word


class Sidebar(QWidget):
    """`chosen` is emitted with the name of a place."""

    chosen = Signal(str)

    def __init__(self, places: Iterable[str] = PLACES, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("spine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 12, 4, 12)
        column.setSpacing(8)
        self.buttons: dict[str, QToolButton] = {}
        for place in places:
            named = PLACES[place]
            button = StayingToolButton(one_of=True)
            button.setText(_on_lines(_(named.word)))
            button.setToolTip(f"{_(named.subtitle)} (Ctrl+{named.key})")
            button.setAccessibleName(_(named.word))
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
        for place, button in self.buttons.items():
            button.setText(_on_lines(_(PLACES[place].word)))
        words = [w for button in self.buttons.values() for w in button.text().split("\n")]
        metrics = QFontMetrics(font(points, weight=600))  # that of the sheet: it may not be applied yet
        widest = max(metrics.horizontalAdvance(word) for word in words)
        width = max(round(WIDTH * points / 11.0), widest + 46)
        self.setFixedWidth(width)
        for place, button in self.buttons.items():
            button.setIcon(icon(place, theme, ICON))
            button.setFixedWidth(width - 8)
