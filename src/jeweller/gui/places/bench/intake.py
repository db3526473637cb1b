"""How takes come to the bench: dropped, opened, from a watched folder; who and what each is; the music they
are of.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QTimer, SignalInstance
from PySide6.QtWidgets import QFileDialog, QStackedWidget

from jeweller.errors import JewellerError
from jeweller.gui.places.bench.exports import Leaving
from jeweller.gui.places.bench.intake_page import IntakePage
from jeweller.gui.services.work import recognise_many
from jeweller.i18n import _, ngettext
from jeweller.library.intake import Guess, Known, enter_tray, look_at, recordings
from jeweller.notation.formats import ENDINGS
from jeweller.notation.readers.sandbox import load_scores


class BringingIn(Leaving):
    """What the bench has of it."""

    pages: QStackedWidget
    intake: IntakePage
    changed: SignalInstance
    _unpacked: tempfile.TemporaryDirectory[str]
    _watcher: QFileSystemWatcher
    _settle: QTimer
    _sources: list[str]  # what is looked at
    _offered: set[str]  # recordings of the watched folder that were shown before

    def wake(self) -> None:
        raise NotImplementedError

    def show_trays(self, tray: int | None = None) -> None:
        raise NotImplementedError

    def check(self, takes: list[int] | None = None) -> None:
        raise NotImplementedError

    def ask_takes(self) -> None:
        paths, _unused = QFileDialog.getOpenFileNames(
            self, _("Recordings of a tray, or a zip file"), str(Path.home())
        )
        if paths:
            self.take_in(paths)

    def take_in(self, paths: list[str]) -> None:
        """Recordings, folders, zip files: what they seem to be is shown for correction."""
        if self.library is None:
            self.wake()
        if self.library is None:
            return
        if self.library.store.read_only:
            self.trouble.emit(self.library.store.told)
            return
        music = [p for p in paths if p.casefold().endswith(ENDINGS)]
        if music:
            self.add_music(music)
        paths = [p for p in paths if p not in music]
        if not paths:
            return
        self._sources = paths
        job = self.jobs.threaded(
            "intake", look_at, self.library, [Path(p) for p in paths], Path(self._unpacked.name), self._band()
        )
        self.message.emit(_("Looking at the recordings…"))
        job.done.connect(self._looked)
        job.failed.connect(self.trouble)

    def _band(self) -> int | None:
        if self.tray is not None:
            return self.tray.band_id
        bands = self.opened.bands()
        return bands[0].id if bands else None

    def _looked(self, found: tuple[list[Guess], list[Known], list[str]]) -> None:
        guesses, pieces, told = found
        if not guesses:
            self.trouble.emit(" ".join(told))
            return
        band = self._band() or self.opened.add_band(_("My band")).id
        self.intake.show_guesses(self.opened, band, guesses, pieces, told)
        self.pages.setCurrentIndex(1)
        self.changed.emit()
        unknown = [
            (str(g.path), self.instrument_of(g.player))
            for g in guesses
            if not g.piece and not g.twice and g.kind == "played"
        ]
        if unknown and pieces:
            job = self.jobs.process("recognise", recognise_many, self.opened.folder, unknown)
            job.progress.connect(
                lambda share, name: self.message.emit(_("Identifying the piece: {name}").format(name=name))
            )
            job.done.connect(self._recognised)

    def instrument_of(self, player: int | None) -> str:
        """The id of a player's instrument; "" where it is not known."""
        return next((p.instrument for p in self.opened.players() if p.id == player), "")

    def _recognised(self, found: dict[str, tuple[str, str]]) -> None:
        """What was told by the sound, entered where nothing was chosen meanwhile."""
        named = self.intake.recognised(found)
        self.message.emit(
            _("{named} recognised by sound.").format(named=named)
            if named
            else _("No other piece was recognised by its sound.")
        )

    # ---- music
    # ---------------------------------------------------------------------------------------------------

    def ask_music(self) -> None:
        """Music that is not on the shelf yet."""
        endings = " ".join(f"*{e}" for e in ENDINGS)
        paths, _unused = QFileDialog.getOpenFileNames(
            self,
            _("The music of these recordings"),
            str(Path.home()),
            _("Notation files ({endings})").format(endings=endings),
        )
        if paths:
            self.add_music(paths)

    def add_music(self, paths: list[str]) -> None:
        """Puts notation files on the shelf of the library; recordings that are looked at are guessed anew."""
        new = []
        for path in paths:
            try:
                for score in load_scores(path):
                    there = self.opened.shelf.same_music(score)
                    new.append((there[0] if there else self.opened.shelf.add(score)).title)
            except JewellerError as error:
                self.trouble.emit(str(error))
        if new:
            self.message.emit(_("On the shelf: {new}.").format(new=", ".join(new)))
            if self.pages.currentIndex() == 1 and self._sources:
                self.take_in(self._sources)

    # ---- a watched folder
    # ----------------------------------------------------------------------------------------

    def watch(self, folder: str | None) -> None:
        """Watches a folder for new recordings ("" for none; None asks)."""
        if folder is None:
            folder = QFileDialog.getExistingDirectory(
                self, _("A folder to be watched for new recordings"), str(Path.home())
            )
            if not folder:
                return
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())
        self.settings.setValue("watched", folder)
        if folder and Path(folder).is_dir():
            self._watcher.addPath(folder)
            self._settle.start()

    def _look_at_watched(self) -> None:
        """What is new in the watched folder is shown to be entered, once it is not being written any more."""
        if self.library is None or self.pages.currentIndex() == 1 or not self._watcher.directories():
            return
        folder = Path(self._watcher.directories()[0])
        found, _unused = recordings([folder], Path(self._unpacked.name))
        fresh = [p for p in found if str(p) not in self._offered and not self.library.same_recording(p)]
        self._offered |= {str(p) for p in fresh}
        if fresh:
            self.message.emit(
                ngettext(
                    "{n} new recording in {folder}.", "{n} new recordings in {folder}.", len(fresh)
                ).format(n=len(fresh), folder=folder.name)
            )
            self.take_in([str(p) for p in fresh])

    def _leave_intake(self) -> None:
        self.pages.setCurrentIndex(0)
        self.changed.emit()

    def _enter(self, guesses: list[Guess]) -> None:
        """Enters recordings as a new tray and begins to check them."""
        self._leave_intake()
        if not guesses:
            return
        try:
            tray = enter_tray(self.opened, self._band() or 0, guesses, self.intake.setup)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.show_trays(tray.id)
        self.check()
