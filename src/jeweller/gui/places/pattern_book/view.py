"""The pattern book: music made by sentence, typed in, or opened; engraved beside what there is to see in it;
printed, heard, or taken to the loupe.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSettings, Qt, QTimer, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.audio.playback import Transport, cut
from jeweller.audio.ports import Speaker
from jeweller.difficulty.analysis import analyse_part, scale_unknown
from jeweller.difficulty.ensemble import compare_parts, describe_ensemble
from jeweller.difficulty.traps import OUTSIDE
from jeweller.documents.parts import instrument_of
from jeweller.documents.theme import LIGHT, Theme
from jeweller.errors import JewellerError
from jeweller.exercises.make import make_exercise
from jeweller.files import write_bytes
from jeweller.gui.places.loupe.margin import width_at
from jeweller.gui.places.pattern_book.analysis_list import AnalysisList
from jeweller.gui.places.pattern_book.display_options import DisplayOptions, PartChoice, plain
from jeweller.gui.places.pattern_book.model import SHEETS
from jeweller.gui.places.pattern_book.part_view import PartView
from jeweller.gui.places.pattern_book.sentence import ExerciseSentence
from jeweller.gui.places.pattern_book.shelf_page import ShelfPage
from jeweller.gui.places.pattern_book.typed_page import TypedPage
from jeweller.gui.services.jobs import Job, Jobs
from jeweller.gui.services.work import read_many, write_part_sound, write_sheet
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import instruments, require_instrument
from jeweller.library.library import Library
from jeweller.library.progress import known_notes
from jeweller.notation.formats import ENDINGS
from jeweller.notation.model import Part, Score
from jeweller.notation.readers.sandbox import load_scores
from jeweller.notation.transposition import diatonic_of
from jeweller.notation.writers.musicxml import write_musicxml
from jeweller.synthesis.model import Model, sounded

WAYS = (("make", N_("Make")), ("type", N_("Type in")), ("open", N_("Open")), ("shelf", N_("Shelf")))
GRIDS: dict[str, Fraction | None] = {
    N_("chosen by fit"): None,
    N_("quarters"): Fraction(1),
    N_("eighths"): Fraction(1, 2),
    N_("sixteenths"): Fraction(1, 4),
    N_("triplets"): Fraction(1, 3),
}
REMINDER = 24  # letters of a reminder above a note
MAKER_HEIGHT, EDITOR_HEIGHT, KEYS_HEIGHT, SHELF_HEIGHT = 68, 150, 44, 292


class PatternPlace(QWidget):
    """`message` is a line for the foot of the window, `trouble` a sentence in a box, `to_loupe` the path of a
    score and the part of it to compare a take with.
    """

    message = Signal(str)
    trouble = Signal(str)
    to_loupe = Signal(str, str)

    def __init__(
        self,
        jobs: Jobs,
        speaker: Speaker,
        settings: QSettings,
        shelf: Path,
        library: Callable[[], Library | None],
    ) -> None:
        super().__init__()
        self.jobs, self.settings, self.library = jobs, settings, library
        self.transport = Transport(speaker)
        self.playing_ends = QTimer(self)
        self.playing_ends.setInterval(150)
        self.playing_ends.timeout.connect(self._look_whether_it_plays)
        self.theme, self.points = LIGHT, 11.0
        self.way = "make"
        self.opened: tuple[Score, ...] = ()
        self.opened_path = ""
        self.reading: Job | None = None  # a file that is being read
        self.score: Score | None = None
        self.told: tuple[str, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 8)
        column.setSpacing(8)
        column.addLayout(self._ways())
        self.sources = QStackedWidget()
        self.maker = ExerciseSentence()
        self.maker.changed.connect(self.refresh)
        self.typed = TypedPage()
        if settings.value("typed"):
            self.typed.set_text(str(settings.value("typed")))
        self.typed.changed.connect(self._typed_changed)
        self.typed.edit.setFixedHeight(EDITOR_HEIGHT)
        self.sources.addWidget(self.maker)
        self.sources.addWidget(self._typed_page())
        self.sources.addWidget(self._open_page())
        self.shelf = ShelfPage(jobs, shelf)
        self.shelf.chosen.connect(self._from_shelf)
        self.shelf.trouble.connect(self.trouble)
        self.shelf.message.connect(self.message)
        self.shelved: Score | None = None
        self.sources.addWidget(self.shelf)
        self.grid.hide()
        self.grid_words.hide()
        column.addWidget(self.sources)
        self.note = QLabel()
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        self.whom = PartChoice()
        self.whom.changed.connect(self._choose_part)
        column.addWidget(self.whom)
        column.addWidget(self.note)
        self.view = PartView(self.jobs)
        self.view.paper.bar_chosen.connect(self._bar_chosen)
        self.view.paper.note_chosen.connect(self.remind)
        self.reminders: dict[str, str] = {}
        self.look = AnalysisList()
        self.look.shown.connect(self._show_notes)
        self.look.ticked.connect(self._pencil)
        self.look.asked_whom.connect(
            lambda: self.players_menu().popup(self.look.whom.mapToGlobal(self.look.whom.rect().bottomLeft()))
        )
        # for whom it is looked over, and the written notes they have learnt
        self.player, self.known = "", frozenset[int]()
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self.view)
        split.addWidget(self.look)
        split.setStretchFactor(0, 1)
        split.setCollapsible(0, False)
        split.setSizes([860, width_at(11.0)])
        split.setObjectName("pattern")
        column.addWidget(split, 1)
        self.shown = DisplayOptions()
        self.shown.changed.connect(self._show_part)
        column.addWidget(self.shown)
        self.choose_way("make")

    # ---- construction
    # --------------------------------------------------------------------------------------------

    def _ways(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.way_buttons = QButtonGroup(self)
        for k, (way, words) in enumerate(WAYS):
            button = QPushButton(_(words))
            button.setCheckable(True)
            button.setChecked(way == self.way)
            button.clicked.connect(lambda _unused=False, w=way: self.choose_way(w))
            self.way_buttons.addButton(button, k)
            row.addWidget(button)
        row.addStretch(1)
        self.shelf_button = QPushButton(_("Put on the shelf"))
        self.shelf_button.clicked.connect(self.put_on_shelf)
        row.addWidget(self.shelf_button)
        self.give_button = QPushButton(_("Assign…"))
        self.give_button.setToolTip(_("As an assignment, with the traps that are ticked"))
        row.addWidget(self.give_button)
        self.play_button = QPushButton(_("Play"))
        self.play_button.setToolTip("Space")
        self.play_button.clicked.connect(self.toggle_play)
        row.addWidget(self.play_button)
        self.loupe_button = QPushButton(_("Compare a take…"))
        self.loupe_button.clicked.connect(self.take_to_loupe)
        row.addWidget(self.loupe_button)
        return row

    def _typed_page(self) -> QWidget:
        self.typed_for = QComboBox()
        self.typed_for.setAccessibleName(_("The instrument the line is written for"))
        for i in instruments():
            if i.clef != "percussion":
                self.typed_for.addItem(i.name, i.id)
        self.typed_for.setCurrentIndex(self.typed_for.findData("flute"))
        self.typed_for.currentIndexChanged.connect(lambda _unused: self.refresh())
        self.typed.row.insertWidget(0, plain(_("Written for")))
        self.typed.row.insertWidget(1, self.typed_for)
        self.typed.keys_box.toggled.connect(lambda _unused: self._fit_sources())
        return self.typed

    def _open_page(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        button = QPushButton(_("Open a file…"))
        button.clicked.connect(lambda: self.open_file())
        row.addWidget(button)
        self.tunes = QComboBox()
        self.tunes.setAccessibleName(_("The tune of the book"))
        self.tunes.currentIndexChanged.connect(lambda _unused: self.refresh() if self.way == "open" else None)
        row.addWidget(self.tunes)
        self.tunes.hide()
        self.grid_words = plain(_("Grid"))
        self.grid = QComboBox()
        self.grid.setAccessibleName(_("The grid that played notes are drawn to"))
        for words, grid in GRIDS.items():
            self.grid.addItem(_(words), grid)
        self.grid.currentIndexChanged.connect(lambda _unused: self.open_file(self.opened_path, ask=False))
        row.addWidget(self.grid_words)
        row.addWidget(self.grid)
        row.addStretch(1)
        return page

    # ---- what is shown
    # -------------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.typed.set_points(points)
        self.typed.read()
        self.maker.rebuild()
        self.shelf.set_theme(theme, points)
        self.view.paper.points = points
        self.choose_way(self.way)

    def choose_way(self, way: str) -> None:
        self.way = way
        index = [w for w, _unused in WAYS].index(way)
        self.way_buttons.button(index).setChecked(True)
        self.sources.setCurrentIndex(index)
        self.shelf_button.setVisible(way != "shelf")
        if way == "shelf":
            self.shelf.fill(self.shelf_id)
        self._fit_sources()
        self.refresh()
        if way == "type":
            self.typed.edit.setFocus()

    def _fit_sources(self) -> None:
        """As much height as the way of getting music needs."""
        keys = KEYS_HEIGHT if self.typed.edit.by_keys else 0
        heights = {"make": MAKER_HEIGHT, "type": EDITOR_HEIGHT + 90 + keys, "open": 44, "shelf": SHELF_HEIGHT}
        self.sources.setMaximumHeight(round(heights[self.way] * self.points / 11.0))

    awake = False  # nothing is made before the place is first seen

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if not self.awake:
            self.awake = True
            self.refresh()

    def refresh(self) -> None:
        """Makes or reads the music anew and shows it."""
        if not self.awake:
            return
        self.told, self.score = (), None
        music = {
            "make": (self.maker.drill, self.maker.players),
            "open": (self.opened_path, self.tunes.currentIndex()),
            "shelf": self.shelf_id,
        }.get(self.way, "")
        if (self.way, music) != self._reminded:
            self.reminders, self._reminded = {}, (self.way, music)
        try:
            if self.way == "make":
                made = make_exercise(self.maker.drill, self.maker.players)
                self.score, self.told = made.score, made.told
            elif self.way == "type" and self.typed.score is not None:
                self.score = self._written_for(self.typed.score)
            elif self.way == "open" and self.opened:
                self.score = self.opened[max(0, self.tunes.currentIndex())]
                self.told = self.score.warnings
            elif self.way == "shelf":
                self.score = self.shelved
                piece = self.shelf.piece()
                self.told = (piece.background,) if piece is not None and piece.background else ()
        except JewellerError as error:
            self.told = (str(error),)
        self.note.setText(
            " ".join(self.told[:4])
            + (_(" And {n} more.").format(n=len(self.told) - 4) if len(self.told) > 4 else "")
        )
        self.note.setVisible(bool(self.told))
        self.whom.show_score(self.score, free=self.way in ("open", "shelf"))
        self.stop()
        self._show_part()

    shelf_id = ""
    _reminded: tuple[str, object] = ("", "")  # the music that the reminders belong to

    def _typed_changed(self) -> None:
        """What is typed is kept, and there again the next time."""
        self.settings.setValue("typed", self.typed.edit.toPlainText())
        if self.way == "type":
            self.refresh()
            part, entered = self.part(), self.typed.entered()
            notes = (
                [n.id for b in part.bars for n in b.notes] if part is not None and entered is not None else []
            )
            if entered is not None and entered < len(notes):
                self._show_notes((notes[entered],))

    def _from_shelf(self, piece_id: str) -> None:
        """Shows a piece of the shelf."""
        shelf = self.shelf.open()
        if shelf is None:
            return
        try:
            self.shelved, self.shelf_id = shelf.score(piece_id), piece_id
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.refresh()

    def put_on_shelf(self) -> None:
        """Keeps what is shown on the shelf."""
        score = self.printed()
        if score is not None:
            self.shelf.put(score)

    def _written_for(self, score: Score) -> Score:
        """A typed line as a part of the instrument it is written for."""
        instrument = require_instrument(str(self.typed_for.currentData()))
        name, chromatic = instrument.name, instrument.chromatic
        parts = [
            dataclasses.replace(
                p, name=name, instrument=name, chromatic=chromatic, diatonic=diatonic_of(chromatic)
            )
            if not p.instrument
            else p
            for p in score.parts
        ]
        return dataclasses.replace(score, parts=tuple(parts))

    def part(self) -> Part | None:
        """The part that is shown."""
        return self.whom.part(self.score)

    def printed(self) -> Score | None:
        """What is saved and taken along: everything, or, where it was written for another instrument, the
        part that is shown.
        """
        part = self.part()
        if self.score is None or part is None or not self.whom.moved:
            return self.score
        return dataclasses.replace(self.score, parts=(part,))

    def _choose_part(self) -> None:
        """Another part, or one for somebody else: where it lies badly is said."""
        self.whom.fit()
        advice = self.whom.advice(self.score)
        if advice:
            self.note.setText(advice)
        self.note.setVisible(bool(advice or self.told))
        self._show_part()

    def _show_part(self) -> None:
        if not self.awake:
            return
        part = self.part()
        words = {
            "open": _("Drop a notation file here, or open one."),
            "shelf": _("Choose a piece. What was made, typed or opened is put here by “Put on the shelf”."),
        }
        empty = words.get(self.way, _("There is nothing to show yet."))
        playable = part is not None and part.note_count > 0
        self.view.paper.show_part(part, self.theme, self.shown.under(), empty, self.shown.bars_per_line)
        known = self.known if self.player else frozenset()
        over = analyse_part(part, instrument_of(part), known) if part is not None and playable else None
        missing = scale_unknown(part, known) if part is not None and self.player else ()
        scale = (
            _("Of its scale {notes} are new for {player}.").format(
                notes=", ".join(missing[:6]) + (" …" if len(missing) > 6 else ""), player=self.player
            )
            if missing
            else _("{player} knows every note of its scale.").format(player=self.player)
            if self.player
            else ""
        )
        across = (
            describe_ensemble(self.score)
            if self.score is not None and len(self.score.parts) > 1 and self.way != "make"
            else []
        )
        self.look.show_over(over, self.theme, self.points, across, self.player, scale)
        outside = (
            next((t.notes for t in over.traps if t.what.startswith(OUTSIDE)), ()) if over is not None else ()
        )
        if outside:  # nothing is moved to fit: what cannot be played is shown
            self.view.paper.mark(frozenset(outside), {})
        for button in (self.play_button, self.loupe_button, self.shelf_button):
            button.setEnabled(playable)
        self._pencil()

    def players_menu(self) -> QMenu:
        """For whom the part is looked over."""
        menu = QMenu(self)
        menu.addAction(_("any player")).triggered.connect(
            lambda _unused=False: self.look_for("", frozenset())
        )
        library = self.library()
        if library is not None:
            for player in library.players():
                menu.addAction(player.name).triggered.connect(
                    lambda _unused=False, p=player, of=library: self.look_for(p.name, known_notes(of, p))
                )
        return menu

    def look_for(self, player: str, known: frozenset[int]) -> None:
        """Looks the part over for a player who has learnt some (written) notes."""
        self.player, self.known = player, known
        self._show_part()

    def _show_notes(self, notes: tuple[str, ...]) -> None:
        paper = self.view.paper
        paper.mark(frozenset(notes), paper.pencilled)
        if notes:
            self.view.bring(str(notes[0]))

    def remind(self, note: str, words: str | None = None) -> None:
        """Words pencilled above a note, asked for where they are not given; none takes them away. They are
        printed too.
        """
        if words is None:
            words, ok = QInputDialog.getText(
                self,
                _("A reminder"),
                _("Pencilled above this note (empty: taken away):"),
                text=self.reminders.get(note, ""),
            )
            if not ok:
                return
        if words.strip():
            self.reminders[note] = words.strip()[:REMINDER]
        else:
            self.reminders.pop(note, None)
        self._pencil()

    def _bar_chosen(self, bar: int) -> None:
        """Says what every part has in a bar, each in its own letters."""
        if self.score is None or len(self.score.parts) < 2 or self.whom.moved:
            return
        lines = compare_parts(self.score, bar, bar)
        number = self.score.parts[0].bars[bar].number if bar < len(self.score.parts[0].bars) else str(bar + 1)
        self.note.setText(
            _("Bar {number}: ").format(number=number)
            + "; ".join(f"{x.part} {' '.join(x.own)}" for x in lines)
            + "."
        )
        self.note.show()

    def keep_files(self, paths: list[str]) -> None:
        """Puts every piece of many files on the shelf; what cannot be read is named, the others are kept all
        the same.
        """
        job = self.jobs.process("keep", read_many, paths)
        job.progress.connect(lambda share, what: self.message.emit(_("Reading {what} …").format(what=what)))
        job.failed.connect(self.trouble)
        job.done.connect(self._keep)

    def _keep(self, found: list[tuple[Score, ...] | str]) -> None:
        shelf = self.shelf.open()
        if shelf is None:
            return
        new = there = 0
        bad: list[str] = []
        for answer in found:
            if isinstance(answer, str):
                bad.append(answer)
                continue
            for score in answer:
                if shelf.same_music(score):
                    there += 1
                elif self.shelf.put(score) is not None:
                    new += 1
        self.choose_way("shelf")
        self.message.emit(
            (
                ngettext(
                    "{n} piece put on the shelf, {there} were there already.",
                    "{n} pieces put on the shelf, {there} were there already.",
                    new,
                )
                if there
                else ngettext("{n} piece put on the shelf.", "{n} pieces put on the shelf.", new)
            ).format(n=new, there=there)
        )
        if bad:
            self.trouble.emit(
                "\n".join([*bad[:8], *([_("and {n} more").format(n=len(bad) - 8)] if len(bad) > 8 else [])])
            )

    def _pencil(self) -> None:
        """Numbers the notes of the ticked traps on the part."""
        marks = dict(self.reminders)
        for k, trap in enumerate(self.look.ticks(), 1):
            for note in trap.notes:
                marks[note] = f"{marks[note]} {k}" if note in marks else str(k)
        paper = self.view.paper
        if marks != paper.pencilled:
            paper.mark(paper.washed, marks)

    # ---- opening, leaving, hearing
    # -------------------------------------------------------------------------------

    def open_file(self, path: str = "", *, ask: bool = True) -> None:
        """Opens every tune of a notation file. What was open stays where it cannot be read."""
        if not path and ask:
            folder = str(self.settings.value("folder", str(Path.home())))
            pattern = " ".join(f"*{e}" for e in ENDINGS)
            path, _unused = QFileDialog.getOpenFileName(
                self,
                _("Open a score"),
                folder,
                _("Notation files ({pattern});;All files (*)").format(pattern=pattern),
            )
        if not path:
            return
        played = Path(path).suffix.casefold() in (".mid", ".midi")
        self.reading = self.jobs.threaded(
            "read", partial(load_scores, path, grid=self.grid.currentData() if played else None)
        )
        self.message.emit(_("Reading {name}…").format(name=Path(path).name))
        self.reading.done.connect(lambda scores: self._opened(path, scores, played))
        self.reading.failed.connect(self._unread)

    def _unread(self, sentence: str) -> None:
        self.reading = None
        self.message.emit("")
        self.trouble.emit(sentence)

    def _opened(self, path: str, scores: tuple[Score, ...], played: bool) -> None:
        self.reading = None
        self.message.emit("")
        self.settings.setValue("folder", str(Path(path).parent))
        self.opened, self.opened_path = scores, path
        self.grid.setVisible(played)
        self.grid_words.setVisible(played)
        self.tunes.blockSignals(True)
        self.tunes.clear()
        for k, score in enumerate(scores, 1):
            self.tunes.addItem(score.title or f"{Path(path).stem} {k}")
        self.tunes.setVisible(len(scores) > 1)
        self.tunes.blockSignals(False)
        self.choose_way("open")

    def save(self, kind: str = "pdf", path: str = "") -> None:
        """Writes the sheet: every part, as it is shown."""
        if self.score is None:
            self.message.emit(_("There is nothing to save yet."))
            return
        ending = next(e for k, _unused, e in SHEETS if k == kind)
        if not path:
            folder = Path(str(self.settings.value("save_folder", str(Path.home()))))
            path, _unused = QFileDialog.getSaveFileName(
                self, _("Save the sheet"), str(folder / f"{self._file_name()}{ending}"), f"*{ending}"
            )
        if not path:
            return
        self.settings.setValue("save_folder", str(Path(path).parent))
        if kind == "wav":
            job = self.jobs.process("sheet", write_part_sound, self.part(), path)
        else:
            job = self.jobs.process(
                "sheet", write_sheet, self.printed(), self.shown.settings(self.reminders), {kind: path}
            )
        self.message.emit(_("Writing…"))
        job.done.connect(lambda paths: self.message.emit(_("Saved: ") + ", ".join(str(p) for p in paths)))
        job.failed.connect(self.trouble)

    def _file_name(self) -> str:
        title = self.score.title if self.score is not None else ""
        return "".join(c if c.isalnum() or c in " -♭♯" else "-" for c in title).strip() or "sheet"

    def take_to_loupe(self, path: str | bool = "") -> None:
        """Keeps the music as MusicXML and opens it where a take is compared with it."""
        score = self.printed()
        if score is None:
            return
        if self.way == "open" and len(self.opened) == 1 and not self.whom.moved:
            self.to_loupe.emit(self.opened_path, self.whom.parts.currentText())
            return
        if not isinstance(path, str) or not path:
            folder = Path(str(self.settings.value("save_folder", str(Path.home()))))
            path, _unused = QFileDialog.getSaveFileName(
                self, _("Keep the music as"), str(folder / f"{self._file_name()}.musicxml"), "*.musicxml"
            )
        if not path:
            return
        try:
            write_bytes(Path(path), write_musicxml(score))
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.to_loupe.emit(path, self.whom.parts.currentText())

    def toggle_play(self) -> None:
        """Plays the part shown at its own speed, or stops."""
        part = self.part()
        if self.playing_ends.isActive() or part is None:
            self.stop()
            return
        self.play_button.setText(_("Stop"))
        self.playing_ends.start()
        job = self.jobs.threaded("listen", sounded, part, instrument_of(part).sound or "flute")
        job.done.connect(self._play)
        job.failed.connect(self.trouble)
        job.failed.connect(self.stop)

    def _play(self, model: Model) -> None:
        whole = cut(model.samples, model.rate, 0.0, len(model.samples) / model.rate, 1.0, "model")
        self.transport.play([whole])
        if self.transport.speaker.silent:
            self.message.emit(_("No sound device: this plays silently."))

    def _look_whether_it_plays(self) -> None:
        if not self.transport.playing and not self.jobs.running("listen"):
            self.stop()

    def stop(self) -> None:
        self.jobs.cancel("listen")
        self.playing_ends.stop()
        self.transport.stop()
        self.play_button.setText(_("Play"))
