"""The part on paper while it is practised: where one is, with the click, and bars that the player marks."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QScrollArea, QWidget

from jeweller.documents.mark_canvas import Ruler
from jeweller.gui.places.pattern_book.part_view import PartPaper
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _
from jeweller.notation.performance import PerformedPart

CURSOR_WIDTH = 2.0
ABOVE, BELOW = 40.0, 30.0  # page units that the cursor and a marked bar stand out from the staff


class BoothPaper(PartPaper):
    """`line` is what is played; `marked` are the indexes of bars that the player marked."""

    def __init__(self, jobs: Jobs, parent: QWidget | None = None) -> None:
        super().__init__(jobs, parent)
        self.line: PerformedPart | None = None
        self.marked: set[int] = set()
        self._ruler: Ruler | None = None
        self._quarters: float | None = None
        self.engraved.connect(self._measure)

    def show_line(self, line: PerformedPart | None) -> None:
        self.line, self._ruler, self._quarters = line, None, None
        self._measure()

    def _measure(self) -> None:
        same = self.engraving is not None and self.line is not None and self.part is not None
        fits = same and len(self.line.part.bars) == len(self.engraving.bars)  # type: ignore[union-attr]
        self._ruler = Ruler(self.engraving, self.line) if fits else None  # type: ignore[arg-type]
        self.update()

    def set_place(self, quarters: float | None) -> float | None:
        """Shows a place of the line (quarters); pixels from the top to its system, None where there is
        none.
        """
        self._quarters = quarters
        self.update()
        at = self._at()
        if at is None or self.engraving is None:
            return None
        return self.engraving.systems[at[1]].highest * self._scale()

    def _at(self) -> tuple[float, int] | None:
        if self._quarters is None or self._ruler is None:
            return None
        return self._ruler.at(self._quarters)

    def _scale(self) -> float:
        return self.width() / self.engraving.width if self.engraving is not None else 1.0

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.engraving is None or self.theme is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = self._scale()
        for box in self.engraving.bars:
            if box.index in self.marked:
                system = self.engraving.systems[box.system]
                painter.setPen(QPen(QColor(self.theme.brass), 1.6))
                top = (system.top - ABOVE) * scale
                high = (system.bottom - system.top + ABOVE + BELOW) * scale
                painter.drawRoundedRect(
                    QRectF(box.left * scale, top, (box.right - box.left) * scale, high), 3, 3
                )
        at = self._at()
        if at is not None:
            x, system_index = at
            system = self.engraving.systems[system_index]
            painter.setPen(QPen(QColor(self.theme.brass), CURSOR_WIDTH))
            painter.drawLine(
                QPointF(x * scale, (system.top - ABOVE) * scale),
                QPointF(x * scale, (system.bottom + BELOW) * scale),
            )
        painter.end()


class BoothSheet(QScrollArea):
    """The paper in a scrolled area."""

    def __init__(self, jobs: Jobs, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = BoothPaper(jobs)
        self.setAccessibleName(_("The sheet"))
        self.setWidget(self.paper)
        self.setWidgetResizable(True)

    def follow(self, quarters: float | None) -> None:
        """Shows where one is, and the system it is in."""
        top = self.paper.set_place(quarters)
        if top is not None:
            bar, height = self.verticalScrollBar(), self.viewport().height()
            if top < bar.value() or top > bar.value() + 0.6 * height:
                bar.setValue(max(0, int(top) - 24))
