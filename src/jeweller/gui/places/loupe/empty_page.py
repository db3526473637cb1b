"""What stands where no take is open: what to do first, and takes and pairs to begin with."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.shell.style import font
from jeweller.i18n import _

WIDEST = 1000  # pixels of a line of words


class EmptyPage(QWidget):
    """`chosen` is emitted with (score, take, part, player)."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(64, 48, 64, 48)
        outer.setSpacing(12)
        self.title = QLabel(_("A part and a recording of it"))
        self.title.setObjectName("title")
        outer.addWidget(self.title)
        self.text = wrapped("", 11)
        self.text.setMaximumWidth(WIDEST)
        outer.addWidget(self.text)
        self.list = QListWidget()
        self.list.setAccessibleName(_("Takes to open"))
        self.list.setMaximumWidth(WIDEST)
        self.list.itemActivated.connect(lambda item: self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)))
        self.list.itemClicked.connect(lambda item: self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)))
        outer.addWidget(self.list, 100)
        outer.addStretch(1)  # without a list the words stay together at the top

    def set_points(self, points: float) -> None:
        self.text.setFont(font(points))

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
        if score:
            self.title.setText(_("Now the recording"))
            text = _("{name} is open. Drop a recording of it here, or press Ctrl+R.").format(
                name=Path(score).name
            )
        else:
            self.title.setText(_("A part and a recording of it"))
            text = _(
                "Drop a notation file (MusicXML, MEI, ABC, Humdrum, MIDI) and a recording (wav, "
                "flac, ogg, mp3, m4a, webm, mp4 …) into this window, or open them with Ctrl+O and "
                "Ctrl+R. Seconds later the part lies here, marked where the playing differs."
            )
        if tray_name:
            text += _(" Or begin with a take of the tray of {tray_name}:").format(tray_name=tray_name)
        elif entries:
            text += _(" Or go on with a pair from before:")
        self.text.setText(text)
