"""Words at the top of the window that give way where there is no room: shortened in the middle, whole in the
tip that comes under the mouse.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QPushButton, QStyle, QStyleOptionButton, QStylePainter, QToolTip

LEAST = 8  # characters that stay


class ElidedLabel(QLabel):
    """One line."""

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        words = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft), words)
        painter.end()


class ElidedButton(QPushButton):
    """A word that is a control."""

    def minimumSizeHint(self) -> QSize:
        whole = super().sizeHint()
        least = self.fontMetrics().horizontalAdvance("n") * LEAST
        return QSize(min(whole.width(), least), whole.height())

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and self.width() < self.sizeHint().width():
            QToolTip.showText(event.globalPos(), self.text(), self)
            return True
        return super().event(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QStylePainter(self)
        option = QStyleOptionButton()
        self.initStyleOption(option)
        inside = self.style().subElementRect(QStyle.SubElement.SE_PushButtonContents, option, self)
        option.text = self.fontMetrics().elidedText(  # type: ignore[attr-defined]
            self.text(), Qt.TextElideMode.ElideMiddle, inside.width()
        )
        painter.drawControl(QStyle.ControlElement.CE_PushButton, option)
        painter.end()
