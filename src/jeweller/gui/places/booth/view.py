"""The booth: the part, how the next take is made, the count while it is made, the marked part after it, and
the takes of this session.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QComboBox,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.booth.echo import ROUNDS
from jeweller.decisions.records import decisions_path
from jeweller.documents.text_lines import TextLineSettings
from jeweller.documents.theme import LIGHT, Theme
from jeweller.errors import JewellerError
from jeweller.gui.places.booth.after_row import AfterRow
from jeweller.gui.places.booth.menu import fill_more
from jeweller.gui.places.booth.model import BoothModel, BoothStage
from jeweller.gui.places.booth.moments import TakeMoments
from jeweller.gui.places.booth.own_view_page import OwnViewPanel
from jeweller.gui.places.booth.paper import BoothSheet
from jeweller.gui.places.booth.sentence import PlanSentence
from jeweller.gui.places.booth.strip import StripArea
from jeweller.gui.places.booth.take_log import hand_in
from jeweller.gui.places.booth.turns import echo_sentence
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.places.loupe.view import Loupe
from jeweller.gui.places.place import NextStep
from jeweller.gui.services.devices import Devices
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.shell.menus import add_action
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.player_choice import PlayerChoice
from jeweller.i18n import _
from jeweller.instruments.table import find_instrument
from jeweller.library.intake import part_for
from jeweller.notation.model import Score
from jeweller.repertoire.shelf import Shelf

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player

SHEET, LOUPE = range(2)


class BoothPlace(QWidget):
    """`message` is a line for the foot of the window, `trouble` a sentence in a box, `changed` another next
    step, `warm_up_wanted` that somebody wants to warm up first, `handed_in` a take for the bench.
    """

    message = Signal(str)
    trouble = Signal(str)
    changed = Signal()
    warm_up_wanted = Signal()
    handed_in = Signal(int)

    def __init__(
        self,
        jobs: Jobs,
        devices: Devices,
        settings: QSettings,
        folder: Callable[[], Path],
        library: Callable[[], Library | None],
    ) -> None:
        super().__init__()
        self.jobs, self.library = jobs, library
        self.model = BoothModel(jobs, devices, settings, folder, self)
        self.model.changed.connect(self.refresh)

        self.model.message.connect(self.message)
        self.model.trouble.connect(self.trouble)
        devices.measured.connect(self.message)
        self.theme, self.points = LIGHT, 11.0
        self.warmed_up = False
        self._shown: tuple[object, ...] = ()
        self._opened: object = None
        self._shelf: Shelf | None = None
        self._folder = folder
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 8)
        column.setSpacing(8)
        column.addLayout(self._choices())
        self.sentence = PlanSentence(self.model)
        column.addWidget(self.sentence)
        self.sheet = BoothSheet(jobs)
        self.sheet.paper.bar_chosen.connect(self._bar_chosen)
        self.moments = TakeMoments(self.model, self.sheet)
        self.model.ticked.connect(self.moments.tick)
        column.addWidget(self.moments.count)
        column.addWidget(self.moments.rail)
        self.own_view = OwnViewPanel()
        self.own_view.said.connect(self.model.say_first)
        self.own_view.marked.connect(self._mark_bars)
        column.addWidget(self.own_view)
        self.told = wrapped("", 11)
        column.addWidget(self.told)
        self.after = AfterRow(self.model)
        self.after.harder.clicked.connect(self._take_next_piece)
        column.addWidget(self.after)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.sheet)
        self.loupe = Loupe(jobs, devices.speaker)
        self.loupe.message.connect(self.message)
        self.loupe.changed.connect(self.changed)
        self.pages.addWidget(self.loupe)
        column.addWidget(self.pages, 1)
        column.addLayout(self.moments.foot())
        self.strip = StripArea()
        self.strip.strip.chosen.connect(self._show_take)
        self.strip.strip.beside.connect(self._compare_with)
        self._beside: int | None = None
        column.addWidget(self.strip)
        for key, act in (
            ("Return", self.enter),
            ("Enter", self.enter),
            ("S", self.model.slower),
            ("J", self.model.join),
            ("W", self.model.widen),
            ("F", self.model.find_first_note),
        ):
            shortcut = QShortcut(QKeySequence(key), self, act)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.refresh()

    # ---- construction

    def _choices(self) -> FlowRow:
        row = FlowRow(spacing=8)
        self.pieces, self.parts = QComboBox(), QComboBox()
        for box, name in ((self.pieces, _("The piece")), (self.parts, _("The part"))):
            box.setAccessibleName(name)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
            box.setMinimumContentsLength(14)
            row.addWidget(box)
        self.players = PlayerChoice(self.library)
        row.addWidget(self.players)
        self.pieces.activated.connect(self._piece_chosen)
        self.parts.activated.connect(self._part_chosen)
        self.players.picked.connect(self._player_chosen)
        row.addStretch()
        self.first_note = QPushButton(_("Find the first note (F)"))
        self.first_note.clicked.connect(lambda: self.model.find_first_note())
        self.listen = QPushButton(_("Listen (Space)"))
        self.listen.clicked.connect(self.toggle_play)
        self.echo = QPushButton(_("Echo"))
        self.echo.setToolTip(_("Phrase by phrase: the program plays, you answer"))
        self.echo.clicked.connect(self._ask_round)
        self.sight = QPushButton(_("First sight"))
        self.sight.setToolTip(_("Look it over for a while, then play it once"))
        self.sight.clicked.connect(self.model.first_sight)
        self.more = QPushButton(_("More…"))
        self.more.clicked.connect(self._more)
        for button in (self.first_note, self.listen, self.echo, self.sight, self.more):
            row.addWidget(button)
        return row

    # ---- what is chosen

    def arrive(self) -> None:
        """The shelf and the players may be others by now."""
        self.fill()
        self.setFocus()

    def fill(self) -> None:
        """What can be chosen."""
        self._shelf = Shelf(self._folder() / "shelf")
        here = self.model.music.piece if self.model.music is not None else ""
        self.pieces.clear()
        self.pieces.addItem(_("Choose a piece…"), "")
        for piece in sorted(self._shelf.pieces.values(), key=lambda p: p.title.casefold()):
            self.pieces.addItem(piece.title, piece.id)
        if self.model.music is not None and not here:
            self.pieces.addItem(self.model.music.title, None)
            self.pieces.setCurrentIndex(self.pieces.count() - 1)
        else:
            self.pieces.setCurrentIndex(max(0, self.pieces.findData(here)))
        self.players.fill(self.model.player)
        self.refresh()

    def _piece_chosen(self) -> None:
        piece = self.pieces.currentData()
        if piece:
            self.open_piece(piece)

    def open_piece(self, piece: str, part: str = "") -> None:
        """A piece of the shelf."""
        if self._shelf is None or piece not in self._shelf.pieces:
            self._shelf = Shelf(self._folder() / "shelf")
        job = self.jobs.threaded("booth score", self._shelf.score, piece)
        title = self._shelf.pieces[piece].title if piece in self._shelf.pieces else ""
        job.done.connect(lambda score: self.open_score(score, part, title, piece))
        job.failed.connect(self.trouble)

    def open_score(self, score: Score, part: str = "", title: str = "", piece: str = "") -> None:
        """Music from anywhere."""
        if not score.parts:
            return
        player = self.model.player
        instrument = find_instrument(player.instrument) if player is not None else None
        names = [p.name for p in score.parts if p.note_count]
        wanted = part or part_for(names, player.part if player is not None else "", instrument)
        self.model.choose(score, wanted, title, piece)
        self.parts.clear()
        self.parts.addItems(names)
        if self.model.music is not None:
            self.parts.setCurrentText(self.model.music.part.name)
        index = self.pieces.findData(piece) if piece else -1
        if index >= 0:
            self.pieces.setCurrentIndex(index)
        elif not piece:
            self.fill()
        self.refresh()
        self.setFocus()

    def open_file(self, path: str, part: str = "") -> None:
        """A notation file that was dropped, or comes from the pattern book."""
        from jeweller.notation.readers.sandbox import load_score

        job = self.jobs.threaded("booth score", load_score, path)
        job.done.connect(lambda score: self.open_score(score, part))
        job.failed.connect(self.trouble)

    def _part_chosen(self) -> None:
        music = self.model.music
        if music is not None:
            self.model.choose(music.score, self.parts.currentText(), music.title, music.piece)

    def _player_chosen(self, chosen: Player | None) -> None:
        self.model.set_player(chosen)
        music = self.model.music
        if chosen is not None and music is not None:
            self.open_score(music.score, "", music.title, music.piece)

    # ---- acts

    def enter(self) -> None:
        """The one key."""
        if self.model.stage == BoothStage.OWN_VIEW:
            self.own_view.say()
        else:
            self.model.go()

    def key_b(self) -> None:
        """Only the bar that most is to be mended in."""
        self.model.bad_bar()

    def escape(self) -> None:
        if self.loupe.listening.playing:
            self.loupe.listening.stop()
        elif not self.model.cancel():
            self.loupe.choose(None)

    def toggle_play(self) -> None:
        """Space: strikes in rhythm mode, plays the marked take, or the model."""
        if self.model.stage == BoothStage.TAKING:
            self.model.strike()
        elif self.model.stage == BoothStage.LISTENING:
            self.model.cancel()
        elif self.pages.currentIndex() == LOUPE and self.loupe.review is not None:
            self.loupe.listening.toggle()
        else:
            self.model.listen()

    def stop_playing(self) -> None:
        """The place is left."""
        self.loupe.listening.stop()
        self.model.leave()

    def next_step(self) -> NextStep:
        match self.model.stage:
            case BoothStage.TAKING:
                return _("Stop (Enter)"), self.enter
            case BoothStage.LOOKING:
                return _("Play now (Enter)"), self.enter
            case BoothStage.CHECKING:
                return _("Checking…"), lambda: None
            case BoothStage.OWN_VIEW:
                return _("Show the verdict (Enter)"), self.enter
        if self.model.music is None:
            return _("Choose a piece…"), self.pieces.showPopup
        if not self.warmed_up and not self.model.log.takes:
            return _("Warm up first"), self.warm_up_wanted.emit
        return (_("Try again (Enter)") if self.model.log.takes else _("Try it (Enter)")), self.enter

    def _take_next_piece(self) -> None:
        if self._shelf is None:
            return
        piece, _sentence = self.model.next_sight(self._shelf)
        if piece is not None:
            self.open_piece(piece.id)

    def _show_take(self, number: int) -> None:
        self._beside = None
        self.model.show(number)

    def _compare_with(self, number: int) -> None:
        self._beside = number
        self.refresh()

    def _bar_chosen(self, index: int) -> None:
        music = self.model.music
        if music is None:
            return
        bars = self.model.music_bars()
        if not 0 <= index < len(bars):
            return
        if self.model.stage == BoothStage.OWN_VIEW:
            self.own_view.toggle(bars[index])
        elif self.model.stage in (BoothStage.READY, BoothStage.VERDICT) and not self.model.plan.bars:
            self.model.set_plan(bars=bars[index])

    def _mark_bars(self, numbers: list[str]) -> None:
        bars = self.model.music_bars()
        self.sheet.paper.marked = {bars.index(n) for n in numbers if n in bars}
        self.sheet.paper.update()

    def _ask_round(self) -> None:
        """How the phrases are answered: by ear, by the fingers, played."""
        menu = QMenu(self)
        for key, (words, _layer) in ROUNDS.items():
            add_action(self, menu, _(words), lambda k=key: self.model.echo(k))
        menu.popup(self.echo.mapToGlobal(self.echo.rect().bottomLeft()))

    def _more(self) -> None:
        menu = QMenu(self)
        fill_more(menu, self)
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def hand_in(self) -> None:
        """The take that is shown goes to the bench, as any other take of the player."""
        library = self.library()
        try:
            take = hand_in(library, self.model.player, self.model.music, self.model.take)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        if take is not None:
            self.message.emit(_("The take is on the bench."))
            self.handed_in.emit(take)

    # ---- look

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        for widget in (*self.moments.widgets, self.strip.strip):
            widget.theme, widget.points = theme, points  # type: ignore[attr-defined]
            widget.updateGeometry()
            widget.update()
        self.told.setFont(font(points))
        self.own_view.title.setFont(font(points + 1, serif=True, weight=600))
        self.strip.set_size(points)
        self.own_view.set_theme(theme)
        self.sheet.paper.points = points
        self.loupe.set_theme(theme, points)
        self.sentence.lay_out()
        self._shown = ()
        self.refresh()

    def refresh(self) -> None:
        """Everything as the model is."""
        model, stage = self.model, self.model.stage
        self.sentence.refresh()
        self.moments.show_stage()
        self.own_view.setVisible(stage == BoothStage.OWN_VIEW)
        self.after.refresh()
        idle = model.music is not None and not model.runner.busy
        for button in (self.first_note, self.listen, self.echo, self.sight):
            button.setEnabled(idle)
        self.players.setEnabled(not model.runner.busy)
        self.pieces.setEnabled(not model.runner.busy)
        self.parts.setVisible(self.parts.count() > 1)
        self.parts.setEnabled(not model.runner.busy)
        self._show_page()
        self._say_what_was_found()
        bars = model.music.bar_numbers if model.music is not None else []
        self.strip.strip.untold = stage == BoothStage.OWN_VIEW
        self.strip.strip.show_takes(model.log.takes, bars, model.log.shown, self._beside)
        self.strip.setVisible(bool(model.log.takes))
        self.strip.to_newest()
        self.changed.emit()

    def _show_page(self) -> None:
        model = self.model
        take = model.take
        checked = model.log.checked.get(take.number) if take is not None else None
        if model.stage == BoothStage.VERDICT and checked is not None and checked.report["followed"]:
            self.pages.setCurrentIndex(LOUPE)
            if self._opened is not checked:
                self._open_review(checked)
            return
        self.pages.setCurrentIndex(SHEET)
        wanted = (model.music, model.plan.bars, model.plan.rhythm_only, self.theme, self.points)
        if wanted != self._shown:
            self._shown = wanted
            paper = self.sheet.paper
            part = None
            if model.music is not None:
                line = model.music.line(model.plan)
                part = line.part
                paper.zoom = 0.62 * self.points / 11.0 * 1.15
                paper.show_part(part, self.theme, TextLineSettings())
                paper.show_line(line)
            else:
                words = _(
                    "Choose a piece from the shelf, or drop a notation file here. Then Enter counts you in, "
                    "records you, and shows what to mend as soon as you have played the last note."
                )
                paper.show_part(None, self.theme, TextLineSettings(), words)
                paper.show_line(None)
        if model.stage == BoothStage.ECHO:
            self._mark_answers()
        elif model.stage != BoothStage.OWN_VIEW or not self.own_view.bars:
            self.sheet.paper.marked = set()

    def _open_review(self, checked: object) -> None:
        from jeweller.pipeline.review import BesideTake, Review

        self._opened = checked
        take = self.model.take
        if take is None or take.path is None:
            return
        found = self.model.log.checked[take.number]
        try:
            review = Review(found, BesideTake(decisions_path(str(take.path), take.path.stem)))
        except JewellerError:
            review = Review(found, None)
        self.loupe.show_review(review, str(take.path))

    def _turns_said(self) -> list[str]:
        """What came back, and what did not; the bars that did not are marked in the part."""
        turns = self.model.turns
        if turns.made_up:
            return [turns.made_up]
        told = [echo_sentence(turns.answers)]
        told += [
            _("{bars}: {what}").format(bars=a.bars, what=a.sentence) for a in turns.answers if not a.clean
        ]
        return told

    def _mark_answers(self) -> None:
        bars = self.model.music_bars()
        wrong = {a.bars for a in self.model.turns.answers if not a.clean}
        inside: set[int] = set()
        for span in wrong:
            first, _dash, last = span.partition("-")
            if first in bars:
                inside |= set(range(bars.index(first), bars.index(last or first) + 1))
        self.sheet.paper.marked = inside
        self.sheet.paper.update()

    def _say_what_was_found(self) -> None:
        """The line over the page: what the take was, what got better, where the ladder leads."""
        model, take = self.model, self.model.take
        told: list[str] = []
        if model.stage == BoothStage.VERDICT and take is not None:
            told.append(
                _("Take {number}: {what}. {made}.").format(
                    number=take.number, what=take.sentence, made=take.made
                )
            )
            compared = model.log.comparison(self._beside)
            if compared is not None:
                before, comparison = compared
                told += comparison.sentences(before.number)
            agreed = model.log.agreement(model.journal)
            if agreed:
                told = ["\n".join([" ".join(told), *agreed])]
            if model.rung is not None and model.rung.sentence:
                told.append(model.rung.sentence)
            if self._shelf is not None and take.plan.reading == "sight":
                piece, sentence = model.next_sight(self._shelf)
                if sentence:
                    told.append(sentence)
                if piece is not None:
                    self.after.offer_next(piece.title)
        elif model.stage == BoothStage.ECHO:
            told = self._turns_said()
        elif model.stage == BoothStage.READY and model.music is not None and not model.log.takes:
            told.append(
                _("Enter counts you in and records you; what is to be mended is shown after the last note.")
            )
            if model.instrument is not None:
                told += model.cautions
        self.told.setText(" ".join(told))
        self.told.setVisible(bool(told))
