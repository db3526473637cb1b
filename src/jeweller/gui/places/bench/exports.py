"""What leaves the bench: slips to the players, marks to the office."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSettings, SignalInstance
from PySide6.QtWidgets import QDialog, QFileDialog, QInputDialog, QWidget

from jeweller.documents.feedback_sheet import FeedbackSettings
from jeweller.documents.marks_export import COLUMNS, USUAL, marks_csv, marks_xlsx
from jeweller.documents.theme import LIGHT, Theme
from jeweller.errors import JewellerError
from jeweller.files import write_bytes
from jeweller.gui.places.ledger.people_dialogs import ATTEMPTS, MarksBox, ticked
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.work import write_slips
from jeweller.i18n import _
from jeweller.library.exports import list_marks
from jeweller.library.library import Library
from jeweller.library.tables import Tray
from jeweller.library.tray import TakeEntry


class Leaving(QWidget):
    """What the bench has of it."""

    jobs: Jobs
    settings: QSettings
    library: Library | None
    tray: Tray | None
    lines: list[TakeEntry]
    slip_settings: FeedbackSettings
    theme: Theme
    message: SignalInstance
    trouble: SignalInstance

    @property
    def opened(self) -> Library:
        """The library, where one is known to be open. Raises LookupError."""
        if self.library is None:
            raise LookupError("no library is open")
        return self.library

    def _do(self, acts: list[tuple[int, str, dict[str, Any]]]) -> bool:
        raise NotImplementedError

    def write_slips(self, kind: str = "pdf", target: str = "") -> None:
        """The slips of the tray: all in one PDF, or a file a player in a folder."""
        if (
            self.library is None
            or self.tray is None
            or not any(line.take.state == "checked" for line in self.lines)
        ):
            self.message.emit(_("There are no slips to write yet: check a tray first."))
            return
        if not target and kind == "pdf":
            target, _unused = QFileDialog.getSaveFileName(
                self, _("Save the slips"), str(Path.home() / f"{self.tray.name} - slips.pdf"), "*.pdf"
            )
        elif not target:
            target = QFileDialog.getExistingDirectory(self, _("A folder for the slips"), str(Path.home()))
        if not target:
            return
        tray, takes = self.tray.id, [line.take.id for line in self.lines if line.take.state == "checked"]
        job = self.jobs.process(
            "slips",
            write_slips,
            self.library.folder,
            tray,
            None,
            self.slip_settings,
            kind,
            target,
            LIGHT,
        )
        job.progress.connect(
            lambda share, who: self.message.emit(_("Writing the slips: {who} …").format(who=who))
        )
        job.done.connect(lambda paths: self._returned(takes, paths))
        job.failed.connect(self.trouble)

    def set_slips(self, **settings: Any) -> None:
        """How slips are written from now on; kept for the next time."""
        self.slip_settings = dataclasses.replace(self.slip_settings, **settings)
        self.settings.setValue("slips", json.dumps(dataclasses.asdict(self.slip_settings)))

    def remembered_slips(self) -> FeedbackSettings:
        """How slips were written the last time."""
        try:
            return FeedbackSettings(**json.loads(str(self.settings.value("slips", "{}"))))
        except (ValueError, TypeError):
            return FeedbackSettings()

    def ask_slip_words(self) -> None:
        """The words slips begin and end with, in the teacher's own tone."""
        for name, words in (
            ("greeting", _("Slips begin with ({name} and {piece} are filled in):")),
            ("closing", _("Slips end with (may be empty):")),
        ):
            text, ok = QInputDialog.getText(
                self, _("Words of the slips"), words, text=getattr(self.slip_settings, name)
            )
            if not ok:
                return
            self.set_slips(**{name: text.strip()})

    def _returned(self, takes: list[int], paths: list[Path]) -> None:
        self._do(
            [
                (t, "state", {"state": "returned"})
                for t in takes
                if any(x.take.id == t and x.state == "decided" for x in self.lines)
            ]
        )
        self.message.emit(
            _("Saved: {paths}").format(paths=paths[0])
            + (_(" and {n} more").format(n=len(paths) - 1) if len(paths) > 1 else "")
        )

    def marks_asked(self) -> tuple[list[str], str]:
        """(columns, which of several attempts) of marks for the office, as they were chosen the last time."""
        try:
            told = json.loads(str(self.settings.value("marks", "{}")))
            columns = [c for c in told.get("columns", USUAL) if c in COLUMNS]
            return columns or list(USUAL), told["attempts"] if told.get("attempts") in ATTEMPTS else "all"
        except (ValueError, TypeError, AttributeError):
            return list(USUAL), "all"

    def ask_marks(self) -> None:
        """Which columns marks for the office have."""
        box = MarksBox(self, *self.marks_asked())
        if box.exec() == QDialog.DialogCode.Accepted:
            self.settings.setValue(
                "marks", json.dumps({"columns": ticked(box.columns), "attempts": box.attempts.currentData()})
            )

    def write_marks(self, kind: str = "csv", target: str = "") -> None:
        """The marks of the tray for the office."""
        if self.library is None or self.tray is None:
            return
        if not target:
            target, _unused = QFileDialog.getSaveFileName(
                self, _("Save the marks"), str(Path.home() / f"{self.tray.name} - marks.{kind}"), f"*.{kind}"
            )
        if not target:
            return
        # where it is noted at all, it is asked for
        consent = any(p.consent for p in self.library.players(self.tray.band_id))
        columns, attempts = self.marks_asked()
        rows, left_out = list_marks(self.library, self.tray.id, with_consent_only=consent, attempts=attempts)
        try:
            write_bytes(
                Path(target),
                marks_csv(rows, columns) if kind == "csv" else marks_xlsx(rows, columns, self.tray.name),
            )
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.message.emit(
            _("Saved: {target}").format(target=target)
            + (
                _("; {left_out} takes left out, for whom no consent is noted").format(left_out=left_out)
                if left_out
                else ""
            )
        )
