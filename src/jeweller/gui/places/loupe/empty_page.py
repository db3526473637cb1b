"""The place to begin: where no take is open. Something to drop a part and a recording on, the demo band, what
was open before, and what comes out of it.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jeweller.assets import GUIDE
from jeweller.documents.theme import LIGHT, Theme
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import N_, _

PICTURE = 520  # pixels of the picture's width
ROUND = 10.0  # of the corners of what things are dropped on
LISTED = 150  # pixels of the list of pairs, at least
WORKS = (
    N_(
        "Drop a part and a recording of it: seconds later the part lies here, marked where the playing "
        "differs."
    ),
    N_(
        "Go through the marks by ear and with one key each: keep, dismiss or change them. You have the last "
        "word."
    ),
    N_("Then print the marked part, or a slip for the player: what to mend first, how, and for how long."),
)


class DropField(QWidget):
    """Where a part and a recording are dropped; the whole window takes them too, but here one sees it."""

    def __init__(self) -> None:
        super().__init__()
        self.theme = LIGHT
        column = QVBoxLayout(self)
        column.setContentsMargins(28, 28, 28, 24)
        column.setSpacing(10)
        self.title = QLabel()
        self.title.setObjectName("title")
        self.title.setWordWrap(True)
        self.title.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(1)
        column.addWidget(self.title)
        self.text = wrapped("", 11)
        self.text.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self.text)
        row = FlowRow()
        row.addStretch()
        self.score = QPushButton(_("Open a score…"))
        self.take = QPushButton(_("Open a recording…"))
        for button in (self.score, self.take):
            row.addWidget(button)
        row.addStretch()
        column.addLayout(row)
        column.addStretch(1)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(QColor(self.theme.brass), 1.6, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(QColor(self.theme.paper))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5), ROUND, ROUND)


class EmptyPage(QWidget):
    """`chosen` is emitted with (score, take, part, player); `wanted` with what is asked for: "score", "take",
    "demo" or "guide".
    """

    chosen = Signal(object)
    wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(40, 28, 40, 32)
        row.setSpacing(40)
        row.addLayout(self._beginning(), 5)
        row.addLayout(self._what_comes_out(), 4)

    def _beginning(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(14)
        self.field = DropField()
        self.field.score.clicked.connect(lambda: self.wanted.emit("score"))
        self.field.take.clicked.connect(lambda: self.wanted.emit("take"))
        column.addWidget(self.field, 3)
        row = FlowRow()
        self.demo = QPushButton(_("Look at the demo band"))
        self.demo.setToolTip(_("Made-up players with takes to check; it opens in a window of its own"))
        self.demo.clicked.connect(lambda: self.wanted.emit("demo"))
        self.guide = QPushButton(_("Read the guide"))
        self.guide.clicked.connect(lambda: self.wanted.emit("guide"))
        row.addWidget(self.demo)
        row.addWidget(self.guide)
        column.addLayout(row)
        self.heading = QLabel()
        self.heading.setObjectName("plain")
        column.addWidget(self.heading)
        self.list = QListWidget()
        self.list.setAccessibleName(_("Takes to open"))
        self.list.setMinimumHeight(LISTED)
        self.list.itemActivated.connect(lambda item: self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)))
        self.list.itemClicked.connect(lambda item: self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)))
        column.addWidget(self.list, 4)
        column.addStretch(0)
        return column

    def _what_comes_out(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(14)
        self.picture = QLabel()
        self.picture.setAccessibleName(_("A marked part, as it comes out"))
        self.picture.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter)
        shown = QPixmap(str(GUIDE / "pictures" / "marked.png"))
        if not shown.isNull():
            self.picture.setPixmap(shown.scaledToWidth(PICTURE, Qt.TransformationMode.SmoothTransformation))
        column.addWidget(self.picture)
        self.works = [wrapped(f"{k}. {_(sentence)}", 11) for k, sentence in enumerate(WORKS, 1)]
        for label in self.works:
            column.addWidget(label)
        column.addStretch(1)
        return column

    def set_theme(self, theme: Theme, points: float) -> None:
        self.field.theme = theme
        self.field.update()
        for label in (self.field.text, *self.works):
            label.setFont(font(points))

    def fill(self, entries: list[tuple[str, tuple[str, str, str, str]]], score: str, tray_name: str) -> None:
        """Takes and pairs as (words, what is opened); `score` is one that is open already, `tray_name` whose
        takes stand first.
        """
        self.list.clear()
        for words, data in entries:
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, data)
            self.list.addItem(item)
        self.list.setVisible(bool(entries))
        self.heading.setVisible(bool(entries))
        self.demo.setVisible(not tray_name)
        if score:
            self.field.title.setText(_("Now the recording"))
            text = _("{name} is open. Drop a recording of it here.").format(name=Path(score).name)
        else:
            self.field.title.setText(_("Drop a part and a recording of it here"))
            text = _(
                "The part as MusicXML, MEI, ABC, Humdrum or MIDI; the recording as wav, flac, ogg, mp3, m4a, "
                "webm or mp4."
            )
        self.field.text.setText(text)
        self.heading.setText(
            _("Or begin with a take of {tray_name}:").format(tray_name=tray_name)
            if tray_name
            else _("Or go on with a pair from before:")
        )
