"""How takes come to the bench: dropped, opened, from a watched folder; who and what each is; their music."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QDialog, QFileDialog, QWidget

from jeweller.gui.places.bench.intake_page import IntakePage
from jeweller.gui.places.bench.model import BenchModel
from jeweller.gui.places.ledger.class_dialogs import ClassListDialog, NewPlayersDialog, said_entered
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.work import read_many, recognise_many
from jeweller.i18n import _, ngettext
from jeweller.library.class_list import ENDINGS as LISTS
from jeweller.library.class_list import Listed, enter_class
from jeweller.library.intake import (
    Guess,
    Pile,
    enter_tray,
    fresh_recordings,
    look_at,
    new_players,
    put_on_shelf,
)
from jeweller.library.pile import music_in
from jeweller.notation.formats import ENDINGS
from jeweller.notation.model import Score
from jeweller.scratch import scratch_folder

TOLD = 6  # files that are named in one sentence
SETTLE_MS = 3000  # after the last change in the watched folder


class TakeIntake(QObject):
    """Looks at recordings, shows what they seem to be on `page`, and enters them.

    `shown` says whether the page is to be seen; `entered` the tray that was made.
    """

    shown = Signal(bool)
    entered = Signal(int)

    def __init__(self, owner: QWidget, model: BenchModel, jobs: Jobs) -> None:
        super().__init__(owner)
        self.owner, self.model, self.jobs = owner, model, jobs
        self.page = IntakePage()
        self.page.entered.connect(self._enter)
        self.page.left.connect(self._leave)
        self.page.wanted_music.connect(lambda: self.ask_music())
        self.page.wanted_class.connect(lambda: self.ask_class())
        self.asking: NewPlayersDialog | None = None  # about who is new
        self.visible = False
        self._sources: list[str] = []  # what is looked at
        self._taken: set[str] = set()  # lists and music beside recordings that were taken with them
        self._offered: set[str] = set()  # recordings of the watched folder that were shown before
        self._unpacked = scratch_folder()
        self._settle = QTimer(self)  # a recording that is being written is not taken half
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._look_at_watched)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _unused: self._settle.start())

    def clean_up(self) -> None:
        """What was unpacked is taken away."""
        self._unpacked.cleanup()

    def _show(self, on: bool) -> None:
        self.visible = on
        self.shown.emit(on)

    def ask_takes(self) -> None:
        paths, _unused = QFileDialog.getOpenFileNames(
            self.owner, _("Recordings of a tray, or a zip file"), str(Path.home())
        )
        if paths:
            self.take_in(paths)

    def take_in(self, paths: list[str]) -> None:
        """Recordings, folders, zip files: what they seem to be is shown for correction."""
        if not self.model.writable or self.model.library is None:
            return
        lists = [p for p in paths if p.casefold().endswith(LISTS)]
        beside = [str(f) for p in paths if Path(p).is_dir() for f in sorted(Path(p).iterdir())]
        found = [*lists, *(f for f in beside if f.casefold().endswith(LISTS))]
        if found and found[0] not in self._taken:
            self._taken.add(found[0])
            self.ask_class(found[0])
        music = [p for p in paths if p.casefold().endswith(ENDINGS)]
        if music:
            self.add_music(music)
        paths = [p for p in paths if p not in (*music, *lists)]
        if not paths:
            return
        self._sources = paths
        self._take_music(paths)
        job = self.jobs.threaded(
            "intake",
            look_at,
            self.model.library,
            [Path(p) for p in paths],
            Path(self._unpacked.name),
            self._band(),
        )
        self.model.message.emit(_("Looking at the recordings…"))
        job.done.connect(self._looked)
        job.failed.connect(self.model.trouble)

    def _take_music(self, paths: list[str]) -> None:
        """The music that lies beside recordings in a folder or a zip file is taken with them, once."""
        beside = [Path(p) for p in paths if Path(p).is_dir() or p.casefold().endswith(".zip")]
        if not beside:
            return
        job = self.jobs.threaded("music beside", music_in, beside, Path(self._unpacked.name))
        job.done.connect(self._found_music)
        job.failed.connect(self.model.trouble)

    def _found_music(self, found: list[Path]) -> None:
        fresh = [str(p) for p in found if str(p) not in self._taken]
        self._taken |= set(fresh)
        if fresh:
            self.add_music(fresh)

    def ask_class(self, path: str = "") -> QDialog:
        """The class list, from a file or pasted; recordings that are looked at are guessed anew after it."""
        dialog = ClassListDialog(self.owner.window(), self._known_names(), path)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self._enter_class(dialog.chosen()))
        dialog.open()
        return dialog

    def _known_names(self) -> list[str]:
        return [p.name for p in self.model.opened.players(self._band())]

    def _enter_class(self, listed: list[Listed]) -> None:
        band = self._band() or self.model.opened.add_band(_("My band")).id
        new, changed = enter_class(self.model.opened, band, listed)
        self.model.message.emit(said_entered(new, changed))
        if self.visible and self._sources:
            self.take_in(self._sources)

    def _band(self) -> int | None:
        if self.model.tray is not None:
            return self.model.tray.band_id
        bands = self.model.opened.bands()
        return bands[0].id if bands else None

    def _looked(self, pile: Pile) -> None:
        if not pile.guesses:
            self.model.trouble.emit(" ".join(pile.told))
            return
        if self._band() is None:
            self.model.opened.add_band(_("My band"))
        self.page.show_pile(pile)
        self._show(True)
        plays = {player.id: player.instrument for player in pile.players}
        unknown = [
            (str(g.path), plays.get(g.player or 0, ""))
            for g in pile.guesses
            if not g.piece and not g.twice and g.kind == "played"
        ]
        if unknown and pile.pieces:
            job = self.jobs.process("recognise", recognise_many, self.model.opened.folder, unknown)
            job.progress.connect(
                lambda share, name: self.model.message.emit(
                    _("Identifying the piece: {name}").format(name=name)
                )
            )
            job.done.connect(self._recognised)

    def _recognised(self, found: dict[str, tuple[str, str]]) -> None:
        """What was told by the sound, entered where nothing was chosen meanwhile."""
        named = self.page.recognised(found)
        self.model.message.emit(
            _("{named} recognised by sound.").format(named=named)
            if named
            else _("No other piece was recognised by its sound.")
        )

    # ---- music

    def ask_music(self) -> None:
        """Music that is not on the shelf yet."""
        endings = " ".join(f"*{e}" for e in ENDINGS)
        paths, _unused = QFileDialog.getOpenFileNames(
            self.owner,
            _("The music of these recordings"),
            str(Path.home()),
            _("Notation files ({endings})").format(endings=endings),
        )
        if paths:
            self.add_music(paths)

    def add_music(self, paths: list[str]) -> None:
        """Puts notation files on the shelf of the library; recordings that are looked at are guessed anew."""
        job = self.jobs.process("shelve", read_many, paths)
        job.done.connect(self._shelve)
        job.failed.connect(self.model.trouble)

    def _shelve(self, read: list[tuple[Score, ...] | str]) -> None:
        refused = [scores for scores in read if isinstance(scores, str)]
        if refused:  # told at once, however many there are
            more = len(refused) - TOLD
            rest = ngettext("and {n} file more.", "and {n} files more.", more).format(n=more)
            self.model.trouble.emit("\n".join([*refused[:TOLD], *([rest] if more > 0 else [])]))
        scores = [score for found in read if not isinstance(found, str) for score in found]
        if scores:
            job = self.jobs.threaded("put on shelf", put_on_shelf, self.model.opened, scores)
            job.done.connect(self._shelved)
            job.failed.connect(self.model.trouble)

    def _shelved(self, new: list[str]) -> None:
        if new:
            shown = ", ".join(new[:TOLD]) + (" …" if len(new) > TOLD else "")
            self.model.message.emit(_("On the shelf: {new}.").format(new=shown))
            if self.visible and self._sources:
                self.take_in(self._sources)

    # ---- a watched folder

    def watch(self, folder: str | None) -> None:
        """Watches a folder for new recordings ("" for none; None asks)."""
        if folder is None:
            folder = QFileDialog.getExistingDirectory(
                self.owner, _("A folder to be watched for new recordings"), str(Path.home())
            )
            if not folder:
                return
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())
        self.model.settings.setValue("watched", folder)
        if folder and Path(folder).is_dir():
            self._watcher.addPath(folder)
            self._settle.start()

    def _look_at_watched(self) -> None:
        """What is new in the watched folder is shown to be entered, once it is not being written any more."""
        if self.model.library is None or self.visible or not self._watcher.directories():
            return
        folder = Path(self._watcher.directories()[0])
        job = self.jobs.threaded(
            "watched", fresh_recordings, self.model.library, folder, set(self._offered), SETTLE_MS / 1000.0
        )
        job.done.connect(lambda found: self._found_watched(folder, *found))
        job.failed.connect(self.model.message)

    def _found_watched(self, folder: Path, fresh: list[Path], written: bool) -> None:
        """What is new there; what is still `written` is looked at again later."""
        if written:
            self._settle.start()
        self._offered |= {str(p) for p in fresh}
        if fresh:
            self.model.message.emit(
                ngettext(
                    "{n} new recording in {folder}.", "{n} new recordings in {folder}.", len(fresh)
                ).format(n=len(fresh), folder=folder.name)
            )
            self.take_in([str(p) for p in fresh])

    def _leave(self) -> None:
        self._show(False)

    def _enter(self, guesses: list[Guess]) -> None:
        """Enters recordings as a new tray and begins to check them."""
        if not guesses:
            self._show(False)
            return
        new = new_players(guesses)
        if not new:
            self._enter_with(guesses, [])
            return
        self.asking = asking = NewPlayersDialog(self.owner.window(), new)
        asking.accepted.connect(lambda: self._enter_with(guesses, asking.chosen()))
        asking.open()

    def _enter_with(self, guesses: list[Guess], new: list[Listed]) -> None:
        """Enters recordings, and of those who are new whom the teacher ticked."""
        self._show(False)
        job = self.jobs.threaded(
            "enter", enter_tray, self.model.opened, self._band() or 0, guesses, self.page.setup, new
        )
        self.model.message.emit(_("Entering the recordings…"))
        job.done.connect(lambda tray: self.entered.emit(tray.id))
        job.failed.connect(self.model.trouble)
