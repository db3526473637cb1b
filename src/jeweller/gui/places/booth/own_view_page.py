"""You first: the bars where the player heard it go wrong, why, and what went well; before the verdict."""

from __future__ import annotations

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES
from jeweller.booth.own_view import OwnMark, OwnView
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.readable import StayingButton
from jeweller.gui.widgets.shapes import facet_pixmap
from jeweller.i18n import _

SHAPE = 18


class OwnViewPanel(QWidget):
    """`said` carries the `OwnView`; `marked` the numbers of the bars that are marked."""

    said = Signal(object)
    marked = Signal(object)

    def __init__(self, parent: QWidget | None = None, *, own_take: bool = True) -> None:
        """`own_take`: it is the player's own, who is asked why, and what went well."""
        super().__init__(parent)
        self.theme: Theme = LIGHT
        self.bars: dict[str, str] = {}  # marked bars, and the facet that is given, "" for none
        self.chosen = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        words = (
            _("You first: click the bars where it went wrong.")
            if own_take
            else _("Click the bars where you hear something go wrong, and say what it is.")
        )
        self.title = wrapped(words, 12, weight=600, serif=True)
        column.addWidget(self.title)
        self.told = QLabel()
        self.told.setObjectName("quiet")
        column.addWidget(self.told)
        row = FlowRow(spacing=4)
        self.facets: dict[str, QPushButton] = {}
        for facet in FACETS:
            button = StayingButton(_(FACET_NAMES[facet]))
            button.clicked.connect(lambda _unused=False, f=facet: self._facet(f))
            row.addWidget(button)
            self.facets[facet] = button
        column.addLayout(row)
        self.why = QLineEdit()
        self.why.setPlaceholderText(_("Why did it go wrong there?"))
        self.why.setAccessibleName(_("Why did it go wrong there?"))
        self.good = QLineEdit()
        self.good.setPlaceholderText(_("What went well, and how did you do it?"))
        self.good.setAccessibleName(_("What went well, and how did you do it?"))
        if own_take:
            column.addWidget(self.why)
            column.addWidget(self.good)
        self.reasons: dict[str, str] = {}
        self.begin()

    def begin(self) -> None:
        """Nothing is marked yet."""
        self.bars, self.chosen, self.reasons = {}, "", {}
        self.why.clear()
        self.good.clear()
        self._show()

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        for facet, button in self.facets.items():
            button.setIcon(facet_pixmap(facet, theme, SHAPE))
            button.setIconSize(QSize(SHAPE, SHAPE))

    def toggle(self, bar: str) -> None:
        """A bar was clicked."""
        self._keep_reason()
        if bar in self.bars and bar == self.chosen:
            del self.bars[bar]
            self.reasons.pop(bar, None)
            self.chosen = ""
        else:
            self.bars.setdefault(bar, "")
            self.chosen = bar
        self.why.setText(self.reasons.get(self.chosen, ""))
        self._show()

    def _facet(self, facet: str) -> None:
        if self.chosen:
            self.bars[self.chosen] = facet if self.bars[self.chosen] != facet else ""
        self._show()

    def _keep_reason(self) -> None:
        if self.chosen and self.why.text().strip():
            self.reasons[self.chosen] = self.why.text().strip()

    def _show(self) -> None:
        for facet, button in self.facets.items():
            button.setEnabled(bool(self.chosen))
            button.setChecked(bool(self.chosen) and self.bars.get(self.chosen) == facet)
        self.why.setEnabled(bool(self.chosen))
        self.told.setText(
            _("Bar {bar}: what was it?").format(bar=self.chosen)
            if self.chosen
            else _("Nothing went wrong? Then mark nothing.")
        )
        self.marked.emit(list(self.bars))

    def say(self) -> None:
        """All is said."""
        self._keep_reason()
        marks = tuple(OwnMark(bar, facet, self.reasons.get(bar, "")) for bar, facet in self.bars.items())
        self.said.emit(OwnView(marks, self.good.text().strip()))
