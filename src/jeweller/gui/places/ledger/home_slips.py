"""Slips that players take home, and the progress that comes back: looked over before anything is entered."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from jeweller.errors import JewellerError
from jeweller.gui.places.ledger.model import LedgerModel
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import _, ngettext
from jeweller.library.tables import Player
from jeweller.student.make import save_slips
from jeweller.student.progress import ProgressNews, look_over, news_lines, read_progress, take_in
from jeweller.student.slip import ENDING

WIDTH, HEIGHT = 560, 420


class ProgressDialog(QDialog):
    """What would be entered of a player's progress; accepted, it is."""

    def __init__(self, parent: QWidget | None, news: ProgressNews, lines: Sequence[str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Progress of {name}").format(name=news.player.name))
        self.resize(WIDTH, HEIGHT)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        column.setSpacing(8)
        title = QLabel(news.player.name)
        title.setObjectName("title")
        column.addWidget(title)
        made = news.progress.made_at.replace("T", " ")[:16]
        column.addWidget(
            wrapped(_("Sent by “{name}”, {made}").format(name=news.progress.name, made=made), 11)
        )
        inside = QWidget()
        rows = QVBoxLayout(inside)
        rows.setContentsMargins(0, 0, 0, 0)
        for line in lines:
            rows.addWidget(wrapped(line, 11))
        rows.addStretch(1)
        area = QScrollArea()
        area.setAccessibleName(_("What came back"))
        area.setWidget(inside)
        area.setWidgetResizable(True)
        column.addWidget(area, 1)
        column.addWidget(wrapped(_("It is entered beside what is here; nothing that is here changes."), 11))
        box = QDialogButtonBox()
        self.enter = QPushButton(_("Enter it"))
        self.enter.setObjectName("next")
        self.enter.setEnabled(bool(news.entries))
        box.addButton(self.enter, QDialogButtonBox.ButtonRole.AcceptRole)
        leave = QPushButton(_("Leave it out") if news.entries else _("Close"))
        box.addButton(leave, QDialogButtonBox.ButtonRole.RejectRole)
        box.accepted.connect(self.accept)
        box.rejected.connect(self.reject)
        column.addWidget(box)


class HomeSlips(QObject):
    """What players take home and bring back. `entered`: something of a player is another now; `settings` are
    those of practising, as the teacher has them.
    """

    message = Signal(str)
    trouble = Signal(str)
    entered = Signal()

    def __init__(self, jobs: Jobs, model: LedgerModel, page: QWidget) -> None:
        super().__init__(page)
        self.jobs, self.model, self.page = jobs, model, page
        self.settings: Callable[[], dict[str, str]] = dict
        self.dialog: ProgressDialog | None = None

    def give(self, players: Sequence[Player], target: str = "") -> None:
        """Makes the slips of players: of one a file, of several a folder of files."""
        library = self.model.library
        if library is None or not players:
            return
        if not target and len(players) == 1:
            name = str(Path.home() / f"{players[0].name}{ENDING}")
            target, _unused = QFileDialog.getSaveFileName(
                self.page, _("A slip to take home"), name, f"*{ENDING}"
            )
        elif not target:
            target = QFileDialog.getExistingDirectory(
                self.page, _("A folder for the slips"), str(Path.home())
            )
        if not target:
            return
        job = self.jobs.process(
            "home slips", save_slips, library.folder, [p.id for p in players], self.settings(), target
        )
        job.progress.connect(
            lambda _share, who: self.message.emit(_("Writing the slips: {who} …").format(who=who))
        )
        job.done.connect(
            lambda paths: self.message.emit(
                ngettext(
                    "{n} slip is in {target}; “jeweller open” opens it.",
                    "{n} slips are in {target}; “jeweller open” opens each.",
                    len(paths),
                ).format(n=len(paths), target=target)
            )
        )
        job.failed.connect(self.trouble)

    def bring(self, path: str = "") -> ProgressDialog | None:
        """Looks progress over; it is entered when that is said."""
        library = self.model.library
        if library is None:
            return None
        if not path:
            path, _unused = QFileDialog.getOpenFileName(
                self.page, _("A player's progress"), str(Path.home()), f"*{ENDING}"
            )
        if not path:
            return None
        try:
            news = look_over(library, read_progress(Path(path)))
            lines = news_lines(news, library)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        self.dialog = ProgressDialog(self.page.window(), news, lines)
        self.dialog.accepted.connect(lambda: self._enter(news))
        self.dialog.open()
        return self.dialog

    def _enter(self, news: ProgressNews) -> None:
        library = self.model.library
        if library is None:
            return
        try:
            count = take_in(library, news)
        except (JewellerError, OSError) as error:
            self.trouble.emit(
                _("It could not be entered whole: {error}. Bring it again.").format(error=error)
            )
            return
        self.message.emit(
            ngettext("{n} entry of {name} is in.", "{n} entries of {name} are in.", count).format(
                n=count, name=news.player.name
            )
        )
        self.entered.emit()
