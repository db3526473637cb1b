"""The sound strip: the take's waveform with its bars, where playing is, what is chosen; and the controls of
playing.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QWidget

from jeweller.assessment.finding import is_sure
from jeweller.decisions.standing import FindingState
from jeweller.documents.annotations import WHOLE
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.readable import StayingToolButton
from jeweller.gui.widgets.shapes import icon
from jeweller.i18n import N_, _

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

    from jeweller.pipeline.review import Review

SPEEDS = ((1.0, N_("full speed")), (0.85, "85 %"), (0.7, "70 %"), (0.5, N_("half speed")))
SOURCES = (("take", N_("Take")), ("model", N_("Model")), ("both", N_("Both")))
BAR_TEXT_PX = 16


class Waveform(QWidget):
    """The whole take. Click chooses a place; dragging chooses a stretch to loop."""

    clicked = Signal(float)
    dragged = Signal(float, float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(72)
        self.setAccessibleName(_("The recording"))
        self.theme = LIGHT
        self.seconds = 0.0
        self.samples: npt.NDArray[np.float32] | None = None
        self.bars: list[tuple[float, str]] = []
        self.marks: list[tuple[float, float, str, bool]] = []  # from, to, facet, sure
        self.span: tuple[float, float] | None = None
        self.chosen: tuple[float, float] | None = None
        self.playhead: float | None = None
        self._picture: QPixmap | None = None
        self._press: float | None = None

    def sizeHint(self) -> QSize:
        return QSize(400, 76)

    def show_sound(self, samples: npt.NDArray[np.float32], rate: int, theme: Theme) -> None:
        self.samples, self.seconds, self.theme = samples, len(samples) / rate if rate else 0.0, theme
        self._picture = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._picture = None

    def x_of(self, seconds: float) -> float:
        return seconds / self.seconds * self.width() if self.seconds else 0.0

    def s_of(self, x: float) -> float:
        return min(max(x / max(self.width(), 1) * self.seconds, 0.0), self.seconds)

    def _draw_wave(self) -> QPixmap:
        import numpy as np

        ratio = self.devicePixelRatioF()
        picture = QPixmap(QSize(round(self.width() * ratio), round(self.height() * ratio)))
        picture.setDevicePixelRatio(ratio)
        picture.fill(QColor(self.theme.paper))
        painter = QPainter(picture)
        painter.setPen(QPen(QColor(self.theme.quiet), 1.0))
        middle, reach = (self.height() + BAR_TEXT_PX) / 2, (self.height() - BAR_TEXT_PX) / 2 - 3
        samples = self.samples
        if samples is not None and len(samples):
            n = min(max(1, self.width()), len(samples))
            edges = np.linspace(0, len(samples), n, endpoint=False).astype(int)
            loud = float(np.abs(samples).max()) or 1.0
            high = middle - np.maximum.reduceat(samples, edges) / loud * reach
            low = middle - np.minimum.reduceat(samples, edges) / loud * reach + 0.5
            painter.drawLines(
                [QLineF(x, float(a), x, float(b)) for x, (a, b) in enumerate(zip(high, low, strict=True))]
            )
        painter.end()
        return picture

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.theme is None:
            return
        painter = QPainter(self)
        if self._picture is None:
            self._picture = self._draw_wave()
        painter.drawPixmap(0, 0, self._picture)
        t = self.theme
        painter.setFont(font(10.0))
        last = -40.0
        for at, number in self.bars:
            x = self.x_of(at)
            painter.setPen(QPen(QColor(t.faint), 1.0))
            painter.drawLine(QPointF(x, BAR_TEXT_PX), QPointF(x, self.height()))
            if x - last > 24:
                painter.setPen(QColor(t.quiet))
                painter.drawText(QPointF(x + 2, 13), number)
                last = x
        for start, end, facet, sure in self.marks:
            colour = QColor(t.facets[facet])
            x0, x1 = self.x_of(start), self.x_of(end)
            painter.setPen(QPen(colour, 3.0 if sure else 1.0))
            painter.drawLine(QPointF(x0, self.height() - 3), QPointF(max(x1, x0 + 4), self.height() - 3))
        for span, alpha in ((self.span, 90), (self.chosen, 130)):
            if span is not None:
                wash = QColor(t.brass)
                wash.setAlpha(alpha // 2)
                painter.fillRect(
                    QRectF(
                        self.x_of(span[0]),
                        BAR_TEXT_PX,
                        max(2.0, self.x_of(span[1]) - self.x_of(span[0])),
                        self.height() - BAR_TEXT_PX,
                    ),
                    wash,
                )
        if self.playhead is not None:
            painter.setPen(QPen(QColor(t.brass), 2.0))
            x = self.x_of(self.playhead)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().x()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and abs(event.position().x() - self._press) > 6:
            a, b = sorted((self.s_of(self._press), self.s_of(event.position().x())))
            self.span = (a, b)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        a, b = sorted((self.s_of(self._press), self.s_of(event.position().x())))
        moved = abs(event.position().x() - self._press) > 6
        self._press = None
        if moved:
            self.dragged.emit(a, b)
        else:
            self.clicked.emit(a)


class SoundStrip(QWidget):
    """Controls at the left, the waveform beside them."""

    play = Signal()
    loop = Signal(bool)
    source = Signal(str)
    speed = Signal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(4)
        self.button = QToolButton()
        self.button.setToolTip(_("Play from two beats before the chosen place (Space)"))
        self.button.setAccessibleName(_("Play"))
        self.button.setIconSize(QSize(22, 22))
        self.button.clicked.connect(self.play)
        row.addWidget(self.button)
        self.sources: dict[str, QToolButton] = {}
        for key, words in SOURCES:
            button = StayingToolButton()
            button.setText(_(words))
            button.setAutoExclusive(True)
            button.setToolTip(
                {
                    "take": _("The player's recording (T)"),
                    "model": _("How the part should sound (M)"),
                    "both": _("First the take, then the model (B)"),
                }[key]
            )
            button.clicked.connect(lambda _unused=False, k=key: self.source.emit(k))
            self.sources[key] = button
            row.addWidget(button)
        self.sources["take"].setChecked(True)
        self.speeds = QComboBox()
        for value, words in SPEEDS:
            self.speeds.addItem(_(words), value)
        self.speeds.setToolTip(_("Slower without changing the pitch ([ and ])"))
        self.speeds.setAccessibleName(_("Speed"))
        self.speeds.currentIndexChanged.connect(lambda i: self.speed.emit(float(self.speeds.itemData(i))))
        row.addWidget(self.speeds)
        self.looping = StayingToolButton()
        self.looping.setToolTip(_("Play the chosen bar again and again (L)"))
        self.looping.setAccessibleName(_("Loop"))
        self.looping.toggled.connect(self.loop)
        row.addWidget(self.looping)
        self.wave = Waveform()
        row.addWidget(self.wave, 1)
        self.clock = QLabel("")
        self.clock.setObjectName("quiet")
        self.clock.setMinimumWidth(84)
        self.clock.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.clock)

    def set_theme(self, theme: Theme, playing: bool = False) -> None:
        self.button.setIcon(icon("stop" if playing else "play", theme, 22))
        self.looping.setIcon(icon("loop", theme))

    def show_review(self, review: Review, theme: Theme) -> None:
        recording = review.checked.recording
        self.wave.show_sound(recording.samples, recording.rate, theme)
        bars: dict[tuple[str, int], float] = {}
        for n in review.checked.report["notes"]:
            if n["heard"] is not None:
                bars.setdefault((n["bar"], n["pass"]), n["heard"]["on_s"])
        self.wave.bars = [(at, number) for (number, _unused), at in bars.items()]
        self.show_marks(review)
        self.set_clock(None, recording.duration)

    def show_marks(self, review: Review) -> None:
        self.wave.marks = [
            (a, b, s.finding["facet"], is_sure(s.finding["confidence"]))
            for s in review.shown
            for a, b in review.places(s.finding)
            if s.state != FindingState.DISMISSED and s.finding["kind"] not in WHOLE
        ]
        self.wave.update()

    def set_clock(self, at: float | None, total: float) -> None:
        def words(seconds: float) -> str:
            return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"

        self.clock.setText(
            _("{words} of {words2}").format(words=words(at), words2=words(total))
            if at is not None
            else words(total)
        )
