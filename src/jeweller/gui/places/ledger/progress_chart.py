"""A player's takes over time, a column each: the mark, the speed, the seven facets, and, within one recording
set-up, the loudness.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from jeweller.assessment.messages import FACET_NAMES
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.shapes import FacetShapes
from jeweller.i18n import _
from jeweller.library.progress import Attempt

LEFT, COLUMN_LEAST, COLUMN_MOST = 112, 44, 120  # pixels at the usual size of text
MARKS, LOUD, ROW, FOOT = 84, 52, 22, 22
SHAPE = 18
LEAST_DB = 6.0  # the height of the loudness is at least so much


class ProgressChart(QWidget):
    """Attempts from left to right, the newest that have room; those at one piece are joined by a line,
    loudness within a set-up is.
    """

    def __init__(self) -> None:
        super().__init__()
        self.attempts: tuple[Attempt, ...] = ()
        self.theme: Theme = LIGHT
        self.points = 11.0
        self.shapes = FacetShapes()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_attempts(self, attempts: Sequence[Attempt], theme: Theme, points: float) -> None:
        self.attempts = tuple(a for a in attempts if a.mark is not None)
        self.theme, self.points = theme, points
        self.setAccessibleName(
            _("Marks over time: ") + ", ".join(f"{a.day} {a.title} {a.mark:g}" for a in self.attempts)
        )
        self.setVisible(len(self.attempts) > 1)
        self.updateGeometry()
        self.update()

    # ---- places

    def _px(self, pixels: float) -> int:
        return round(pixels * self.points / 11.0)

    @property
    def shown(self) -> tuple[Attempt, ...]:
        """The newest attempts that have room."""
        return self.attempts[-max(2, (self.width() - self._px(LEFT)) // self._px(COLUMN_LEAST)) :]

    @property
    def louder(self) -> bool:
        """Whether loudness is told: two takes of one set-up at least."""
        setups = [a.setup for a in self.shown if a.level_db is not None]
        return len(setups) > len(set(setups))

    def sizeHint(self) -> QSize:
        return QSize(
            400, self._px(8 + MARKS + ROW * (1 + len(FACET_NAMES)) + (LOUD if self.louder else 0) + FOOT)
        )

    def middle(self, index: int) -> float:
        """The middle of an attempt's column."""
        width = min(self._px(COLUMN_MOST), (self.width() - self._px(LEFT)) / max(1, len(self.shown)))
        return self._px(LEFT) + width * (index + 0.5)

    def place(self, index: int) -> QPointF:
        """Where an attempt's mark stands."""
        a = self.shown[index]
        share = float(a.mark or 0.0) / float(a.out_of or 20.0)
        return QPointF(self.middle(index), self._px(12) + self._px(MARKS - 20) * (1.0 - share))

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        painter.setFont(font(self.points - 1))
        shown = self.shown
        right = round(self.middle(len(shown) - 1) + self._px(COLUMN_LEAST) / 2) if shown else self.width()
        for share, words in ((1.0, _("all of it")), (0.5, "half")):
            y = self._px(12) + self._px(MARKS - 20) * (1.0 - share)
            painter.setPen(QColor(self.theme.faint))
            painter.drawLine(self._px(LEFT), round(y), right, round(y))
            self._label(painter, y, words)
        self._joined(painter, [(a.piece, self.place(k)) for k, a in enumerate(shown)])
        y = self._px(8 + MARKS)
        self._label(painter, y + self._px(ROW) / 2, _("to the minute"))
        for k, a in enumerate(shown):
            painter.setPen(QPen(QColor(self.theme.brass), 1.6))
            painter.setBrush(QColor(self.theme.paper if a.support != "alone" else self.theme.brass))
            painter.drawEllipse(self.place(k), 4.0, 4.0)
            self._words(painter, k, y, f"{a.bpm:.0f}" if a.bpm else "")
        for facet, name in ((f, _(n)) for f, n in FACET_NAMES.items()):
            y += self._px(ROW)
            self._label(painter, y + self._px(ROW) / 2, name)
            for k, a in enumerate(shown):
                picture = self.shapes.of(facet, a.facets.get(facet), self.theme, self._px(SHAPE))
                painter.drawPixmap(
                    round(self.middle(k) - self._px(SHAPE) / 2),
                    y + (self._px(ROW) - self._px(SHAPE)) // 2,
                    picture,
                )
        y += self._px(ROW)
        if self.louder:
            self._loudness(painter, y, shown)
            y += self._px(LOUD)
        for k, a in enumerate(shown):
            self._words(painter, k, y, a.day[5:])
        painter.end()

    def _loudness(self, painter: QPainter, y: int, shown: Sequence[Attempt]) -> None:
        """Levels of takes, joined within a set-up; those of another are not to be compared and not joined."""
        self._label(painter, y + self._px(LOUD) / 2, "loudness")
        levels = [a.level_db for a in shown if a.level_db is not None]
        middle, half = (max(levels) + min(levels)) / 2, max(LEAST_DB, max(levels) - min(levels)) / 2
        places = [
            (
                a.setup,
                QPointF(
                    self.middle(k),
                    y + self._px(LOUD) / 2 - self._px(LOUD - 20) / 2 * ((a.level_db - middle) / half),
                ),
            )
            for k, a in enumerate(shown)
            if a.level_db is not None
        ]
        self._joined(painter, places)
        painter.setBrush(QColor(self.theme.paper))
        for _unused, place in places:
            painter.drawRect(QRectF(place.x() - 3, place.y() - 3, 6, 6))

    def _joined(self, painter: QPainter, places: Sequence[tuple[str, QPointF]]) -> None:
        painter.setPen(QPen(QColor(self.theme.brass), 1.6))
        for group in dict.fromkeys(g for g, _unused in places):
            mine = [p for g, p in places if g == group]
            for a, b in zip(mine, mine[1:], strict=False):
                painter.drawLine(a, b)

    def _label(self, painter: QPainter, y: float, words: str) -> None:
        painter.setPen(QColor(self.theme.quiet))
        painter.drawText(
            QRectF(self._px(12), y - self._px(12), self._px(LEFT - 16), self._px(24)),
            int(Qt.AlignmentFlag.AlignVCenter),
            words,
        )

    def _words(self, painter: QPainter, index: int, y: float, words: str) -> None:
        painter.setPen(QColor(self.theme.quiet))
        box = QRectF(self.middle(index) - self._px(40), y, self._px(80), self._px(ROW))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter), words)
