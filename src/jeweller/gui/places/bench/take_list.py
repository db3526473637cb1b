"""The takes of a tray as a list: who, what, the seven facets at a glance, how far it is."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPixmap
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES
from jeweller.documents.theme import LIGHT
from jeweller.gui.shell.style import STACKED_PT, font
from jeweller.gui.widgets.shapes import FacetShapes
from jeweller.i18n import _
from jeweller.library.summary import heard_bars
from jeweller.library.tray import TakeEntry

SHAPE, STEP = 18, 26  # pixels: a facet's shape, from one to the next
LINE_ROLE = Qt.ItemDataRole.UserRole
WORD_WIDTH = 96  # pixels for the state, at the usual size of text


def in_words(line: TakeEntry) -> str:
    """The same for who does not see it."""
    facets = line.take.summary.get("facets", {})
    wrong = [_(FACET_NAMES[f]).lower() for f, mark in facets.items() if mark is not None and mark < 1.0]
    unsure = line.take.summary.get("unsure", 0)
    told = (
        _("to mend in {wrong}").format(wrong=", ".join(wrong))
        if wrong
        else _("nothing to mend")
        if facets
        else line.take.sentence
    )
    words = [line.player, line.title, _(line.state), told]
    if unsure:
        words.append(_("{unsure} to listen to").format(unsure=unsure))
    return ", ".join(words)


class _Row(QStyledItemDelegate):
    def __init__(self, owner: TakeList) -> None:
        super().__init__(owner)
        self.owner = owner

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        lines = 6.0 if self.owner.points >= STACKED_PT else 4.4  # the shapes on a line of their own
        return QSize(200, round(self.owner.points * lines))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        line: TakeEntry = index.data(LINE_ROLE)
        theme, points = self.owner.theme, self.owner.points
        rect: QRect = option.rect  # type: ignore[attr-defined]
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if chosen:
            painter.fillRect(rect, QColor(theme.wash))
        painter.setPen(QColor(theme.faint))
        painter.drawLine(rect.left() + 8, rect.bottom(), rect.right() - 8, rect.bottom())
        words = round(WORD_WIDTH * points / 11.0)
        stacked = points >= STACKED_PT
        shapes = rect.left() + 12 if stacked else rect.right() - words - 12 - STEP * len(FACETS)
        shapes_top = rect.bottom() - SHAPE - 8 if stacked else rect.top() + (rect.height() - SHAPE) // 2
        half = round(2.2 * points)
        wide = rect.width() - words - 24 if stacked else shapes - rect.left() - 20
        name = QRect(rect.left() + 12, rect.top() + 4, wide, half)
        self._text(painter, name, line.player, theme.quiet if line.done else theme.ink, points, 600)
        under = line.take.sentence or " · ".join(filter(None, [line.title, line.take.part]))
        self._text(painter, name.translated(0, half - 5), under, theme.quiet, points - 1)
        facets = line.take.summary.get("facets", {})
        if facets:
            for k, facet in enumerate(FACETS):
                painter.drawPixmap(
                    shapes + k * STEP,
                    shapes_top,
                    self.owner.shape(facet, facets.get(facet)),
                )
        word = QRect(rect.right() - words, rect.top() + 4, words - 10, half)
        right = Qt.AlignmentFlag.AlignRight
        self._text(
            painter,
            word,
            self.owner.progress.get(line.take.id, _(line.state)),
            theme.ink if not line.done else theme.quiet,
            points,
            400,
            right,
        )
        self._text(
            painter, word.translated(0, half - 5), self._second(line), theme.quiet, points - 1, 400, right
        )
        painter.restore()

    @staticmethod
    def _second(line: TakeEntry) -> str:
        s = line.take.summary
        mark = s.get("typed") or (f"{s['mark']:g}" if s.get("mark") is not None else "")
        return " · ".join(filter(None, [mark, f"? {s['unsure']}" if s.get("unsure") else "", heard_bars(s)]))

    @staticmethod
    def _text(
        painter: QPainter,
        rect: QRect,
        text: str,
        colour: str,
        points: float,
        weight: int = 400,
        align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    ) -> None:
        painter.setFont(font(points, weight=weight))
        painter.setPen(QColor(colour))
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, rect.width())
        painter.drawText(rect, int(align | Qt.AlignmentFlag.AlignVCenter), elided)


class TakeList(QListWidget):
    """`picked` is emitted with the id of the take in hand; `opened` when it is to be looked at closely."""

    picked = Signal(int)
    opened = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(_("The takes of the tray"))
        self.setUniformItemSizes(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.theme, self.points = LIGHT, 11.0
        self.progress: dict[int, str] = {}  # of takes that are being checked
        self._shapes = FacetShapes()
        self.setItemDelegate(_Row(self))
        self.currentItemChanged.connect(
            lambda item, _unused: self.picked.emit(item.data(LINE_ROLE).take.id) if item is not None else None
        )
        self.itemActivated.connect(lambda item: self.opened.emit(item.data(LINE_ROLE).take.id))

    def shape(self, facet: str, mark: float | None) -> QPixmap:
        return self._shapes.of(facet, mark, self.theme, SHAPE)

    def show_lines(self, lines: list[TakeEntry], take: int | None) -> None:
        """Lists takes anew; `take` stays in hand."""
        self.blockSignals(True)
        self.clear()
        for line in lines:
            item = QListWidgetItem(self)
            item.setData(LINE_ROLE, line)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, in_words(line))
            if line.take.id == take:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def change(self, line: TakeEntry) -> None:
        """One take as it is now, where it stands in the list."""
        for k in range(self.count()):
            item = self.item(k)
            if item.data(LINE_ROLE).take.id == line.take.id:
                item.setData(LINE_ROLE, line)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, in_words(line))

    def order(self) -> list[int]:
        """The takes as they are listed."""
        return [self.item(k).data(LINE_ROLE).take.id for k in range(self.count())]

    def pick(self, take: int) -> None:
        """Takes another in hand."""
        order = self.order()
        if take in order:
            self.setCurrentRow(order.index(take))
