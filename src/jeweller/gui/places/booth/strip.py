"""The takes of a session as a strip: each with its number, its speed, a small rail of what is to be mended,
and what became of it in words.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QScrollArea, QWidget

from jeweller.booth.attempts import BoothTake
from jeweller.documents.theme import LIGHT
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.shapes import facet_pixmap
from jeweller.i18n import _

CARD, GAP, HIGH, SHAPE = 172, 8, 84, 14


class TakeStrip(QWidget):
    """`chosen` is emitted with the number of a take that is clicked, `beside` with one that is to be compared
    with the one that is shown (Ctrl or Shift).
    """

    chosen = Signal(int)
    beside = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.takes: list[BoothTake] = []
        self.bars: list[str] = []
        self.shown: int | None = None
        self.untold = False  # the take that is shown keeps its verdict to itself: the player says first
        self.compared: int | None = None
        self.setAccessibleName(_("The takes of this session"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    @property
    def _factor(self) -> float:
        return self.points / 11.0

    def show_takes(
        self, takes: list[BoothTake], bars: list[str], shown: int | None, beside: int | None
    ) -> None:
        self.takes, self.bars, self.shown, self.compared = list(takes), bars, shown, beside
        self.setFixedWidth(max(1, len(takes)) * round((CARD + GAP) * self._factor))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(max(1, len(self.takes)) * round((CARD + GAP) * self._factor), round(HIGH * self._factor))

    def _card(self, k: int) -> QRectF:
        width = (CARD + GAP) * self._factor
        return QRectF(k * width + 1, 1, CARD * self._factor, HIGH * self._factor - 2)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.takes:
            painter.setPen(QColor(self.theme.quiet))
            painter.setFont(font(self.points))
        for k, take in enumerate(self.takes):
            self._draw(painter, self._card(k), take)
        painter.end()

    def _draw(self, painter: QPainter, card: QRectF, take: BoothTake) -> None:
        t = self.theme
        chosen = take.number == self.shown
        painter.setPen(
            QPen(
                QColor(t.brass if chosen or take.number == self.compared else t.faint),
                2.0 if chosen else 1.0,
                Qt.PenStyle.DashLine if take.number == self.compared else Qt.PenStyle.SolidLine,
            )
        )
        painter.setBrush(QColor(t.wash if chosen else t.paper))
        painter.drawRoundedRect(card, 3, 3)
        inside = card.adjusted(8, 4, -8, -4)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(self.points, weight=600))
        line = painter.fontMetrics().height()
        bars = f"  {_('bars')} {take.plan.bars}" if take.plan.bars else ""
        painter.drawText(
            QRectF(inside.left(), inside.top(), inside.width(), line),
            int(Qt.AlignmentFlag.AlignLeft),
            f"{take.number}   {take.plan.bpm / take.plan.beat:.0f}{bars}",
        )
        rail = inside.top() + line + (inside.height() - 2 * line) / 2
        painter.setPen(QPen(QColor(t.faint), 1))
        painter.drawLine(QPointF(inside.left(), rail), QPointF(inside.right(), rail))
        numbers = self._bars_of(take)
        untold = chosen and self.untold
        for f in take.findings if not untold else ():
            for bar in f["places"] or [f["bar"]]:
                if bar in numbers:
                    at = (numbers.index(bar) + 0.5) / len(numbers)
                    x = inside.left() + at * inside.width() - SHAPE / 2
                    painter.drawPixmap(QPointF(x, rail - SHAPE / 2), facet_pixmap(f["facet"], t, SHAPE))
        painter.setPen(QColor(t.quiet))
        painter.setFont(font(max(10.0, self.points - 1)))
        words = painter.fontMetrics().elidedText(
            "…" if untold else take.sentence, Qt.TextElideMode.ElideRight, int(inside.width())
        )
        painter.drawText(
            QRectF(inside.left(), inside.bottom() - line, inside.width(), line),
            int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom),
            words,
        )

    def _bars_of(self, take: BoothTake) -> list[str]:
        first, _dash, last = take.plan.bars.partition("-")
        if not first or first not in self.bars:
            return self.bars
        last = last or first
        return self.bars[self.bars.index(first) : len(self.bars) - self.bars[::-1].index(last)]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = int(event.position().x() // ((CARD + GAP) * self._factor))
        if 0 <= k < len(self.takes):
            held = event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            )
            (self.beside if held else self.chosen).emit(self.takes[k].number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        numbers = [t.number for t in self.takes]
        if step is None or not numbers:
            super().keyPressEvent(event)
            return
        at = numbers.index(self.shown) + step if self.shown in numbers else 0
        if 0 <= at < len(numbers):
            held = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            (self.beside if held else self.chosen).emit(numbers[at])


class StripArea(QScrollArea):
    """The strip, scrolled sideways; the newest take is in view."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.strip = TakeStrip()
        self.setWidget(self.strip)
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def set_size(self, points: float) -> None:
        self.setFixedHeight(round(HIGH * points / 11.0) + 12)

    def to_newest(self) -> None:
        bar = self.horizontalScrollBar()
        bar.setValue(bar.maximum())
