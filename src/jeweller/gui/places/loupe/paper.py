"""The paper: the engraved part with its marks, reflowing with its width; choosing with the mouse; the cursor
and the heard pitch as a line on the staff.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from jeweller.decisions.standing import FindingState
from jeweller.documents.annotations import draw_marks, staff_place
from jeweller.documents.mark_canvas import Hit, Ruler, View
from jeweller.documents.note_words import note_words
from jeweller.documents.theme import Theme
from jeweller.gui.widgets.readable import ReadablePart
from jeweller.gui.widgets.shapes import drawn
from jeweller.i18n import _
from jeweller.report_format import ReportFinding

if TYPE_CHECKING:
    from jeweller.documents.engraving import Engraving
    from jeweller.pipeline.review import Review

DEFAULT_ZOOM = 0.62  # pixels per page unit: a staff 45 pixels high
ZOOMS = (0.4, 0.5, 0.62, 0.75, 0.9, 1.1, 1.35, 1.7)
CURSOR_WIDTH = 2.0


class Paper(QWidget):
    """`chosen(kind, key)` is emitted when a finding's mark or a note is clicked; ("", "") for empty paper."""

    chosen = Signal(str, str)
    heard = Signal(str)  # double click on a note: play from there

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName(_("The marked part"))
        self.zoom = DEFAULT_ZOOM
        self.review: Review | None = None
        self.theme: Theme | None = None
        self.view = View()
        self.engraving: Engraving | None = None
        self.ruler: Ruler | None = None
        self.show_pitch = False
        self._base: QPixmap | None = None
        self._over: QPixmap | None = None
        self._under: QPixmap | None = None
        self.hits: list[Hit] = []
        self.lines: list[
            tuple[QPointF, float]
        ] = []  # hair lines from marks to margin notes: (from, y at the right edge)
        self._cursor: tuple[float, int] | None = None
        self._pitch: list[QPainterPath] = []
        self._said: tuple[ReadablePart, ...] | None = None  # until the marks are drawn anew

    # ---- content

    def show_review(self, review: Review | None, theme: Theme) -> None:
        self.review, self.theme = review, theme
        self._cursor = None
        self.engraving = self.ruler = None

    def show_engraving(self, engraving: Engraving, zoom: float) -> None:
        """The part engraved anew: for another width, another zoom, another review."""
        if self.review is None:
            return
        self.engraving, self.zoom = engraving, zoom
        self.ruler = Ruler(engraving, self.review.checked.line)
        self.redraw()

    def redraw(self) -> None:
        """Draws part and marks anew, as they are engraved: in other colours, or at another width."""
        if self.review is None or self.theme is None or self.engraving is None:
            self.hits = []
            return
        self._base = self._render(self.engraving.svg(self.theme))
        self.setFixedHeight(int(self.engraving.height * self.scale) + 1)
        self.remark()

    @property
    def scale(self) -> float:
        """Pixels per page unit."""
        return self.width() / self.engraving.width if self.engraving is not None else self.zoom

    def remark(self) -> None:
        """Draws the marks anew: after a decision, another choice, another filter."""
        self._said = None
        if self.review is None or self.engraving is None or self.theme is None:
            return
        shown = [s.finding for s in self.review.shown if s.state != FindingState.DISMISSED]
        overlay = draw_marks(
            self.engraving, self.review.checked.line, self.review.report, self.theme, self.view, shown
        )
        self.hits = overlay.hits
        self._over = self._render(self.engraving.layer(overlay.svg))
        self._under = self._render(self.engraving.layer(overlay.under)) if overlay.under else None
        if self.show_pitch:
            self._trace_pitch()
        self.update()

    def _render(self, svg: str) -> QPixmap:
        height = self.engraving.height if self.engraving is not None else 0.0
        return drawn(svg, self.width(), height * self.scale, self.devicePixelRatioF())

    def set_pitch(self, on: bool) -> None:
        self.show_pitch = on
        if on:
            self._trace_pitch()
        self.update()

    def _trace_pitch(self) -> None:
        """The heard pitch beside each note, on that note's staff, in the pass that is shown."""
        self._pitch = []
        review, engraving, ruler = self.review, self.engraving, self.ruler
        if review is None or engraving is None or ruler is None:
            return
        features, line = review.checked.features, review.checked.line
        onsets = {n.id: float(n.onset) for n in line.notes}
        heard = [
            (n, h)
            for n in review.report["notes"]
            if (h := n["heard"]) is not None and n["pass"] == self.view.passing and not n["grace"]
        ]
        if line.part.percussion:
            return  # strokes have no pitch to show
        for (n, sounded), after in zip(heard, [*heard[1:], None], strict=True):
            on, off = sounded["on_s"], sounded["off_s"]
            length_q = (
                n["duration_q"] if after is None else max(onsets[after[0]["id"]] - onsets[n["id"]], 0.05)
            )
            end = after[1]["on_s"] if after is not None and after[1]["on_s"] > on else off
            a, b = round(on / features.step_s), round(off / features.step_s)
            path = QPainterPath()
            started = False
            for k in range(a, min(b, len(features.f0))):
                midi = float(features.f0[k])
                if math.isnan(midi):
                    continue
                midi -= 12 * round((midi - sounded["midi"]) / 12) if sounded["midi"] is not None else 0
                if abs(midi - (n["sounding_midi"] or midi)) > 14:
                    continue
                x, system = ruler.at(
                    onsets[n["id"]] + length_q * (k * features.step_s - on) / max(end - on, 0.05)
                )
                y = staff_place(engraving, line, review.report, n, midi)
                if system != engraving.notes[n["score_id"]].system:
                    break
                point = QPointF(x * self.scale, y * self.scale)
                if started:
                    path.lineTo(point)
                else:
                    path.moveTo(point)
                    started = True
            if started:
                self._pitch.append(path)

    # ---- for those who have it read to them

    def readable_parts(self) -> Sequence[ReadablePart]:
        """Every note of the part as it was played, with what is said of it."""
        if self.review is None or self.engraving is None:
            return ()
        if self._said is None:
            self._said = self._say(self.review)
        return self._said

    def readable_choice(self) -> str:
        return self.view.chosen or ""

    def _say(self, review: Review) -> tuple[ReadablePart, ...]:
        line = review.checked.line
        beats = {n.id: line.beat_in_bar(n.bar_index, n.offset) for n in line.notes}
        findings = [s.finding for s in review.shown if s.state != FindingState.DISMISSED]
        places = {h.key: h for h in self.hits if h.kind == "note"}
        parts = []
        for note in review.report["notes"]:
            hit = places.get(note["id"])
            place = QRect()
            if hit is not None:
                half = hit.radius * self.scale
                place = QRectF(
                    hit.x * self.scale - half, hit.y * self.scale - half, 2 * half, 2 * half
                ).toRect()
            parts.append(ReadablePart(note["id"], note_words(note, beats[note["id"]], findings), place))
        return tuple(parts)

    # ---- the cursor

    def set_cursor_quarters(self, quarters: float | None) -> QRectF | None:
        """Shows where playing is (quarters in the line); returns its place in pixels, None when there is
        none.
        """
        self._cursor = self.ruler.at(quarters) if quarters is not None and self.ruler is not None else None
        self.update()
        if self._cursor is None or self.engraving is None:
            return None
        x, index = self._cursor
        system = self.engraving.systems[index]
        return QRectF(
            x * self.scale, system.highest * self.scale, 2, (system.rail + 70 - system.highest) * self.scale
        )

    def place_of(self, key: str) -> QPointF | None:
        """Pixels of the first mark of a finding, or of a note."""
        hit = next((h for h in self.hits if h.key == key), None)
        return QPointF(hit.x * self.scale, hit.y * self.scale) if hit is not None else None

    def system_top(self, key: str) -> float | None:
        point = self.place_of(key)
        if point is None or self.engraving is None:
            return None
        tops = [s.highest * self.scale for s in self.engraving.systems]
        return tops[max(0, bisect.bisect_right([t - 40 for t in tops], point.y()) - 1)]

    # ---- events

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.theme is None:
            return
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        for layer in (self._under, self._base, self._over):
            if layer is not None and self.review is not None:
                painter.drawPixmap(0, 0, layer)
        pen = QPen(QColor(self.theme.faint), 1.0)
        painter.setPen(pen)
        for start, y in self.lines:
            painter.drawLine(start, QPointF(self.width(), y))
        if self.show_pitch:
            painter.setPen(
                QPen(QColor(self.theme.facets["sound"]), 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
            )
            for path in self._pitch:
                painter.drawPath(path)
        if self._cursor is not None and self.engraving is not None:
            x, index = self._cursor
            system = self.engraving.systems[index]
            painter.setPen(QPen(QColor(self.theme.brass), CURSOR_WIDTH))
            painter.drawLine(
                QPointF(x * self.scale, (system.top - 40) * self.scale),
                QPointF(x * self.scale, (system.rail + 58) * self.scale),
            )
        painter.end()

    def hit_at(self, position: QPointF) -> Hit | None:
        x, y = position.x() / self.scale, position.y() / self.scale
        near = [
            (((h.x - x) ** 2 + (h.y - y) ** 2) ** 0.5 - (6 if h.kind == "finding" else 0), h)
            for h in self.hits
            if abs(h.x - x) <= h.radius + 6 and abs(h.y - y) <= h.radius + 8
        ]
        return min(near, key=lambda p: p[0])[1] if near else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.engraving is not None:
            hit = self.hit_at(event.position())
            self.chosen.emit(hit.kind if hit else "", hit.key if hit else "")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        hit = self.hit_at(event.position()) if self.engraving is not None else None
        if hit is not None:
            self.heard.emit(hit.key)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.engraving is not None and self.hit_at(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def finding_of_note(self, note_id: str) -> ReportFinding | None:
        if self.review is None:
            return None
        return next(
            (
                s.finding
                for s in self.review.shown
                if note_id in s.finding["notes"] and s.state != FindingState.DISMISSED
            ),
            None,
        )
