"""What is looked at from a music stand away: the count and the beat, the level, what is struck."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from jeweller.booth.stopping import LOUDNESS, Loudness
from jeweller.booth.track import Beat, Track
from jeweller.documents.theme import LIGHT
from jeweller.gui.shell.style import font
from jeweller.i18n import _

HEIGHT = 96
METER_WIDTH = 150
FLOOR_DB = 60.0  # below full scale: the empty end of the level


class CountDisplay(QWidget):
    """The count, large; the beats of the bar beside it, the one that sounds now filled."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.count, self.under = "", ""
        self.beat, self.beats = 0, 0
        self.setMinimumHeight(HEIGHT)

    def show_count(self, count: str, under: str, beat: int = 0, beats: int = 0) -> None:
        """The count or word that is due, a line under it, and which of the beats of the bar this is."""
        if (count, under, beat, beats) != (self.count, self.under, self.beat, self.beats):
            self.count, self.under, self.beat, self.beats = count, under, beat, beats
            self.setAccessibleName(f"{count} {under}")
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, round(HEIGHT * self.points / 11.0))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(3.6 * self.points, serif=True, weight=600))
        if not self.count and not self.beats:
            painter.setFont(font(1.3 * self.points))
            words = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(QRectF(16, 0, self.width() - 32, self.height()), words, self.under)
            painter.end()
            return
        left = QRectF(16, 0, self.width() * 0.5 - 16, self.height())
        painter.drawText(left, int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight), self.count)
        right = self.width() * 0.5 + 24
        painter.setFont(font(1.2 * self.points))
        painter.setPen(QColor(self.theme.quiet))
        lines = self.beats > 0
        painter.drawText(
            QRectF(
                right, 8 if lines else 0, self.width() - right - 8, self.height() * (0.5 if lines else 1.0)
            ),
            int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft),
            self.under,
        )
        for k in range(self.beats):
            at = QPointF(right + 12 + 28 * k, self.height() * 0.72)
            size = 9.0 if k + 1 == self.beat else 5.0
            painter.setPen(QPen(QColor(self.theme.brass), 1.6))
            painter.setBrush(QColor(self.theme.brass) if k + 1 == self.beat else Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(at.x() - size / 2, at.y() - size / 2, size, size))
        painter.end()


class LevelBar(QWidget):
    """How loud it is, as a length; how that is, in words. A hatch stands where it is clipped."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.level = 0.0
        self.loudness: Loudness | None = None
        self.setAccessibleName(_("The level"))

    def sizeHint(self) -> QSize:
        words = max(self.fontMetrics().horizontalAdvance(_(w)) for w in LOUDNESS.values())
        return QSize(METER_WIDTH + words + 24, round(24 * self.points / 11.0))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def show_level(self, peak: float, loudness: Loudness | None) -> None:
        """The peak, 0..1 of full scale, and how it is; None where nothing listens."""
        import math

        level = max(0.0, 1.0 + 20.0 * math.log10(max(peak, 1e-6)) / FLOOR_DB)
        if (round(level, 2), loudness) != (round(self.level, 2), self.loudness):
            self.level, self.loudness = level, loudness
            self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.loudness is None:
            return
        painter = QPainter(self)
        box = QRectF(0.5, self.height() / 2 - 5, METER_WIDTH, 10)
        painter.setPen(QPen(QColor(self.theme.quiet), 1))
        painter.setBrush(QColor(self.theme.paper))
        painter.drawRect(box)
        filled = QRectF(box.left(), box.top(), box.width() * min(1.0, self.level), box.height())
        clipped = self.loudness == Loudness.CLIPPED
        painter.fillRect(filled, QColor(self.theme.ink if clipped else self.theme.brass))
        if clipped:
            painter.fillRect(
                QRectF(box.right() - 24, box.top() - 4, 24, box.height() + 8),
                Qt.BrushStyle.DiagCrossPattern,
            )
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(self.points))
        painter.drawText(
            QRectF(METER_WIDTH + 12, 0, self.width() - METER_WIDTH - 12, self.height()),
            int(Qt.AlignmentFlag.AlignVCenter),
            _(LOUDNESS[self.loudness]),
        )
        painter.end()


class StrokeRail(QWidget):
    """Two bars of the counts as a ruler, what is written above it, what was struck below it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self.points = LIGHT, 11.0
        self.beats: tuple[Beat, ...] = ()
        self.downbeat_s = 0.0
        self.written: tuple[float, ...] = ()  # seconds after the first count
        self.strokes: list[float] = []
        self.now_s = 0.0
        self.setAccessibleName(_("What was struck, under the counts"))
        self.setMinimumHeight(64)

    def open(self, track: Track, written: Sequence[float]) -> None:
        self.beats, self.downbeat_s = track.beats, track.downbeat_s
        self.written, self.strokes, self.now_s = tuple(written), [], 0.0
        self.update()

    def show_strokes(self, strokes: list[float], now_s: float) -> None:
        self.strokes, self.now_s = list(strokes), now_s
        self.update()

    def _page(self) -> tuple[float, float]:
        """The seconds that are shown: two bars, turned like a page."""
        firsts = [b.at_s - self.downbeat_s for b in self.beats if b.number == 1] or [0.0]
        pages = firsts[::2]
        begin = max((p for p in pages if p <= self.now_s + 0.01), default=pages[0])
        later = [p for p in pages if p > begin + 0.01]
        if later:
            return begin, later[0]
        beat = self.beats[1].at_s - self.beats[0].at_s if len(self.beats) > 1 else 1.0
        return begin, max(self.beats[-1].at_s - self.downbeat_s + beat, begin + beat)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if not self.beats:
            return
        begin, end = self._page()
        left, width = 40.0, self.width() - 80.0

        def x(at: float) -> float:
            return left + width * (at - begin) / max(0.1, end - begin)

        middle = self.height() / 2
        painter.setPen(QPen(QColor(self.theme.quiet), 1))
        painter.drawLine(QPointF(left, middle), QPointF(left + width, middle))
        painter.setFont(font(0.9 * self.points))
        for beat in self.beats:
            at = beat.at_s - self.downbeat_s
            if begin - 0.01 <= at < end - 0.01:
                painter.setPen(QPen(QColor(self.theme.quiet), 1))
                painter.drawLine(QPointF(x(at), middle - 6), QPointF(x(at), middle + 6))
                painter.drawText(QPointF(x(at) - 4, self.height() - 4), str(beat.number))
        painter.setPen(QPen(QColor(self.theme.ink), 1.4))
        for at in self.written:
            if begin - 0.01 <= at < end - 0.01:
                painter.drawLine(QPointF(x(at), middle - 22), QPointF(x(at), middle - 8))
        painter.setPen(
            QPen(QColor(self.theme.facets["rhythm"]), 4.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap)
        )
        for at in self.strokes:
            if begin - 0.1 <= at < end:
                painter.drawLine(QPointF(x(at), middle + 3), QPointF(x(at), middle + 16))
        painter.end()
