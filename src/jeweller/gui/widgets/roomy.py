"""Dialogs that fit the screen, however large their text is."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QDialog,
    QDialogButtonBox,
    QFrame,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from jeweller.gui.shell.style import BASE_PT, STACKED_PT

SHARE = 0.94  # of the screen at most
BAR = 12  # pixels that a scroll bar takes


class RoomyDialog(QDialog):
    """`column` takes what stands in it, `finish` its buttons. As large as its content; what of that does not
    fit the screen is scrolled, the buttons stay.
    """

    def __init__(self, parent: QWidget | None, title: str, spacing: int = 12) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._outer = QVBoxLayout(self)
        self._outer.setContentsMargins(0, 0, 0, 16)
        self._buttons = QDialogButtonBox()
        self._inside, area = QWidget(), QScrollArea()
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidgetResizable(True)
        area.setWidget(self._inside)
        area.setAccessibleName(title)
        self._outer.addWidget(area)
        self.column = QVBoxLayout(self._inside)
        self.column.setContentsMargins(24, 20, 24, 0)
        self.column.setSpacing(spacing)

    def finish(self, buttons: QDialogButtonBox) -> None:
        """What ends it."""
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        buttons.setContentsMargins(24, 0, 24, 0)
        self._outer.addWidget(buttons)
        self._buttons = buttons

    @property
    def one_below_the_other(self) -> bool:
        """Whether the text is so large that what stands side by side should not."""
        return self.font().pointSizeF() >= STACKED_PT

    def beside(self) -> QBoxLayout:
        """A row of parts, or a column of them where the text is large."""
        ways = QBoxLayout.Direction
        return QBoxLayout(ways.TopToBottom if self.one_below_the_other else ways.LeftToRight)

    def sizeHint(self) -> QSize:
        content, last = self._inside.sizeHint(), self._buttons.sizeHint()
        return on_screen(self, content.width() + BAR, content.height() + last.height() + BAR + 20)

    def showEvent(self, event: QShowEvent) -> None:
        if not event.spontaneous():
            self.resize(self.sizeHint())  # Qt would take two thirds of the screen at most
        super().showEvent(event)


def on_screen(widget: QWidget, width: int, height: int) -> QSize:
    """A size, as far as the screen has it."""
    screen = widget.screen().availableSize()
    return QSize(round(screen.width() * SHARE), round(screen.height() * SHARE)).boundedTo(
        QSize(width, height)
    )


def resize_by_text(dialog: QDialog, width: int, height: int) -> None:
    """A size that is right for text of the usual size, as much larger as the text is."""
    larger = dialog.font().pointSizeF() / BASE_PT
    dialog.resize(on_screen(dialog, round(width * larger), round(height * larger)))
