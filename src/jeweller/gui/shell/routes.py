"""What a key or a menu does depends on the place one is in: the acts of the window that go to the bench, the
loupe or the pattern book.
"""

from __future__ import annotations

import datetime
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QProcess, QSettings
from PySide6.QtWidgets import QFileDialog, QMainWindow, QSplitter

from jeweller.demo_band import TrayTake, data_home, read_trays
from jeweller.documents.theme import THEMES, Theme
from jeweller.errors import JewellerError
from jeweller.gui.places.loupe.view import Loupe
from jeweller.gui.places.place import PlaceView
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.kept import kept_layout, kept_path
from jeweller.gui.shell.retranslation import retranslate
from jeweller.i18n import _, ngettext
from jeweller.library.journal import recover_takes, recovered_sentence

if TYPE_CHECKING:
    from jeweller.gui.places.bench.view import BenchPlace
    from jeweller.gui.places.booth.view import BoothPlace
    from jeweller.gui.places.ledger.view import LedgerPlace
    from jeweller.gui.places.pattern_book.view import PatternPlace
    from jeweller.gui.places.practice.model import Source
    from jeweller.gui.places.practice.view import PracticePlace
    from jeweller.gui.places.warmup.view import WarmUpPlace
    from jeweller.gui.services.devices import Devices
    from jeweller.library.library import Library
    from jeweller.notation.model import Part, Score
    from jeweller.student.home import StudentHome


TAKEN_HOME = (
    "practice/minutes",
    "practice/log/minutes",
    "practice/log/days",
    "practice/wall/order",
    "practice/wall/own",
)


class Routes(QMainWindow):
    """Mixed into the window, which has the places."""

    place = "loupe"
    bench: BenchPlace
    loupe: Loupe
    pattern: PatternPlace
    ledger: LedgerPlace
    booth: BoothPlace
    warmup: WarmUpPlace
    practice: PracticePlace
    devices: Devices
    rooms: dict[str, PlaceView]
    student: StudentHome | None
    jobs: Jobs
    settings: QSettings
    theme: Theme
    text_size: int
    tray: tuple[TrayTake, ...]

    def apply_theme(self) -> None:
        raise NotImplementedError

    def open_from_bench(self, take: int) -> None:
        raise NotImplementedError

    def go(self, place: str) -> None:
        raise NotImplementedError

    def say(self, text: str) -> None:
        raise NotImplementedError

    def trouble(self, sentence: str) -> None:
        raise NotImplementedError

    def read_page(self, path: str) -> None:
        """A PDF or a picture that was dropped: its music is read in the pattern book."""
        self.go("pattern")
        self.pattern.open_page(path)

    def refuse(self, name: str) -> None:
        """A file that was dropped is none that is known."""
        self.trouble(
            _(
                "{name} is neither a notation file (MusicXML, MEI, ABC, Humdrum, MIDI) nor a page (PDF, "
                "picture) nor a recording that can be read."
            ).format(name=name)
        )

    def show_on_bench(self, take: int, key: str) -> None:
        """A place of the class picture, where it can be heard and decided."""
        library = self.bench.library
        if library is not None:
            self.go("bench")
            self.bench.show_trays(library.take(take).tray_id)
            self.bench.list.blockSignals(True)
            self.bench.list.pick(take)
            self.bench.list.blockSignals(False)
            self.bench.take_in_hand(take, key)

    def show_tray(self, tray: int) -> None:
        """A tray on the bench."""
        self.go("bench")
        self.bench.show_trays(tray)

    def give_out(self) -> None:
        """What the pattern book shows, given out as an assignment: put on the shelf, with the traps that were
        ticked.
        """
        score, library = self.pattern.printed(), self.waked_library()
        if score is None or library is None:
            return
        piece = self.pattern.shelf.put(score)
        if piece is not None:
            kinds = list(dict.fromkeys(t.kind for t in self.pattern.look.ticks()))
            self.ledger.assigned.give(piece.id, kinds)

    @property
    def lens(self) -> Loupe:
        """What a take is looked at with: the booth has one of its own."""
        return self.booth.loupe if self.place == "booth" else self.loupe

    def practise(self, score: Score, part: str, bpm: float = 0.0) -> None:
        """Music of the pattern book or a drill, in the booth; at a speed of its own where it has one."""
        self.go("booth")
        self.booth.open_score(score, part)
        if bpm:
            self.booth.model.set_plan(bpm=bpm)

    def play_scale(self, score: Score, bpm: float, reading: str) -> None:
        """A scale of the wall, in the booth: the player says first whether it was right."""
        if self.booth.model.player is not self.practice.wall.player:
            self.booth.model.set_player(self.practice.wall.player)
        self.practise(score, score.parts[0].name, bpm)
        self.booth.model.set_plan(reading=reading)
        self.booth.model.own_first = True

    def takes_to_practise(self) -> list[Source]:
        """The takes a polish list can be made from: those of the booth, newest first, then what lies under
        the loupe and on the bench.
        """
        from jeweller.gui.places.practice.model import Source
        from jeweller.library.tray import music_of

        out = []
        model = self.booth.model
        for take in reversed(model.log.takes):
            if take.report is not None and take.report["followed"] and model.music is not None:
                words = _("Booth, take {number} of “{title}”").format(
                    number=take.number, title=model.music.title
                )
                out.append(Source(words, take.report, model.music.part, model.music.title, model.player))
        review = self.loupe.review
        if review is not None and review.report["followed"]:
            line = review.checked.line
            out.append(Source(_("The take under the loupe"), review.report, line.part, line.title))
        library, hand = self.bench.library, self.bench.hand
        if library is not None and hand is not None and hand.report is not None and hand.report["followed"]:
            player = library.player(hand.take.player_id) if hand.take.player_id is not None else None
            line = music_of(library, hand.take)
            words = _("The take in hand on the bench")
            out.append(Source(words, hand.report, line.part, line.title, player))
        for piece in self.student.pieces if self.student is not None else ():
            if piece.report is not None:
                words = _("From your teacher: “{title}”").format(title=piece.title)
                out.append(
                    Source(
                        words,
                        piece.report,
                        piece.part_of(self.library_folder),
                        piece.title,
                        None,
                        piece.comment,
                    )
                )
        out.append(Source(_("No take: what comes back today"), None, None, "", model.player))
        return out

    def open_first_piece(self) -> None:
        """At home the first piece stands ready, where none was chosen yet."""
        pieces = self.student.pieces if self.student is not None else ()
        if pieces and self.booth.model.music is None:
            self.booth.open_piece(pieces[0].id, pieces[0].part)

    def practice_settings(self) -> dict[str, str]:
        """What was chosen for practising, as a slip takes it home: minutes, rule, order, schools."""
        chosen = {name: str(self.settings.value(name, "")) for name in TAKEN_HOME}
        schools = {f"practice/school/{k}": v for k, v in self.practice.model.schools.items()}
        return {name: value for name, value in (chosen | schools).items() if value}

    def music_in_hand(self) -> list[Part]:
        """What is played: the music of the booth and of the pattern book."""
        booth, book = self.booth.model.music, self.pattern.model.score
        return [*([booth.part] if booth is not None else []), *(book.parts if book is not None else ())]

    def warm_up(self) -> None:
        """Before the music of the booth, with its notes, for who plays it."""
        music, player = self.booth.model.music, self.booth.model.player
        self.booth.warmed_up = True
        self.go("warmup")
        self.warmup.model.part = music.part if music is not None else None
        if player is not None:
            self.warmup.model.set_player(player)
            self.warmup.arrive()
        elif self.booth.model.instrument is not None:
            self.warmup.model.set_instrument(self.booth.model.instrument)
        if music is not None:
            self.warmup.model.set_walk("piece")

    def key_b(self) -> None:
        """In the booth only the bad bar; else take and model one after the other."""
        if self.place == "booth":
            self.booth.key_b()
        else:
            self.loupe.set_source("both")

    def play(self) -> None:
        self.rooms[self.place].toggle_play()

    def act(self, what: str) -> None:
        """A decision over the finding in hand, wherever one is."""
        if self.place == "bench":
            if what in ("undo", "redo"):
                self.bench.undo(again=what == "redo")
            elif what == "look_closer":
                self.look_closely()
            else:
                self.bench.act(what)
        elif self.place in ("loupe", "booth"):
            self.lens.act(what)

    def step_finding(self, step: int) -> None:
        """The next or the previous finding; on the bench the next doubtful place of the tray."""
        if self.place == "bench":
            self.bench.step_place(step)
        else:
            self.lens.step_finding(step)

    def write_note(self) -> None:
        """A word to the player, on the bench."""
        if self.place == "bench":
            self.bench.write_comment()

    def look_closely(self) -> None:
        """The take in hand under the loupe."""
        if self.place == "bench" and self.bench.hand is not None:
            self.open_from_bench(self.bench.hand.take.id)

    def take_decided(self) -> None:
        if self.place == "bench":
            self.bench.decide_take()

    def clean_decided(self) -> None:
        if self.place == "bench":
            self.bench.decide_clean()

    def waked_library(self) -> Library | None:
        """The library, opened on first use."""
        if self.student is None:
            self.bench.wake()
        return self.bench.library

    def set_theme(self, name: str) -> None:
        self.theme = THEMES[name]
        self.settings.setValue("theme", name)
        self.apply_theme()

    def set_text_size(self, percent: int) -> None:
        """All text so large, in percent of the usual size; kept for the next time."""
        self.text_size = percent
        self.settings.setValue("text_size", percent)
        self.apply_theme()

    def set_language(self, language: str) -> None:
        """The language of everything that is said from now on; kept for the next time. Nothing that is stored
        changes.
        """
        self.settings.setValue("language", language)
        retranslate(self, language)
        self.apply_theme()

    def remember_layout(self) -> None:
        """How wide everything is, for the next time."""
        for split in self.findChildren(QSplitter):
            self.settings.setValue(f"split/{split.objectName()}", split.saveState())

    def lay_out_as_left(self) -> None:
        """As wide as everything was the last time."""
        for split in self.findChildren(QSplitter):
            state = kept_layout(self.settings, f"split/{split.objectName()}")
            if not state.isEmpty():
                split.restoreState(state)

    # ---- the library

    def recover_takes(self) -> None:
        """Makes whole what was recorded when the program ended suddenly, and says so."""
        told = recovered_sentence(recover_takes(self.library_folder))
        if told:
            self.trouble(told)

    @property
    def library_folder(self) -> Path:
        """Where the library lies; of a player at home what belongs to that player."""
        if self.student is not None:
            return self.student.folder
        usual = data_home() / ("demo-library" if self.tray else "library")
        return Path(kept_path(self.settings, "library") or usual)

    def open_library(self) -> Library:
        """The library of the settings; the demo band's where the demo runs. Raises LedgerError."""
        from jeweller.library.library import Library

        return Library(self.library_folder)

    def fill_library(self, library: Library) -> int:
        """Enters the demo band, where the demo runs and it is not there yet: a matter of seconds, done beside
        the window.
        """
        from jeweller.library.demo import fill_demo

        name, trays = read_trays(self.tray[0].take.parent)
        return fill_demo(
            library,
            name,
            {k: [(t.player, t.score, t.part, t.take) for t in takes] for k, takes in trays.items()},
        )

    def back_up(self, target: str = "") -> None:
        """Writes the whole library to one file, in the background."""
        self.bench.wake()
        if self.bench.library is None:
            return
        if not target:
            target, _unused = QFileDialog.getSaveFileName(
                self,
                _("Back the library up"),
                str(Path.home() / f"jeweller-{datetime.date.today()}.zip"),
                "*.zip",
            )
        if target:
            from jeweller.library.verify import back_up

            job = self.jobs.threaded("backup", back_up, self.bench.library, Path(target))
            self.say(_("Writing the backup…"))
            job.done.connect(lambda told: self._backed_up(target, *told))
            job.failed.connect(self.trouble)

    def _backed_up(self, target: str, count: int, missing: list[str]) -> None:
        from jeweller.library.verify import in_a_few_words

        self.say(
            ngettext("Saved: {target}, {count} file.", "Saved: {target}, {count} files.", count).format(
                target=target, count=count
            )
        )
        if missing:
            self.trouble(in_a_few_words(missing))

    def restore_backup(self, archive: str = "", folder: str = "") -> None:
        """Makes a library of a backup in a new folder, and opens it."""
        if not archive:
            archive, _unused = QFileDialog.getOpenFileName(self, _("A backup"), str(Path.home()), "*.zip")
        if archive and not folder:
            folder, _unused = QFileDialog.getSaveFileName(
                self, _("The folder of the new library"), str(Path.home() / "jeweller-library")
            )
        if not archive or not folder:
            return
        try:
            from jeweller.library.store import restore

            restore(Path(archive), Path(folder))
        except JewellerError as error:
            self.trouble(str(error))
            return
        self.other_library(folder)

    def save_progress(self, target: str = "") -> None:
        """What a player did at home, as a file for the teacher."""
        from jeweller.student.progress import save_progress

        if self.student is None:
            return
        if not target:
            day = datetime.date.today().isoformat()
            target, _unused = QFileDialog.getSaveFileName(
                self,
                _("My progress for my teacher"),
                str(Path.home() / f"{self.student.name} {day}.jeweller"),
                "*.jeweller",
            )
        if not target:
            return
        try:
            count = save_progress(self.student, Path(target))
        except JewellerError as error:
            self.trouble(str(error))
            return
        self.say(
            ngettext(
                "Saved: {target}. {n} thing that you did since the slip was made; send it to your teacher.",
                "Saved: {target}. {n} things that you did since the slip was made; send it to your teacher.",
                count,
            ).format(target=target, n=count)
        )

    def open_slip(self, path: str) -> None:
        """A file of a player: progress is looked over in the ledger, a slip opens in a window of its own."""
        from jeweller.student.slip import PROGRESS, kind_of

        if kind_of(Path(path)) == PROGRESS:
            self.go("ledger")
            self.ledger.choose_way("players")
            self.ledger.players.bring_progress(path)
        elif self.start_beside("open", path):
            self.say(_("The slip opens in a window of its own."))

    def start_beside(self, *words: str) -> bool:
        """Starts the program once more, with these words; whether that went."""
        return bool(QProcess.startDetached(sys.executable, ["-P", "-m", "jeweller", *words])[0])

    def student_told(self, path: str) -> str:
        """What is to be said of a slip that is opened while its player's window is open."""
        from jeweller.student.slip import read_slip

        assert self.student is not None  # the window of a player
        try:
            slip = read_slip(Path(path))
        except JewellerError as error:
            return str(error)
        if slip.made_at > self.student.made_at:
            return _("This slip is newer than what is open here: close this window and open the slip again.")
        return _("This slip is open here already.")

    def other_library(self, folder: str = "") -> None:
        """Closes the library and opens another one."""
        folder = folder or QFileDialog.getExistingDirectory(
            self, _("The folder of a library"), str(self.library_folder)
        )
        if not folder:
            return
        self.bench.close_library()
        self.settings.setValue("library", folder)
        self.bench.forget()
        self.pattern.shelf.open_at(self.library_folder / "shelf")
        self.go("bench")
        self.say(_("The library in {folder} is open.").format(folder=folder))
