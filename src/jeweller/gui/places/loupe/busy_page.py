"""The page shown while a take is checked: whose it is, how far it is, a way to stop."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from jeweller.i18n import _


class BusyPage(QWidget):
    stopped = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        outer = QVBoxLayout(self)
        outer.addStretch(1)
        self.title = QLabel()
        self.title.setObjectName("title")
        self.title.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        outer.addWidget(self.title)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setFixedWidth(420)
        outer.addWidget(self.bar, 0, Qt.AlignmentFlag.AlignHCenter)
        stop = QPushButton(_("Stop (Esc)"))
        stop.clicked.connect(self.stopped)
        outer.addWidget(stop, 0, Qt.AlignmentFlag.AlignHCenter)
        outer.addStretch(2)

    def begin(self, title: str) -> None:
        self.title.setText(title)
        self.show_progress(0.0, _("beginning"))

    def show_progress(self, share: float, what: str) -> None:
        self.bar.setValue(round(1000 * share))
        self.bar.setFormat(what)
