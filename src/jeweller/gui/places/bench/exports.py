"""What leaves the bench, asked for in boxes: slips to the players, marks to the office."""

from __future__ import annotations

import json
from pathlib import Path

from PySide6.QtWidgets import QDialog, QFileDialog, QInputDialog, QWidget

from jeweller.documents.theme import PRINTED
from jeweller.gui.places.bench.model import BenchModel
from jeweller.gui.places.ledger.people_dialogs import MarksBox, ticked
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.work import write_slips
from jeweller.i18n import _, ngettext


class TrayExports:
    """Asks where to, and has it written. `owner`: over which widget it asks."""

    def __init__(self, owner: QWidget, model: BenchModel, jobs: Jobs) -> None:
        self.owner, self.model, self.jobs = owner, model, jobs

    def write_slips(self, kind: str = "pdf", target: str = "") -> None:
        """The slips of the tray: all in one PDF, or a file a player in a folder."""
        model = self.model
        takes = model.checked_takes()
        if model.library is None or model.tray is None or not takes:
            model.message.emit(_("There are no slips to write yet: check a tray first."))
            return
        if not target and kind == "pdf":
            target, _unused = QFileDialog.getSaveFileName(
                self.owner, _("Save the slips"), str(Path.home() / f"{model.tray.name} - slips.pdf"), "*.pdf"
            )
        elif not target:
            target = QFileDialog.getExistingDirectory(
                self.owner, _("A folder for the slips"), str(Path.home())
            )
        if not target:
            return
        job = self.jobs.process(
            "slips",
            write_slips,
            model.library.folder,
            model.tray.id,
            None,
            model.slips,
            kind,
            target,
            PRINTED,
        )
        job.progress.connect(
            lambda share, who: model.message.emit(_("Writing the slips: {who} …").format(who=who))
        )
        job.done.connect(lambda paths: self._returned(takes, paths))
        job.failed.connect(model.trouble)

    def _returned(self, takes: list[int], paths: list[Path]) -> None:
        self.model.returned(takes)
        message = _("Saved: {path} and {n} more") if len(paths) > 1 else _("Saved: {path}")
        self.model.message.emit(message.format(path=paths[0], n=len(paths) - 1))

    def ask_slip_words(self) -> None:
        """The words slips begin and end with, in the teacher's own tone."""
        for name, words in (
            ("greeting", _("Slips begin with ({name} and {piece} are filled in):")),
            ("closing", _("Slips end with (may be empty):")),
        ):
            text, ok = QInputDialog.getText(
                self.owner, _("Words of the slips"), words, text=getattr(self.model.slips, name)
            )
            if not ok:
                return
            self.model.set_slips(**{name: text.strip()})

    def ask_marks(self) -> None:
        """Which columns marks for the office have."""
        box = MarksBox(self.owner, *self.model.marks_asked())
        if box.exec() == QDialog.DialogCode.Accepted:
            self.model.settings.setValue(
                "marks", json.dumps({"columns": ticked(box.columns), "attempts": box.attempts.currentData()})
            )

    def write_marks(self, kind: str = "csv", target: str = "") -> None:
        """The marks of the tray for the office."""
        model = self.model
        if model.library is None or model.tray is None:
            return
        if not target:
            target, _unused = QFileDialog.getSaveFileName(
                self.owner,
                _("Save the marks"),
                str(Path.home() / f"{model.tray.name} - marks.{kind}"),
                f"*.{kind}",
            )
        if not target:
            return
        left_out = model.write_marks(kind, Path(target))
        if left_out is not None:
            message = (
                ngettext(
                    "Saved: {path}; {n} take left out, for whom no consent is noted",
                    "Saved: {path}; {n} takes left out, for whom no consent is noted",
                    left_out,
                )
                if left_out
                else _("Saved: {path}")
            )
            model.message.emit(message.format(path=target, n=left_out))
