"""Where the places stand: one is shown, and scrolled where large text needs more height than there is."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QStackedWidget

NEEDED = 600  # pixels of height that a place has at the usual size of text, for what stands in it


class RoomStack(QStackedWidget):
    """`text_size` in percent: above 100 a place is as high as its text asks for, whatever the window is."""

    def __init__(self) -> None:
        super().__init__()
        self._text_size = 100
        self.currentChanged.connect(lambda _unused: self.updateGeometry())

    def scrolled(self) -> QScrollArea:
        """Itself in an area that scrolls."""
        area = QScrollArea()
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the places have the keys
        area.setWidget(self)
        return area

    def set_text_size(self, percent: int) -> None:
        self._text_size = percent
        self.updateGeometry()

    def heightForWidth(self, _width: int) -> int:
        """Not what the place would like best: it fits the window, and its lists scroll by themselves."""
        return self.minimumSizeHint().height()

    def minimumSizeHint(self) -> QSize:
        """That of the place which is shown: another one, which asks for more, is not there to be seen."""
        shown = self.currentWidget()
        if shown is None or self._text_size == 100:
            return QSize()  # what stands there gives way
        least = shown.minimumSizeHint()
        needed = getattr(shown, "needed_height", NEEDED) * self._text_size // 100
        return QSize(0, max(least.height(), needed))  # rows of words go on in a next line
