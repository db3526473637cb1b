"""A row of widgets that goes on in a next line where the width ends: longer languages and larger text cut no
word short.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QSpacerItem, QWidget


class FlowRow(QLayout):
    """Widgets from left to right, each in its preferred size; what a line has to spare goes to its stretch or
    to the widgets that expand.
    """

    def __init__(self, parent: QWidget | None = None, spacing: int = 8) -> None:
        super().__init__(parent)  # type: ignore[arg-type]  # None is taken; the stubs forget it
        self.items: list[QLayoutItem] = []
        # by width, until a widget changes: Qt asks a hundred times over for each picture
        self._known: dict[int, list[list[QLayoutItem]]] = {}
        self._heights: dict[int, int] = {}
        self.setSpacing(spacing)
        self.setContentsMargins(0, 0, 0, 0)

    def insertWidget(self, index: int, widget: QWidget) -> None:  # as Qt's rows call it
        """A widget before the `index`-th that is there."""
        self.addWidget(widget)
        self.items.insert(index, self.items.pop())
        self.invalidate()

    def addStretch(self) -> None:  # as Qt's rows call it
        """What comes after it stands at the right."""
        self.addItem(QSpacerItem(0, 0, QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum))

    def addItem(self, item: QLayoutItem) -> None:
        self.items.append(item)
        self.invalidate()

    def invalidate(self) -> None:
        """A widget was shown, hidden, or has other words."""
        self._known, self._heights = {}, {}
        super().invalidate()

    def count(self) -> int:
        return len(self.items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        return self.items[index] if 0 <= index < len(self.items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]
        self._known, self._heights = {}, {}
        return self.items.pop(index) if 0 <= index < len(self.items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            lines = self._lines(width)
            gaps = self.spacing() * max(0, len(lines) - 1)
            self._heights[width] = sum(_height(line) for line in lines) + gaps
        return self._heights[width]

    def sizeHint(self) -> QSize:
        shown = self._shown()
        width = sum(i.sizeHint().width() for i in shown) + self.spacing() * max(0, len(shown) - 1)
        return QSize(width, _height(shown))

    def minimumSize(self) -> QSize:
        shown = self._shown()
        return QSize(max((i.minimumSize().width() for i in shown), default=0), _height(shown))

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        y = rect.y()
        for line in self._lines(rect.width()):
            height, x = _height(line), rect.x()
            widths = self._widths(line, rect.width())
            for item, width in zip(line, widths, strict=True):
                tall = min(height, item.sizeHint().height())
                item.setGeometry(QRect(QPoint(x, y + (height - tall) // 2), QSize(width, tall)))
                x += width + (0 if _stretches(item) else self.spacing())
            y += height + self.spacing()

    def _shown(self) -> list[QLayoutItem]:
        return [i for i in self.items if i.widget() is not None and not i.isEmpty()]

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        if width not in self._known:
            self._known[width] = self._laid_out(width)
        return self._known[width]

    def _laid_out(self, width: int) -> list[list[QLayoutItem]]:
        lines: list[list[QLayoutItem]] = [[]]
        used = 0
        for item in self.items:
            if not _stretches(item):
                if item.isEmpty():
                    continue
                wanted = item.sizeHint().width()
                if used and used + wanted > width:
                    lines.append([])
                    used = 0
                used += wanted + self.spacing()
            lines[-1].append(item)
        return [line for line in lines if any(not _stretches(i) for i in line)]

    def _widths(self, line: list[QLayoutItem], width: int) -> list[int]:
        wanted = [0 if _stretches(i) else min(width, i.sizeHint().width()) for i in line]
        gaps = self.spacing() * (sum(not _stretches(i) for i in line) - 1)
        spare = max(0, width - sum(wanted) - gaps)
        growing = [i.expandingDirections() & Qt.Orientation.Horizontal for i in line]
        share, rest = divmod(spare, max(1, sum(map(bool, growing))))
        for k, grows in enumerate(growing):
            if grows:
                wanted[k] += share + rest
                rest = 0
        return wanted


def _stretches(item: QLayoutItem) -> bool:
    return item.spacerItem() is not None


def _height(line: list[QLayoutItem]) -> int:
    return max((i.sizeHint().height() for i in line if not _stretches(i)), default=0)
