"""A part on paper without a take: engraved to the width there is, with lines under the notes and the notes of
a chosen trap washed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PySide6.QtWidgets import QScrollArea, QWidget

from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.note_words import part_words
from jeweller.documents.parts import instrument_of
from jeweller.documents.text_lines import TextLineSettings, draw_text_above, draw_text_below, rows_height
from jeweller.documents.theme import Theme
from jeweller.gui.places.loupe.paper import DEFAULT_ZOOM
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.readable import ReadablePart
from jeweller.gui.widgets.shapes import drawn_image
from jeweller.i18n import _
from jeweller.notation.model import Part

RING = 21.0  # page units: the wash behind a notehead
REACH = 26.0  # page units around a notehead in which it is meant
FOOT = 40.0


@dataclass(frozen=True, kw_only=True)
class Layout:
    """What an engraving is made from: a part, the width and the room under its systems in page units, and how
    many bars stand in a line.
    """

    part: Part
    units: float
    room: float
    bars_per_line: int

    def engrave(self) -> Engraving:
        return engrave(
            self.part,
            self.units,
            rails=False,
            room=self.room,
            bars_per_line=self.bars_per_line,
            block_rests=True,
        )


@dataclass(frozen=True, kw_only=True)
class Look:
    """What a sheet looks like: its layout, the width in pixels, and what is drawn on it."""

    layout: Layout
    theme: Theme
    under: TextLineSettings
    washed: frozenset[str]
    pencilled: tuple[tuple[str, str], ...]
    width: int
    ratio: float  # physical pixels in a logical one

    def draw(self, engraving: Engraving) -> QImage:
        """The sheet as a picture; may be called in any thread."""
        part, instrument = self.layout.part, instrument_of(self.layout.part)
        over = draw_text_below(engraving, part, self.under, instrument, self.theme)
        over += draw_text_above(engraving, dict(self.pencilled), self.theme.brass)
        boxes = [engraving.notes[n] for n in self.washed if n in engraving.notes]
        wash = "".join(
            f'<circle cx="{b.x:.1f}" cy="{b.y:.1f}" r="{RING}" fill="{self.theme.wash}" stroke="none"/>'
            for b in boxes
        )
        svg = engraving.svg(self.theme, over, under=wash, height=self._units(engraving))
        return drawn_image(svg, self.width, self.height(engraving), self.ratio)

    def engrave(self) -> tuple[Engraving, QImage]:
        """Engraved, and drawn."""
        engraving = self.layout.engrave()
        return engraving, self.draw(engraving)

    def _units(self, engraving: Engraving) -> float:
        return engraving.systems[-1].lowest + self.layout.room + FOOT

    def height(self, engraving: Engraving) -> float:
        """In pixels."""
        return self._units(engraving) * self.width / engraving.width


class PartPaper(QWidget):
    """One part. `show_part(None, …)` shows an empty sheet with a sentence. `bar_chosen` is emitted with the
    index of a bar that was clicked, `note_chosen` with the id of a note that was double-clicked, `engraved`
    when a part that was not shown before stands on the sheet.
    """

    bar_chosen = Signal(int)
    engraved = Signal()
    note_chosen = Signal(str)

    def __init__(self, jobs: Jobs, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(_("The part"))
        self.part: Part | None = None
        self.theme: Theme | None = None
        self.under = TextLineSettings()
        self.zoom = DEFAULT_ZOOM
        self.engraving: Engraving | None = None
        self.washed: frozenset[str] = frozenset()
        self.pencilled: dict[str, str] = {}
        self.words = ""
        self.bars_per_line = 0
        self.points = 11.0
        self._pixmap: QPixmap | None = None
        self.jobs = jobs
        self._wanted: Look | None = None  # what is to be shown, and what is
        self._shown: Look | None = None
        self._said: tuple[ReadablePart, ...] | None = None  # until it is drawn anew

    def show_part(
        self,
        part: Part | None,
        theme: Theme,
        under: TextLineSettings,
        words: str = "",
        bars_per_line: int = 0,
    ) -> None:
        self.part, self.theme, self.under = part, theme, under
        self.words, self.bars_per_line = words if part is None else "", bars_per_line
        self.engraving = self._said = None
        self.washed, self.pencilled = frozenset(), {}
        self.draw()

    def mark(self, notes: frozenset[str], pencilled: dict[str, str]) -> None:
        """Washes some notes; writes a numeral above others, as with a pencil."""
        self.washed, self.pencilled = notes, pencilled
        self.draw()

    def draw(self) -> None:
        """Engraves for the width there is, if that changed, and draws. What was shown stays until then."""
        if self.part is None or self.theme is None or self.width() < 50:
            self._wanted = self._pixmap = None
            self.setMinimumHeight(200)
            self.update()
            return
        self._wanted = Look(
            layout=Layout(
                part=self.part,
                units=max(600.0, round(self.width() / self.zoom / 20) * 20.0),
                room=rows_height(self.under, instrument_of(self.part)),
                bars_per_line=self.bars_per_line,
            ),
            theme=self.theme,
            under=self.under,
            washed=self.washed,
            pencilled=tuple(self.pencilled.items()),
            width=self.width(),
            ratio=self.devicePixelRatioF(),
        )
        if (
            self.engraving is not None
            and self._shown is not None
            and self._wanted.layout == self._shown.layout
        ):
            self._show(self._wanted, self.engraving, self._wanted.draw(self.engraving))
        elif not self.jobs.running("sheet engraved"):
            self._engrave(self._wanted)

    def _engrave(self, look: Look) -> None:
        """One at a time: who types or drags faster than it can be engraved is shown the last."""
        job = self.jobs.threaded("sheet engraved", look.engrave)
        job.done.connect(partial(self._engraved, look))
        job.failed.connect(partial(self._refused, look))

    def _engraved(self, look: Look, made: tuple[Engraving, QImage]) -> None:
        if self._wanted is None or look.layout != self._wanted.layout:
            self.draw()
            return
        self.engraving, image = made
        self._show(look, self.engraving, image)
        if look != self._wanted:  # other notes were marked meanwhile
            self.draw()
        self.engraved.emit()

    def _refused(self, look: Look, sentence: str) -> None:
        if self._wanted is None or look.layout != self._wanted.layout:
            self.draw()
        else:
            self._pixmap, self.words = None, sentence
            self.update()

    def _show(self, look: Look, engraving: Engraving, image: QImage) -> None:
        self._shown, self._said = look, None
        self.setMinimumHeight(int(look.height(engraving)) + 1)
        self._pixmap = QPixmap.fromImage(image)
        self.update()

    def top_of(self, note: str) -> int | None:
        """Pixels from the top to the system a note stands in."""
        if self.engraving is None or note not in self.engraving.notes:
            return None
        system = self.engraving.systems[self.engraving.notes[note].system]
        return int(system.highest * self.width() / self.engraving.width)

    def bar_at(self, x: float, y: float) -> int | None:
        """The index of the bar at a place in pixels."""
        if self.engraving is None or not self.width():
            return None
        px, py = x * self.engraving.width / self.width(), y * self.engraving.width / self.width()
        systems = self.engraving.systems
        near = min(range(len(systems)), key=lambda k: abs((systems[k].top + systems[k].bottom) / 2 - py))
        return next(
            (b.index for b in self.engraving.bars if b.system == near and b.left <= px <= b.right), None
        )

    def note_at(self, x: float, y: float) -> str | None:
        """The id of the note at a place in pixels."""
        if self.engraving is None or not self.width():
            return None
        px, py = x * self.engraving.width / self.width(), y * self.engraving.width / self.width()
        near = {i: (b.x - px) ** 2 + (b.y - py) ** 2 for i, b in self.engraving.notes.items()}
        best = min(near, key=near.__getitem__, default=None)
        return best if best is not None and near[best] < REACH**2 else None

    # ---- for those who have it read to them

    def readable_parts(self) -> Sequence[ReadablePart]:
        """Every note and rest, as they stand on the page."""
        part, engraving = self.part, self.engraving
        if part is None or engraving is None:
            return ()
        if self._said is None:
            self._said = tuple(ReadablePart(n, w, self._place(n)) for n, w in part_words(part))
        return self._said

    def readable_choice(self) -> str:
        return ""

    def _place(self, note: str) -> QRect:
        box = self.engraving.notes.get(note) if self.engraving is not None else None
        if box is None or self.engraving is None:
            return QRect()
        scale = self.width() / self.engraving.width
        at = QRectF(box.x - RING, box.y - RING, 2 * RING, 2 * RING)
        return QRectF(at.x() * scale, at.y() * scale, at.width() * scale, at.height() * scale).toRect()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        note = self.note_at(event.position().x(), event.position().y())
        if note is not None:
            self.note_chosen.emit(note)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        bar = (
            self.bar_at(event.position().x(), event.position().y())
            if event.button() == Qt.MouseButton.LeftButton
            else None
        )
        if bar is not None:
            self.bar_chosen.emit(bar)

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().width() != event.size().width():
            self.draw()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self.theme is None:
            return
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self._pixmap is not None:
            painter.drawPixmap(0, 0, self._pixmap)
        elif self.words:
            painter.setPen(QColor(self.theme.quiet))
            painter.setFont(font(self.points))
            painter.drawText(
                self.rect().adjusted(32, 32, -32, -32),
                int(Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap),
                self.words,
            )
        painter.end()


class PartView(QScrollArea):
    """The paper in a scrolled area."""

    def __init__(self, jobs: Jobs, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.paper = PartPaper(jobs)
        self.setAccessibleName(_("The sheet"))
        self.paper.engraved.connect(self._scroll)
        self._brought = ""
        self.setWidget(self.paper)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def bring(self, note: str) -> None:
        """Scrolls to a note's system, once it is engraved."""
        self._brought = note
        self._scroll()

    def _scroll(self) -> None:
        top = self.paper.top_of(self._brought)
        if top is not None:
            self._brought = ""
            self.verticalScrollBar().setValue(max(0, top - 40))
