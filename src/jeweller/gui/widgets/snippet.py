"""A few bars around a finding, engraved with its marks: what one looks at while one listens."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from jeweller.assessment.messages import localized
from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.excerpt import excerpt
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.shapes import drawn
from jeweller.notation.model import Part
from jeweller.notation.performance import PerformedPart
from jeweller.report_format import ReportFinding, TakeReport

UNITS = 1500.0  # page units of a line
SCALE = 0.62  # pixels for a page unit at the usual size
HEIGHT = 176


def engrave_for_snippet(part: Part) -> Engraving:
    """A part as a snippet shows it. Who fetches the music makes it ready beside the window."""
    return engrave(part, UNITS)


class Snippet(QWidget):
    """`show_place` draws the bar of a finding, with those beside it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(HEIGHT)
        self.theme: Theme = LIGHT
        self.points = 11.0
        self.words = ""
        self._pixmap: QPixmap | None = None
        self._last: tuple[Any, ...] | None = None

    def clear(self, words: str = "") -> None:
        self.words, self._pixmap, self._last = words, None, None
        self.update()

    def show_place(
        self, line: PerformedPart, report: TakeReport, findings: list[ReportFinding], key: str | None
    ) -> None:
        """Draws the system that holds the finding `key` (None: the first)."""
        self._last = (line, report, findings, key)
        engraving = engrave_for_snippet(line.part)
        shown = excerpt(engraving, line, report, self.theme, findings, key)
        scale = min(
            SCALE * self.points / 11.0,
            self.height() / shown.height,
            self.width() / engraving.width if self.width() > 100 else 1.0,
        )
        self._pixmap = drawn(
            shown.svg, engraving.width * scale, shown.height * scale, self.devicePixelRatioF()
        )
        self.setAccessibleName(next((localized(f)["text"] for f in findings if f["key"] == key), line.title))
        self.update()

    def resizeEvent(self, event: Any) -> None:
        if self._last is not None:
            self.show_place(*self._last)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self._pixmap is not None:
            ratio = self._pixmap.devicePixelRatio()
            painter.drawPixmap(0, int((self.height() - self._pixmap.height() / ratio) / 2), self._pixmap)
        elif self.words:
            painter.setPen(QColor(self.theme.quiet))
            painter.setFont(font(self.points))
            painter.drawText(
                self.rect().adjusted(24, 16, -24, -16),
                int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap),
                self.words,
            )
        painter.end()
