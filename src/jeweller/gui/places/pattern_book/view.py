"""The pattern book: music made by sentence, typed in, or opened; engraved beside what there is to see in it;
printed, heard, or taken to the loupe.
"""

from __future__ import annotations

import copy
import dataclasses
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.audio.ports import Speaker
from jeweller.documents.theme import LIGHT, Theme
from jeweller.errors import JewellerError
from jeweller.gui.places.loupe.margin import width_at
from jeweller.gui.places.pattern_book.analysis_list import AnalysisList
from jeweller.gui.places.pattern_book.choices import WAYS
from jeweller.gui.places.pattern_book.display_options import DisplayOptions, PartChoice
from jeweller.gui.places.pattern_book.files import MusicFiles, is_played
from jeweller.gui.places.pattern_book.from_page import FromPage
from jeweller.gui.places.pattern_book.listening import PartListening
from jeweller.gui.places.pattern_book.model import Overview, PatternModel
from jeweller.gui.places.pattern_book.opened_row import OpenedRow
from jeweller.gui.places.pattern_book.part_view import PartView
from jeweller.gui.places.pattern_book.sentence import ExerciseSentence
from jeweller.gui.places.pattern_book.shelf_page import ShelfPage
from jeweller.gui.places.pattern_book.typed_page import TypedPage
from jeweller.gui.places.place import NextStep
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.gui.widgets.readable import StayingButton
from jeweller.i18n import _
from jeweller.instruments.table import instruments
from jeweller.library.library import Library
from jeweller.library.progress import known_notes
from jeweller.notation.model import Part, Score

AT_ONCE_BARS = 60  # a longer part is looked over in a thread
TOLD = 4  # sentences about the music that are shown at once
MAKER_HEIGHT, EDITOR_HEIGHT, KEYS_HEIGHT, SHELF_HEIGHT = 104, 150, 44, 292
PAGE_HEIGHT = 356


class PatternPlace(QWidget):
    """`message` is a line for the foot of the window, `trouble` a sentence in a box, `to_loupe` the path of a
    score and the part of it to compare a take with, `to_booth` a score and the part to be practised.
    """

    message = Signal(str)
    trouble = Signal(str)
    to_loupe = Signal(str, str)
    to_booth = Signal(object, str)

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
        self.model = PatternModel()
        self.files = MusicFiles(self, self.model, jobs, settings)
        self.files.opened.connect(self._opened)
        self.files.many.connect(self._keep)
        self.listening = PartListening(self, jobs, speaker)
        self.listening.turned.connect(self._turned)
        for part in (self.files, self.listening):
            part.message.connect(self.message)
            part.trouble.connect(self.trouble)
        self.theme, self.points = LIGHT, 11.0
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
        opened = OpenedRow()
        self.tunes, self.grid, self.grid_words = opened.tunes, opened.grid, opened.grid_words
        opened.asked.connect(self.open_file)
        self.tunes.currentIndexChanged.connect(self._tune_chosen)
        self.grid.currentIndexChanged.connect(lambda _i: self.open_file(self.model.opened_path, ask=False))
        self.sources.addWidget(opened)
        self.page = self._read_page()
        self.sources.addWidget(self.page)
        self.shelf = ShelfPage(jobs, shelf)
        self.shelf.chosen.connect(self._from_shelf)
        self.shelf.trouble.connect(self.trouble)
        self.shelf.message.connect(self.message)
        self.sources.addWidget(self.shelf)
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
        self.look = AnalysisList()
        self.look.shown.connect(self._show_notes)
        self.look.ticked.connect(self._pencil)
        self.look.asked_whom.connect(
            lambda: self.players_menu().popup(self.look.whom.mapToGlobal(self.look.whom.rect().bottomLeft()))
        )
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self.view)
        split.addWidget(self.look)
        split.setStretchFactor(0, 1)
        split.setCollapsible(0, False)
        split.setSizes([860, width_at(11.0)])
        split.setObjectName("pattern")
        column.addWidget(split, 1)
        self.shown = DisplayOptions(settings)
        self.shown.changed.connect(self._show_part)
        column.addWidget(self.shown)
        self.choose_way("make")

    # ---- construction

    def _ways(self) -> FlowRow:
        row = FlowRow(spacing=4)
        self.way_buttons = QButtonGroup(self)
        for k, (way, words) in enumerate(WAYS):
            button = StayingButton(_(words))
            button.setChecked(way == self.model.way)
            button.clicked.connect(lambda _unused=False, w=way: self.choose_way(w))
            self.way_buttons.addButton(button, k)
            row.addWidget(button)
        row.addStretch()
        self.shelf_button = QPushButton(_("Put on the shelf"))
        self.shelf_button.clicked.connect(self.put_on_shelf)
        row.addWidget(self.shelf_button)
        self.give_button = QPushButton(_("Assign…"))
        self.give_button.setToolTip(_("As an assignment, with the traps that are ticked"))
        row.addWidget(self.give_button)
        self.play_button = QPushButton(_("Play"))
        self.play_button.setToolTip(_("Space"))
        self.play_button.clicked.connect(self.toggle_play)
        row.addWidget(self.play_button)
        self.loupe_button = QPushButton(_("Compare a take…"))
        self.loupe_button.clicked.connect(self.take_to_loupe)
        row.addWidget(self.loupe_button)
        self.booth_button = QPushButton(_("Practise it"))
        self.booth_button.setToolTip(_("In the booth: counted in, recorded, tried again"))
        self.booth_button.clicked.connect(self.take_to_booth)
        row.addWidget(self.booth_button)
        return row

    def _typed_page(self) -> QWidget:
        self.typed_for = QComboBox()
        self.typed_for.setAccessibleName(_("The instrument the line is written for"))
        for i in instruments():
            if i.clef != "percussion":
                self.typed_for.addItem(i.said, i.id)
        self.typed_for.setCurrentIndex(self.typed_for.findData("flute"))
        self.typed_for.currentIndexChanged.connect(lambda _unused: self.refresh())
        self.typed.row.insertWidget(0, plain(_("Written for")))
        self.typed.row.insertWidget(1, self.typed_for)
        self.typed.keys_box.toggled.connect(lambda _unused: self._fit_sources())
        return self.typed

    def _read_page(self) -> FromPage:
        page = FromPage(self.jobs, self.settings)
        page.changed.connect(self._page_changed)
        page.moved.connect(self._mark_page)
        page.trouble.connect(self.trouble)
        page.message.connect(self.message)
        page.kept.connect(lambda score, held: self.shelf.put(score, held))
        return page

    def open_page(self, path: str) -> None:
        """Reads the music of a PDF's pages, or of a picture."""
        self.choose_way("page")
        self.page.open(path)

    def _page_changed(self) -> None:
        if self.model.way == "page":
            self._fit_sources()
            self.refresh()
            self._mark_page()

    def _mark_page(self) -> None:
        """What is doubted of the piece is washed, and what is looked at is brought into sight."""
        if self.model.way == "page":
            notes = self.page.marked_notes()
            self.view.paper.mark(notes, self.view.paper.pencilled)
            self.view.bring(self.page.looked_note())

    def _tune_chosen(self, _index: int) -> None:
        if self.model.way == "open":
            self.refresh()

    # ---- what is shown

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        self.typed.set_points(points)
        self.typed.read()
        self.maker.rebuild()
        self.shelf.set_theme(theme, points)
        self.view.paper.points = points
        self.choose_way(self.model.way)

    def choose_way(self, way: str) -> None:
        self.model.way = way
        index = [w for w, _unused in WAYS].index(way)
        self.way_buttons.button(index).setChecked(True)
        self.sources.setCurrentIndex(index)
        self.shelf_button.setVisible(way != "shelf")
        if way == "shelf":
            self.shelf.fill(self.model.shelf_id)
        self._fit_sources()
        self.refresh()
        if way == "type":
            self.typed.edit.setFocus()

    def _fit_sources(self) -> None:
        """As much height as the way of getting music needs."""
        keys = KEYS_HEIGHT if self.typed.edit.by_keys else 0
        page = PAGE_HEIGHT if self.page.score is not None else 44
        heights = {"make": MAKER_HEIGHT, "type": EDITOR_HEIGHT + 90 + keys, "open": 44, "page": page}
        heights["shelf"] = SHELF_HEIGHT
        self.sources.setMaximumHeight(round(heights[self.model.way] * self.points / 11.0))

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
        model, way = self.model, self.model.way
        if way == "make":
            model.page = self.maker.page
            model.make(self.maker.drill, self.maker.players)
        elif way == "type":
            model.write(self.typed.score, str(self.typed_for.currentData()))
        elif way == "open":
            model.open_tune(self.tunes.currentIndex())
        elif way == "page":
            model.look_over(self.page.score, (self.page.model.path, self.page.model.index))
        else:
            model.take_from_shelf(self.shelf.piece())
        told = model.told
        self.note.setText(
            " ".join(told[:TOLD]) + (_(" And {n} more.").format(n=len(told) - TOLD) if told[TOLD:] else "")
        )
        self.note.setVisible(bool(told))
        self.whom.show_score(model.score, free=way in ("open", "shelf"))
        self.listening.stop()
        self._show_part()

    def _typed_changed(self) -> None:
        """What is typed is kept, and there again the next time."""
        self.settings.setValue("typed", self.typed.edit.toPlainText())
        if self.model.way == "type":
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
            self.model.shelved, self.model.shelf_id = shelf.score(piece_id), piece_id
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.refresh()

    def put_on_shelf(self) -> None:
        """Keeps what is shown on the shelf, with the page it was read from."""
        score = self.printed()
        if score is not None:
            self.shelf.put(score, self.page.kept_page() if self.model.way == "page" else None)

    def part(self) -> Part | None:
        """The part that is shown."""
        return self.whom.part(self.model.score)

    def printed(self) -> Score | None:
        """What is saved and taken along: everything, or, where it was written for another instrument, the
        part that is shown.
        """
        part = self.part()
        if self.model.score is None or part is None or not self.whom.moved:
            return self.model.score
        return dataclasses.replace(self.model.score, parts=(part,))

    def _choose_part(self) -> None:
        """Another part, or one for somebody else: where it lies badly is said."""
        self.whom.fit()
        advice = self.whom.advice(self.model.score)
        if advice:
            self.note.setText(advice)
        self.note.setVisible(bool(advice or self.model.told))
        self._show_part()

    def _show_part(self) -> None:
        if not self.awake:
            return
        part = self.part()
        words = {
            "open": _("Drop a notation file here, or open one."),
            "page": _(
                "Drop a page here, a PDF, a scan or a photo, or read one: one staff at a time is read."
            ),
            "shelf": _("Choose a piece. What was made, typed or opened is put here by “Put on the shelf”."),
        }
        empty = words.get(self.model.way, _("There is nothing to show yet."))
        playable = part is not None and part.note_count > 0
        self.view.paper.show_part(part, self.theme, self.shown.under(), empty, self.shown.bars_per_line)
        if part is not None and len(part.bars) > AT_ONCE_BARS:
            self._show_overview(Overview(analysis=None, scale="", across=[]))
            # what the model is by then is not what this part is looked over for: the thread has its own copy
            job = self.jobs.threaded("part looked over", copy.copy(self.model).survey, part)
            job.done.connect(self._show_overview)
            job.failed.connect(self.trouble)
        else:
            self.jobs.cancel("part looked over")
            self._show_overview(self.model.survey(part))
        for button in (self.play_button, self.loupe_button, self.shelf_button):
            button.setEnabled(playable)
        self._pencil()

    def _show_overview(self, overview: Overview) -> None:
        self.look.show_over(
            overview.analysis, self.theme, self.points, overview.across, self.model.player, overview.scale
        )
        if overview.outside:  # nothing is moved to fit: what cannot be played is shown
            self.view.paper.mark(frozenset(overview.outside), {})

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
        self.model.player, self.model.known = player, known
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
                text=self.model.reminders.get(note, ""),
            )
            if not ok:
                return
        self.model.remind(note, words)
        self._pencil()

    def _bar_chosen(self, bar: int) -> None:
        """Says what every part has in a bar, each in its own letters."""
        part = self.part()
        if self.model.way == "page" and part is not None and bar < len(part.bars) and part.bars[bar].notes:
            self.page.look_at_note(part.bars[bar].notes[0].id)
            return
        words = "" if self.whom.moved else self.model.describe_bar(bar)
        if words:
            self.note.setText(words)
            self.note.show()

    def keep_files(self, paths: list[str]) -> None:
        """Puts every piece of many files on the shelf; what cannot be read is named, the others are kept all
        the same.
        """
        self.files.read_all(paths)

    def _keep(self, found: list[tuple[Score, ...] | str]) -> None:
        if self.shelf.put_all(found):
            self.choose_way("shelf")

    def _pencil(self) -> None:
        """Numbers the notes of the ticked traps on the part."""
        paper, marks = self.view.paper, self.model.pencilled(self.look.ticks())
        if marks != paper.pencilled:
            paper.mark(paper.washed, marks)

    # ---- opening, leaving, hearing

    def open_file(self, path: str = "", *, ask: bool = True) -> None:
        """Opens every tune of a notation file. What was open stays where it cannot be read."""
        self.files.open(path, self.grid.currentData(), ask=ask)

    def _opened(self) -> None:
        """A file was read: its tunes are there to choose from."""
        path, scores = self.model.opened_path, self.model.opened
        self.grid.setVisible(is_played(path))
        self.grid_words.setVisible(is_played(path))
        self.tunes.blockSignals(True)
        self.tunes.clear()
        for k, score in enumerate(scores, 1):
            self.tunes.addItem(score.title or f"{Path(path).stem} {k}")
        self.tunes.setVisible(len(scores) > 1)
        self.tunes.blockSignals(False)
        self.choose_way("open")

    def save(self, kind: str = "pdf", path: str = "") -> None:
        """Writes the sheet: every part, as it is shown."""
        if self.model.score is None:
            self.message.emit(_("There is nothing to save yet."))
            return
        settings = self.shown.settings(self.model.reminders)
        self.files.save(kind, path, self.part(), self.printed(), settings)

    def take_to_loupe(self, path: str | bool = "") -> None:
        """Keeps the music as MusicXML and opens it where a take is compared with it."""
        score = self.printed()
        if score is None:
            return
        if self.model.way == "open" and len(self.model.opened) == 1 and not self.whom.moved:
            kept = self.model.opened_path
        else:
            kept = self.files.keep_music(score, path if isinstance(path, str) else "")
        if kept:
            self.to_loupe.emit(kept, self.whom.parts.currentText())

    def take_to_booth(self) -> None:
        """The music, to be practised."""
        score = self.printed()
        if score is not None:
            self.to_booth.emit(score, self.whom.parts.currentText())

    def arrive(self) -> None:
        """Everything is as it was left."""

    def next_step(self) -> NextStep:
        return _("Save the sheet…"), self.save

    def stop_playing(self) -> None:
        self.listening.stop()

    def toggle_play(self) -> None:
        """Plays the part shown at its own speed, or stops."""
        self.listening.toggle(self.part())

    def _turned(self, on: bool) -> None:
        self.play_button.setText(_("Stop") if on else _("Play"))
