"""The tuner's display: the note, large, and a ruler of cents on which the tone lies as a smear that settles.
And the trend of tones as a line of days.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from jeweller.documents.theme import LIGHT
from jeweller.gui.shell.style import font
from jeweller.i18n import _

REACH = 50.0  # cents to either side
SMEAR, LINE = 10.0, 3.0  # pixels
SOFTEST, DARKEST = 30, 150  # of 255: a reading that is old, and one that is new


class TuningRuler(QWidget):
    """`show_tone` shows a note, where it lay lately, and, once it is held, where it lies."""

    LEAST = 250  # pixels of height at the usual size of text

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.note, self.words = "", ""
        self.recent: list[float] = []  # cents, oldest first
        self.held: float | None = None
        self.spread = 0.0
        self.asked = ""
        self.setMinimumHeight(self.LEAST)

    def sizeHint(self) -> QSize:
        return QSize(560, round(270 * self.points / 11.0))

    def show_tone(
        self, note: str, recent: Sequence[float], held: float | None, spread: float, asked: str = ""
    ) -> None:
        """`recent` and `held` in cents from the note; `asked` is what is to be played."""
        self.note, self.recent, self.held, self.spread = note, list(recent), held, spread
        self.asked = asked
        self.setAccessibleName(f"{note} {held:+.0f}" if held is not None else note)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, p = self.theme, self.points
        painter.fillRect(self.rect(), QColor(t.paper))
        top = QRectF(0, 12, self.width(), self.height() * 0.46)
        painter.setPen(QColor(t.ink if self.note else t.quiet))
        painter.setFont(font(5.6 * p if self.note else 1.3 * p, serif=bool(self.note), weight=600))
        painter.drawText(
            top,
            int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap),
            self.note or self.asked or _("Nothing sounds."),
        )
        left, right, y = 40.0, self.width() - 40.0, self.height() * 0.66

        def x(cents: float) -> float:
            inside = max(-REACH, min(REACH, cents))
            return left + (right - left) * (inside + REACH) / (2 * REACH)

        for k, cents in enumerate(self.recent):
            colour = QColor(t.brass)
            colour.setAlpha(SOFTEST + round((DARKEST - SOFTEST) * (k + 1) / len(self.recent)) // 2)
            painter.fillRect(QRectF(x(cents) - SMEAR / 2, y - 30, SMEAR, 40), colour)
        painter.setPen(QPen(QColor(t.quiet), 1.2))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        painter.setFont(font(max(10.0, p - 1)))
        for cents in range(-50, 51, 10):
            tall = 10.0 if cents % 50 == 0 else 6.0
            painter.setPen(QPen(QColor(t.quiet), 1.2))
            painter.drawLine(QPointF(x(cents), y - tall), QPointF(x(cents), y + tall))
            painter.drawText(
                QRectF(x(cents) - 30, y + 12, 60, 2 * p),
                int(Qt.AlignmentFlag.AlignHCenter),
                f"{cents:+d}".replace("-", "−") if cents else "0",
            )
        ends = QRectF(left, y - 16 - 2.2 * p, right - left, 2.2 * p)  # below is what is said
        painter.drawText(ends, int(Qt.AlignmentFlag.AlignLeft), _("low"))
        painter.drawText(ends, int(Qt.AlignmentFlag.AlignRight), _("high"))
        if self.held is not None:
            painter.setPen(QPen(QColor(t.ink), LINE))
            painter.drawLine(QPointF(x(self.held), y - 36), QPointF(x(self.held), y + 8))
            painter.setFont(font(1.3 * p, weight=600))
            said = _("{cents:+.0f} cents, steady to {spread:.0f} cents").format(
                cents=self.held, spread=max(1.0, self.spread)
            )
            painter.drawText(
                QRectF(0, y + 14 + 2 * p, self.width(), 3 * p),
                int(Qt.AlignmentFlag.AlignHCenter),
                said.replace("-", "−"),
            )
        painter.end()


class TendencyChart(QWidget):
    """How each note lies: a length up or down from the line of in tune, under its name."""

    LEAST = 130  # pixels of height at the usual size of text

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.notes: list[tuple[str, float]] = []
        self.setMinimumHeight(self.LEAST)
        self.setAccessibleName(_("How each note lies"))

    def show_notes(self, notes: Sequence[tuple[str, float]]) -> None:
        """(written name, cents) from low to high."""
        self.notes = list(notes)
        self.setVisible(len(self.notes) > 1)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if not self.notes:
            return
        middle, reach = self.height() / 2.0, self.height() / 2.0 - 22.0
        most = max(20.0, *(abs(c) for _n, c in self.notes))
        step = (self.width() - 40) / max(8, len(self.notes))
        painter.setPen(QPen(QColor(self.theme.quiet), 1.2))
        painter.drawLine(QPointF(20, middle), QPointF(self.width() - 20, middle))
        painter.setFont(font(max(10.0, self.points - 1)))
        for k, (name, cents) in enumerate(self.notes):
            at = 20 + step * (k + 0.5)
            painter.setPen(QPen(QColor(self.theme.brass), 8, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(at, middle), QPointF(at, middle - reach * cents / most))
            painter.setPen(QColor(self.theme.ink))
            under = (
                QRectF(at - 40, middle + 3, 80, 20) if cents >= 0 else QRectF(at - 40, middle - 23, 80, 20)
            )
            painter.drawText(under, int(Qt.AlignmentFlag.AlignCenter), name)
        painter.end()


class DaysChart(QWidget):
    """(day, seconds) as a row of lengths, newest at the right."""

    LEAST = 120  # pixels of height at the usual size of text

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.days: list[tuple[str, float]] = []
        self.setMinimumHeight(self.LEAST)
        self.setAccessibleName(_("The longest steady tone of each day"))

    def show_days(self, days: Sequence[tuple[str, float]]) -> None:
        self.days = list(days)[-24:]
        told = "; ".join(f"{day} {seconds:.0f} s" for day, seconds in self.days)
        self.setAccessibleName(_("The longest steady tone of each day: {days}").format(days=told))
        self.setVisible(len(self.days) > 1)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if not self.days:
            return
        most = max(seconds for _day, seconds in self.days)
        step = (self.width() - 40) / max(8, len(self.days))
        foot = self.height() - 24.0
        painter.setFont(font(max(10.0, self.points - 2)))
        for k, (day, seconds) in enumerate(self.days):
            at = 20 + step * (k + 0.5)
            high = (foot - 22) * seconds / max(most, 0.1)
            painter.setPen(QPen(QColor(self.theme.brass), 6))
            painter.drawLine(QPointF(at, foot), QPointF(at, foot - high))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(
                QRectF(at - 30, foot - high - 18, 60, 16),
                int(Qt.AlignmentFlag.AlignHCenter),
                f"{seconds:.0f} s",
            )
            if k in (0, len(self.days) - 1):
                painter.drawText(
                    QRectF(at - 40, foot + 4, 80, 18), int(Qt.AlignmentFlag.AlignHCenter), day[5:]
                )
        painter.end()
