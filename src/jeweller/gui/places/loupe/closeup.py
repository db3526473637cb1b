"""The picture that a finding is judged by: pitch line, loudness and attacks around it, with what is written
and what was heard, and the stretch that is in doubt.
"""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QWidget

from jeweller.documents.theme import Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.roomy import RoomyDialog
from jeweller.i18n import _
from jeweller.pipeline.closeup import Closeup

LEFT, RIGHT, TOP, BOTTOM = 104, 16, 8, 30  # pixels around the lanes
LANES = (0.56, 0.24, 0.2)  # of the height: pitch, loudness, attacks
GAP = 14
LOUD_DB = 50.0  # shown below the loudest moment
STRONG = 1.5  # of an attack, at the top of its lane
NAMED_PX = 22  # a bar so wide has its name beside it


class CloseupPicture(QWidget):
    """Draws a `Closeup`."""

    def __init__(self, closeup: Closeup, theme: Theme, points: float, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.closeup, self.theme, self.points = closeup, theme, points
        self.setMinimumSize(640, round(400 * max(1.0, points / 14.0)))
        self._left = round(LEFT * points / 11.0)
        self._bottom = round(BOTTOM * points / 11.0)
        self.setAccessibleName(_("Pitch, loudness and attacks around the finding"))

    def sizeHint(self) -> QSize:
        return QSize(980, 520)

    def _x(self, seconds: float) -> float:
        c = self.closeup
        return self._left + (seconds - c.from_s) / (c.to_s - c.from_s) * (self.width() - self._left - RIGHT)

    def _lanes(self) -> list[QRectF]:
        room = self.height() - TOP - self._bottom - GAP * (len(LANES) - 1)
        out, y = [], float(TOP)
        for share in LANES:
            out.append(QRectF(self._left, y, self.width() - self._left - RIGHT, share * room))
            y += share * room + GAP
        return out

    def paintEvent(self, event: QPaintEvent) -> None:
        t, c = self.theme, self.closeup
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(self.points - 1))
        lanes = self._lanes()
        for lane in lanes:
            painter.fillRect(lane, QColor(t.paper))
            doubt = QRectF(self._x(c.doubt[0]), lane.top(), 0, lane.height())
            doubt.setRight(min(self._x(c.doubt[1]), lane.right()))
            painter.fillRect(doubt, QColor(t.wash))
        self._draw_seconds(painter, lanes)
        painter.save()
        painter.setClipRect(QRectF(self._left, 0, self.width() - self._left - RIGHT, self.height()))
        self._draw_pitch(painter, lanes[0])
        self._draw_level(painter, lanes[1])
        self._draw_attacks(painter, lanes[2])
        painter.restore()
        painter.setPen(QColor(t.ink))
        for lane, name in zip(lanes, (_("pitch"), _("loudness"), _("attacks")), strict=True):
            box = QRectF(8, lane.top(), self._left - 20, lane.height())
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.end()

    def _draw_seconds(self, painter: QPainter, lanes: list[QRectF]) -> None:
        t, c = self.theme, self.closeup
        step = 0.5 if c.to_s - c.from_s < 6 else 1.0
        at = math.ceil(c.from_s / step) * step
        while at < c.to_s:
            x = self._x(at)
            painter.setPen(QPen(QColor(t.faint), 1.0))
            painter.drawLine(QPointF(x, lanes[0].top()), QPointF(x, lanes[-1].bottom()))
            painter.setPen(QColor(t.quiet))
            box = QRectF(x - 40, lanes[-1].bottom() + 4, 80, self._bottom - 6)
            painter.drawText(
                box, Qt.AlignmentFlag.AlignCenter, _("{seconds:g} s").format(seconds=round(at, 1))
            )
            at += step

    def _draw_pitch(self, painter: QPainter, lane: QRectF) -> None:
        t, c = self.theme, self.closeup
        low, high = c.pitches
        low, high = low - 2.0, high + 2.0

        def y(midi: float) -> float:
            return lane.bottom() - (midi - low) / (high - low) * lane.height()

        thick = max(6.0, min(16.0, 0.8 * lane.height() / (high - low)))
        for bar in c.written:
            box = QRectF(self._x(bar.from_s), y(bar.midi) - thick / 2, 0, thick)
            box.setRight(max(self._x(bar.to_s) - 2, box.left() + 3))
            painter.setPen(QPen(QColor(t.quiet), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box)
            if box.width() >= NAMED_PX and bar.name:
                painter.setPen(QColor(t.quiet))
                # on the side where no pitch was heard
                under = box.bottom() + painter.fontMetrics().ascent() + 2
                painter.drawText(QPointF(box.left() + 2, under if c.above(bar) else box.top() - 4), bar.name)
        for bar in c.heard:
            x = self._x(bar.from_s)
            painter.setPen(QPen(QColor(t.brass), 2.0))
            painter.drawLine(QLineF(x, y(bar.midi) - thick, x, y(bar.midi) + thick))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.ink))
        for at, midi in zip(c.pitch_s, c.pitch, strict=True):
            if np.isfinite(midi) and low <= midi <= high:
                painter.drawEllipse(QPointF(self._x(float(at)), y(float(midi))), 1.6, 1.6)

    def _draw_level(self, painter: QPainter, lane: QRectF) -> None:
        t, c = self.theme, self.closeup
        top = float(c.level_db.max(initial=-60.0)) + 3.0

        def y(db: float) -> float:
            return lane.bottom() - max(0.0, min(1.0, 1.0 - (top - db) / LOUD_DB)) * lane.height()

        painter.setPen(QPen(QColor(t.faint), 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(lane.left(), y(c.room_db)), QPointF(lane.right(), y(c.room_db)))
        self._draw_curve(
            painter, [QPointF(self._x(float(a)), y(float(v))) for a, v in self._thinned(c.level_db)]
        )

    def _draw_attacks(self, painter: QPainter, lane: QRectF) -> None:
        def y(attack: float) -> float:
            return lane.bottom() - min(1.0, attack / STRONG) * lane.height()

        points = [QPointF(self._x(float(a)), y(float(v))) for a, v in self._thinned(self.closeup.attack)]
        self._draw_curve(painter, points)

    def _thinned(self, values: np.ndarray) -> list[tuple[float, float]]:  # type: ignore[type-arg]
        """(seconds, the most of the values there), one for each pixel at most."""
        times = self.closeup.level_s
        step = max(1, len(times) // max(self.width(), 1))
        return [(float(times[k]), float(values[k : k + step].max())) for k in range(0, len(times), step)]

    def _draw_curve(self, painter: QPainter, points: list[QPointF]) -> None:
        painter.setPen(QPen(QColor(self.theme.ink), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))


def show_closeup(
    closeup: Closeup, sentence: str, rivals: list[str], theme: Theme, points: float, parent: QWidget
) -> QDialog:
    """The picture with what the finding says, and what was weighed against it."""
    box = RoomyDialog(parent, _("Look closer"), spacing=8)
    column = box.column
    said = QLabel(sentence)
    said.setWordWrap(True)
    said.setFont(font(points + 1, weight=600, serif=True))
    column.addWidget(said)
    for line in rivals:
        label = QLabel(line)
        label.setWordWrap(True)
        label.setFont(font(points))
        column.addWidget(label)
    column.addWidget(CloseupPicture(closeup, theme, points), 1)
    legend = QLabel(
        _(
            "Boxes: what is written, where it was due. Dots: the pitch that was heard. Upright strokes: "
            "where a note was heard to begin. Coloured ground: the stretch this is about. Dashed line: the "
            "room."
        )
    )
    legend.setWordWrap(True)
    legend.setObjectName("quiet")
    column.addWidget(legend)
    box.finish(QDialogButtonBox(QDialogButtonBox.StandardButton.Close))
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.show()
    return box
