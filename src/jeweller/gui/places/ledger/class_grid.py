"""The class picture: a row a player, a column a bar, a facet's shape only where something went wrong: a clean
class is an empty page.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import QBuffer, QByteArray, QEvent, QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from jeweller.documents.theme import LIGHT, Theme, shape_svg
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.readable import ReadablePart, tell_choice
from jeweller.gui.widgets.shapes import svg_pixmap
from jeweller.i18n import _
from jeweller.library.class_view import ClassView, PlayerRow

ROW, HEAD, SECTION = 30, 34, 26  # pixels at the usual size of text
NAMES, COLUMN_LEAST, COLUMN_MOST = 168, 26, 58
SHAPE = 16


def _named(bar: str) -> str:
    return _("bar {bar}").format(bar=bar) if bar != "0" else _("the pickup")


class ClassGrid(QWidget):
    """`chosen` is emitted with a take and the key of a finding."""

    chosen = Signal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.points = 11.0
        self.view: ClassView | None = None
        self.at: tuple[int, int] | None = None  # row and bar under the keys
        # a bar as it stands in somebody's part
        self.engraved: Callable[[PlayerRow, str], QPixmap | None] = lambda row, bar: None
        self._shapes: dict[tuple[str, str, int], QPixmap] = {}
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def show_view(self, view: ClassView | None, theme: Theme, points: float) -> None:
        self.view, self.theme, self.points = view, theme, points
        self.at = None
        if view is not None:
            wrong = sum(bool(r.cells) for r in view.rows)
            self.setAccessibleName(
                _("{title}: {players} players, {bars} bars; something went wrong for {wrong}").format(
                    title=view.title, players=len(view.rows), bars=len(view.bars), wrong=wrong
                )
            )
        self.updateGeometry()
        self.setMinimumSize(self.sizeHint())
        self.update()

    # ---- places

    def _px(self, pixels: int) -> int:
        return round(pixels * self.points / 11.0)

    def column(self) -> int:
        """How wide a bar is."""
        bars = len(self.view.bars) if self.view is not None else 1
        return max(
            self._px(COLUMN_LEAST),
            min(self._px(COLUMN_MOST), (self.width() - self._px(NAMES)) // max(1, bars)),
        )

    def sizeHint(self) -> QSize:
        if self.view is None:
            return QSize(400, 200)
        sections = len({r.section for r in self.view.rows})
        height = self._px(HEAD) + self._px(ROW) * len(self.view.rows) + self._px(SECTION) * sections + 8
        return QSize(self._px(NAMES) + self._px(COLUMN_LEAST) * len(self.view.bars), height)

    def tops(self) -> list[tuple[int, PlayerRow, bool]]:
        """(top, row, whether its section begins there) of every player."""
        out = []
        y, section = self._px(HEAD), ""
        for row in self.view.rows if self.view is not None else ():
            first = row.section != section
            y += self._px(SECTION) if first else 0
            out.append((y, row, first))
            section = row.section
            y += self._px(ROW)
        return out

    def cell_at(self, point: QPoint) -> tuple[int, int] | None:
        """Row and bar at a place in pixels."""
        x = point.x() - self._px(NAMES)
        if self.view is None or x < 0 or x >= self.column() * len(self.view.bars):
            return None
        row = next(
            (k for k, (top, *_unused) in enumerate(self.tops()) if top <= point.y() < top + self._px(ROW)),
            None,
        )
        return (row, x // self.column()) if row is not None else None

    def bar_at(self, point: QPoint) -> int | None:
        """The bar whose number is at a place in pixels."""
        x = point.x() - self._px(NAMES)
        if (
            self.view is None
            or not 0 <= point.y() < self._px(HEAD)
            or not 0 <= x < self.column() * len(self.view.bars)
        ):
            return None
        return x // self.column()

    def shown_bar(self, bar: int) -> str:
        """What rests under a bar's number: the bar itself, in the part of the player who is chosen, else the
        first.
        """
        if self.view is None:
            return ""
        number = self.view.bars[bar]
        row = self.view.rows[self.at[0] if self.at is not None else 0]
        words = f"{_named(number)} · {row.instrument}"
        picture = self.engraved(row, number)
        if picture is None:
            return words
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        picture.save(buffer, "PNG")
        size = picture.deviceIndependentSize().toSize()
        image = bytes(data.toBase64().data()).decode()
        return (
            f'<img src="data:image/png;base64,{image}" width="{size.width()}" '
            f'height="{size.height()}"><br>{escape(words)}'
        )

    def centre(self, row: int, bar: int) -> QPoint:
        """The middle of a cell."""
        return QPoint(
            self._px(NAMES) + self.column() * bar + self.column() // 2,
            self.tops()[row][0] + self._px(ROW) // 2,
        )

    def told(self, row: int, bar: int) -> str:
        """What a cell says in words."""
        if self.view is None:
            return ""
        line, number = self.view.rows[row], self.view.bars[bar]
        cells = line.cells.get(number, ())
        if not cells:
            message = _("{player}, {bar}: clean") if number in line.heard else _("{player}, {bar}: not heard")
            return message.format(player=line.player, bar=_named(number))
        return "\n".join((line.player, *(c.text for c in cells)))

    # ---- for those who have it read to them

    def readable_parts(self) -> Sequence[ReadablePart]:
        """Every cell, player by player."""
        if self.view is None:
            return ()
        size = QSize(self.column(), self._px(ROW))
        return [
            ReadablePart(f"{row} {bar}", self.told(row, bar), QRect(self._corner(row, bar), size))
            for row in range(len(self.view.rows))
            for bar in range(len(self.view.bars))
        ]

    def readable_choice(self) -> str:
        return f"{self.at[0]} {self.at[1]}" if self.at is not None else ""

    def _corner(self, row: int, bar: int) -> QPoint:
        return self.centre(row, bar) - QPoint(self.column() // 2, self._px(ROW) // 2)

    # ---- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.paper))
        if self.view is None:
            painter.end()
            return
        names, column, bars = self._px(NAMES), self.column(), self.view.bars
        right = names + column * len(bars)
        painter.setFont(font(self.points - 1))
        painter.setPen(QColor(self.theme.quiet))
        every = 1 if column >= self._px(30) else 2
        for k, number in enumerate(bars):
            if k % every == 0:
                words = _("pickup") if number == "0" else number
                painter.drawText(
                    QRect(names + column * k, 0, column * every, self._px(HEAD)),
                    int(Qt.AlignmentFlag.AlignCenter),
                    words,
                )
        tops = self.tops()
        for index, (top, row, first) in enumerate(tops):
            if first:
                painter.setFont(font(self.points - 1, weight=600))
                painter.setPen(QColor(self.theme.quiet))
                painter.drawText(
                    QRect(12, top - self._px(SECTION), right, self._px(SECTION)),
                    int(Qt.AlignmentFlag.AlignVCenter),
                    _(row.section),
                )
            painter.setPen(QColor(self.theme.faint))
            painter.drawLine(12, top, right, top)
            painter.setFont(font(self.points))
            painter.setPen(QColor(self.theme.ink))
            name = painter.fontMetrics().elidedText(row.player, Qt.TextElideMode.ElideRight, names - 24)
            painter.drawText(
                QRect(12, top, names - 16, self._px(ROW)), int(Qt.AlignmentFlag.AlignVCenter), name
            )
            for k, number in enumerate(bars):
                if self.at == (index, k):
                    painter.fillRect(
                        QRect(names + column * k, top + 1, column, self._px(ROW) - 1), QColor(self.theme.wash)
                    )
                centre = QPoint(names + column * k + column // 2, top + self._px(ROW) // 2)
                if number not in row.heard:
                    painter.setPen(QColor(self.theme.faint))
                    painter.drawLine(centre.x() - 3, centre.y(), centre.x() + 3, centre.y())
                facets = list(dict.fromkeys(c.facet for c in row.cells.get(number, ())))[:2]
                for n, facet in enumerate(facets):
                    size = SHAPE if len(facets) == 1 else SHAPE - 4
                    x = centre.x() - size // 2 + (n * (size - 2) - (size - 2) // 2 if len(facets) > 1 else 0)
                    painter.drawPixmap(x, centre.y() - size // 2, self._shape(facet, size))
        painter.end()

    def _shape(self, facet: str, size: int) -> QPixmap:
        key = (self.theme.name, facet, size)
        if key not in self._shapes:
            self._shapes[key] = svg_pixmap(
                shape_svg(facet, 0, 0, 19, self.theme.facets[facet]), size, self.devicePixelRatioF()
            )
        return self._shapes[key]

    # ---- choosing

    def _choose(self, at: tuple[int, int] | None) -> None:
        if at is None or self.view is None:
            return
        self.at = at
        self.update()
        row = self.view.rows[at[0]]
        cells = row.cells.get(self.view.bars[at[1]], ())
        if cells:
            self.chosen.emit(cells[0].take, cells[0].key)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(self.cell_at(event.position().toPoint()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }.get(Qt.Key(event.key()))
        if self.view is None or not self.view.rows:
            return
        if step is not None:
            row, bar = self.at or (0, -1)
            self.at = (
                max(0, min(len(self.view.rows) - 1, row + step[0])),
                max(0, min(len(self.view.bars) - 1, bar + step[1])),
            )
            self.setAccessibleDescription(self.told(*self.at))
            tell_choice(self)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._choose(self.at)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            bar = self.bar_at(event.pos())
            if bar is not None and self.view is not None and self.view.rows:
                QToolTip.showText(event.globalPos(), self.shown_bar(bar), self)
                return True
            at = self.cell_at(event.pos())
            if at is not None:
                QToolTip.showText(event.globalPos(), self.told(*at), self)
                return True
        return super().event(event)
