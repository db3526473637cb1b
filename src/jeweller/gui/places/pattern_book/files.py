"""Files of the pattern book: notation read from them, sheets and music written to them. What takes long runs
beside the window.
"""

from __future__ import annotations

from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from jeweller.errors import JewellerError
from jeweller.files import write_bytes
from jeweller.gui.places.pattern_book.choices import SHEETS
from jeweller.gui.places.pattern_book.model import PatternModel
from jeweller.gui.services.jobs import Job, Jobs
from jeweller.gui.services.kept import kept_folder
from jeweller.gui.services.work import read_many, write_part_sound, write_sheet
from jeweller.i18n import _
from jeweller.notation.formats import ENDINGS
from jeweller.notation.readers.sandbox import load_scores
from jeweller.notation.writers.musicxml import write_musicxml

if TYPE_CHECKING:
    from jeweller.documents.parts import SheetSettings
    from jeweller.notation.model import Part, Score

PLAYED = (".mid", ".midi")  # what is drawn to a grid


class MusicFiles(QObject):
    """Asks for files and reads or writes them. `opened` is told after the scores of a file are in the model,
    `many` the answers of `read_many`; `message` is a line for the foot of the window, `trouble` a sentence in
    a box.
    """

    opened = Signal()
    many = Signal(object)  # of the type of `Job.done`, which it passes on
    message = Signal(str)
    trouble = Signal(str)

    def __init__(self, owner: QWidget, model: PatternModel, jobs: Jobs, settings: QSettings) -> None:
        super().__init__(owner)
        self.owner, self.model, self.jobs, self.settings = owner, model, jobs, settings
        self.reading: Job | None = None  # a file that is being read

    def open(self, path: str, grid: Fraction | None, *, ask: bool = True) -> None:
        """Opens every tune of a notation file; which, is asked where no path is given. What was open stays
        where it cannot be read.
        """
        if not path and ask:
            folder = kept_folder(self.settings, "folder", str(Path.home()))
            pattern = " ".join(f"*{e}" for e in ENDINGS)
            path, _unused = QFileDialog.getOpenFileName(
                self.owner,
                _("Open a score"),
                folder,
                _("Notation files ({pattern});;All files (*)").format(pattern=pattern),
            )
        if not path:
            return
        self.reading = self.jobs.threaded(
            "read", partial(load_scores, path, grid=grid if is_played(path) else None)
        )
        self.message.emit(_("Reading {name}…").format(name=Path(path).name))
        self.reading.done.connect(lambda scores: self._read(path, scores))
        self.reading.failed.connect(self._unread)

    def _unread(self, sentence: str) -> None:
        self.reading = None
        self.message.emit("")
        self.trouble.emit(sentence)

    def _read(self, path: str, scores: tuple[Score, ...]) -> None:
        self.reading = None
        self.message.emit("")
        self.settings.setValue("folder", str(Path(path).parent))
        self.model.opened, self.model.opened_path = scores, path
        self.opened.emit()

    def read_all(self, paths: list[str]) -> None:
        """Reads many files; what cannot be read is named, the others are read all the same."""
        job = self.jobs.process("keep", read_many, paths)
        job.progress.connect(lambda share, what: self.message.emit(_("Reading {what} …").format(what=what)))
        job.failed.connect(self.trouble)
        job.done.connect(self.many)

    def save(
        self, kind: str, path: str, part: Part | None, printed: Score | None, settings: SheetSettings
    ) -> None:
        """Writes the sheet: every part, as it is shown; of the sound the part that is shown."""
        ending = next(e for k, _unused, e in SHEETS if k == kind)
        path = path or self._ask_where(_("Save the sheet"), ending)
        if not path:
            return
        self.settings.setValue("save_folder", str(Path(path).parent))
        if kind == "wav":
            job = self.jobs.process("sheet", write_part_sound, part, path)
        else:
            job = self.jobs.process("sheet", write_sheet, printed, settings, {kind: path})
        self.message.emit(_("Writing…"))
        job.done.connect(self._saved)
        job.failed.connect(self.trouble)

    def _saved(self, paths: list[object]) -> None:
        self.message.emit(_("Saved: {path}").format(path=", ".join(str(p) for p in paths)))

    def keep_music(self, score: Score, path: str) -> str:
        """Writes the music as MusicXML; the path, empty where it was not written."""
        path = path or self._ask_where(_("Keep the music as"), ".musicxml")
        if not path:
            return ""
        try:
            write_bytes(Path(path), write_musicxml(score))
        except JewellerError as error:
            self.trouble.emit(str(error))
            return ""
        return path

    def _ask_where(self, title: str, ending: str) -> str:
        folder = Path(kept_folder(self.settings, "save_folder", str(Path.home())))
        name = str(folder / f"{self.model.file_name}{ending}")
        path, _unused = QFileDialog.getSaveFileName(self.owner, title, name, f"*{ending}")
        return path


def is_played(path: str) -> bool:
    """Whether a file holds notes as they were played, not as they are written."""
    return Path(path).suffix.casefold() in PLAYED
