"""A player's takes over time: how much of each take's marks was reached, and its speed, as two quiet lines over the days."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from jeweller.desk.style import font
from jeweller.ledger.over_time import Attempt
from jeweller.sheet.theme import LIGHT, Theme

HEIGHT, LEFT, FOOT = 120, 72, 22


class ProgressChart(QWidget):
    """Attempts from left to right; those at one piece are joined by a line."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(HEIGHT)
        self.attempts: tuple[Attempt, ...] = ()
        self.theme: Theme = LIGHT
        self.points = 11.0

    def show_attempts(self, attempts: Sequence[Attempt], theme: Theme, points: float) -> None:
        self.attempts = tuple(a for a in attempts if a.mark is not None)
        self.theme, self.points = theme, points
        self.setAccessibleName("Marks over time: " + ", ".join(f"{a.day} {a.title} {a.mark:g}" for a in self.attempts))
        self.setVisible(len(self.attempts) > 1)
        self.update()

    def place(self, index: int) -> QPointF:
        """Where an attempt stands."""
        a = self.attempts[index]
        share = float(a.mark or 0.0) / float(a.out_of or 20.0)
        width = max(1, self.width() - LEFT - 24)
        x = LEFT + width * (index / max(1, len(self.attempts) - 1))
        return QPointF(x, 12 + (self.height() - FOOT - 24) * (1.0 - share))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        painter.setFont(font(self.points - 1))
        for share, words in ((1.0, "all of it"), (0.5, "half")):
            y = 12 + (self.height() - FOOT - 24) * (1.0 - share)
            painter.setPen(QColor(self.theme.faint))
            painter.drawLine(LEFT, round(y), self.width() - 12, round(y))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(QRectF(8, y - 10, LEFT - 12, 20), int(Qt.AlignmentFlag.AlignVCenter), words)
        for piece in dict.fromkeys(a.piece for a in self.attempts):
            places = [self.place(k) for k, a in enumerate(self.attempts) if a.piece == piece]
            painter.setPen(QPen(QColor(self.theme.brass), 1.6))
            for a, b in zip(places, places[1:], strict=False):
                painter.drawLine(a, b)
        for k, attempt in enumerate(self.attempts):
            painter.setPen(QPen(QColor(self.theme.brass), 1.6))
            painter.setBrush(QColor(self.theme.paper if attempt.support != "alone" else self.theme.brass))
            painter.drawEllipse(self.place(k), 4.0, 4.0)
            painter.setPen(QColor(self.theme.quiet))
            box = QRectF(self.place(k).x() - 40, self.height() - FOOT, 80, FOOT - 2)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter), attempt.day[5:])
        painter.end()
