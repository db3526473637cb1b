"""A page as it was printed, scrolled to the line that is looked at: what is doubted is framed with dots, the
note that is looked at with a line.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PySide6.QtWidgets import QDialog, QScrollArea, QVBoxLayout, QWidget

from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.pattern_book.page_model import read_kept_page
from jeweller.gui.shell.style import font
from jeweller.i18n import _
from jeweller.omr.page import PagePicture
from jeweller.omr.primitives import Box

AROUND = 3.5  # points of the page around what is framed
LINE_SHARE = 0.4  # of the height that shows, at which the line that is looked at stands


class PagePaper(QWidget):
    """`pressed` is a key for the note that is looked at, `pointed` a place on the page, in its points."""

    pressed = Signal(QKeyEvent)
    pointed = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("The page as it was printed"))
        self.picture: PagePicture | None = None
        self.theme: Theme = LIGHT
        self.doubted: Sequence[Box] = ()
        self.looked: Box | None = None
        self._pixmap: QPixmap | None = None
        self._page = -1

    def show_page(self, picture: PagePicture | None, doubted: Sequence[Box], looked: Box | None) -> None:
        """A page with what is doubted on it, and what is looked at."""
        if picture is not self.picture:
            self.picture = picture
            self._pixmap = QPixmap()
            if picture is not None:
                self._pixmap.loadFromData(picture.data, "PNG")
        self.doubted, self.looked = doubted, looked
        self._fit()
        self.update()

    @property
    def scale(self) -> float:
        """Pixels of the widget in a point of the page."""
        return self.width() / self.picture.width if self.picture is not None else 1.0

    def _fit(self) -> None:
        if self.picture is not None:
            self.setFixedHeight(max(1, round(self.picture.height * self.scale)))

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().width() != event.size().width():
            self._fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        event.ignore()
        self.pressed.emit(event)
        if not event.isAccepted():
            super().keyPressEvent(event)

    def focusNextPrevChild(self, following: bool) -> bool:
        """Tab walks through what is doubted; where nothing is, it leaves as everywhere."""
        return False if self.doubted else super().focusNextPrevChild(following)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if self.picture is not None:
            self.pointed.emit(event.position().x() / self.scale, event.position().y() / self.scale)

    def _rectangle(self, box: Box, around: float) -> QRectF:
        s = self.scale
        return QRectF(
            (box.left - around) * s,
            (box.top - around) * s,
            (box.width + 2 * around) * s,
            (box.height + 2 * around) * s,
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        # printed paper stays paper in every theme: a page is looked at as it is
        painter.fillRect(event.rect(), Qt.GlobalColor.white)
        if self._pixmap is not None and not self._pixmap.isNull():
            painter.drawPixmap(QRectF(self.rect()), self._pixmap, QRectF(self._pixmap.rect()))
        pen = QPen(QColor(LIGHT.brass), 2.0, Qt.PenStyle.DotLine)
        painter.setPen(pen)
        for box in self.doubted:
            painter.drawRoundedRect(self._rectangle(box, AROUND), 4, 4)
        if self.looked is not None:
            frame = self._rectangle(self.looked, AROUND + 1.5)
            wash = QColor(LIGHT.brass)
            wash.setAlpha(38)
            painter.setBrush(wash)
            painter.setPen(QPen(QColor(LIGHT.brass), 2.5 if not self.hasFocus() else 3.5))
            painter.drawRoundedRect(frame, 4, 4)
        painter.end()


class PageView(QScrollArea):
    """The page in a scrolled area."""

    def __init__(self) -> None:
        super().__init__()
        self.paper = PagePaper()
        self.setAccessibleName(_("The page"))
        self.setWidget(self.paper)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusProxy(self.paper)
        self.setFont(font(11.0))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.bring()  # the page is as wide as there is room, and lies elsewhere now

    def bring(self) -> None:
        """Scrolls to what is looked at."""
        box = self.paper.looked
        if box is not None:
            y = box.y * self.paper.scale
            self.verticalScrollBar().setValue(round(y - LINE_SHARE * self.viewport().height()))


def show_kept_page(parent: QWidget, title: str, data: bytes) -> QDialog | None:
    """A window with the page that a piece was read from, its lines framed; None where it is damaged."""
    try:
        page = read_kept_page(data)
    except (ValueError, KeyError, TypeError):
        return None
    window = QDialog(parent)
    window.setWindowTitle(title)
    window.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    column = QVBoxLayout(window)
    for picture in page.pictures:
        view = PageView()
        frames: dict[int, Box] = {}
        for place in page.places:
            if place.page == picture.page:
                line = place.spot[0]
                frames[line] = frames[line].joined(place.box) if line in frames else place.box
        view.paper.show_page(picture, tuple(frames.values()), None)
        column.addWidget(view)
    window.resize(820, 720)
    window.show()
    return window
