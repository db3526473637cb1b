"""The ledger: the class at a glance with the rehearsal that follows from it, and each player over time."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.desk.assigned_page import AssignedPage
from jeweller.desk.class_grid import ClassGrid
from jeweller.desk.jobs import Jobs
from jeweller.desk.margin import width_at, wrapped
from jeweller.desk.progress_chart import ProgressChart
from jeweller.desk.thumbs import one_bar
from jeweller.desk.work import write_plan
from jeweller.errors import JewellerError
from jeweller.instruments.table import find_instrument, instruments
from jeweller.ledger.class_view import ClassView, PlayerRow, class_view, pieces_of
from jeweller.ledger.library import Library
from jeweller.ledger.over_time import OverTime, over_time
from jeweller.ledger.privacy import delete_player, give_out, held
from jeweller.ledger.tables import Player
from jeweller.sheet.theme import FACET_NAMES, LIGHT, Theme

WAYS = (("class", "The class"), ("players", "Players"), ("assigned", "Assignments"))
SHOWN = 400  # players listed at once: more are found by another letter


class LedgerPlace(QWidget):
    """`to_bench` is emitted with a take and the key of a finding, `to_tray` with a tray; the others as those of the bench."""

    message = Signal(str)
    trouble = Signal(str)
    to_bench = Signal(int, str)
    to_tray = Signal(int)
    changed = Signal()

    def __init__(self, jobs: Jobs, library: Callable[[], Library | None]) -> None:
        super().__init__()
        self.jobs, self._library = jobs, library
        self.theme, self.points = LIGHT, 11.0
        self.way = "class"
        self.view: ClassView | None = None
        self.player: Player | None = None
        self.told: OverTime | None = None
        self._named: list[tuple[str, int]] = []
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 4, 16, 8)
        outer.setSpacing(8)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.ways = QButtonGroup(self)
        for k, (way, words) in enumerate(WAYS):
            button = QPushButton(words)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, w=way: self.choose_way(w))
            self.ways.addButton(button, k)
            row.addWidget(button)
        row.addSpacing(16)
        self.trays, self.pieces = QComboBox(), QComboBox()
        for box, name in ((self.trays, "The tray"), (self.pieces, "The piece")):
            box.setAccessibleName(name)
            row.addWidget(box)
        self.trays.currentIndexChanged.connect(lambda _: self._fill_pieces())
        self.pieces.currentIndexChanged.connect(lambda _: self._show_class())
        row.addStretch(1)
        outer.addLayout(row)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._class_page())
        self.pages.addWidget(self._player_page())
        self.assigned = AssignedPage(lambda: self.library)
        self.assigned.message.connect(self.message)
        self.assigned.trouble.connect(self.trouble)
        self.assigned.changed.connect(self.changed)
        self.assigned.to_tray.connect(self.to_tray)
        self.pages.addWidget(self.assigned)
        self.empty = QLabel("The ledger fills by itself: what is checked on the bench is here, by class and by player.")
        self.empty.setObjectName("plain")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.pages.addWidget(self.empty)
        outer.addWidget(self.pages, 1)

    def _class_page(self) -> QWidget:
        self.grid = ClassGrid()
        self.grid.chosen.connect(self.to_bench)
        self.grid.engraved = self._bar
        self._bars: dict[tuple[str, str, str, str], QPixmap | None] = {}
        scroll = QScrollArea()
        scroll.setWidget(self.grid)
        scroll.setWidgetResizable(True)
        self.words = QScrollArea()
        self.words.setWidgetResizable(True)
        self.words.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(scroll)
        split.addWidget(self.words)
        split.setStretchFactor(0, 1)
        split.setSizes([800, width_at(11.0)])
        split.setObjectName("class")
        return split

    def _player_page(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        self.search = QLineEdit()
        self.search.setPlaceholderText("name, instrument")
        self.search.setAccessibleName("Search the players")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill_players())
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setAccessibleName("Players")
        self.list.setUniformItemSizes(True)
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        column.addWidget(self.list, 1)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(8, 0, 0, 0)
        column.setSpacing(8)
        self.title = QLabel()
        self.title.setObjectName("title")
        column.addWidget(self.title)
        self.under = QLabel()
        self.under.setObjectName("quiet")
        self.under.setWordWrap(True)
        column.addWidget(self.under)
        self.chart = ProgressChart()
        column.addWidget(self.chart)
        self.attempts = QScrollArea()
        self.attempts.setWidgetResizable(True)
        self.attempts.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.attempts, 1)
        row = QHBoxLayout()
        self.consent = QPushButton()
        self.consent.clicked.connect(self.toggle_consent)
        self.practised = QPushButton("Practised today…")
        self.practised.clicked.connect(lambda: self.add_practice())
        self.out = QPushButton("Give out what is held…")
        self.out.clicked.connect(lambda: self.give_out())
        self.remove = QPushButton("Delete for good…")
        self.remove.clicked.connect(lambda: self.delete())
        for button in (self.practised, self.consent, self.out, self.remove):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(left)
        split.addWidget(right)
        split.setSizes([280, 880])
        split.setObjectName("players")
        return split

    # ---- what is shown -------------------------------------------------------------------------------------------

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        if self.library is not None and self.isVisible():
            self.refresh()

    @property
    def library(self) -> Library | None:
        return self._library()

    def refresh(self) -> None:
        """Everything anew: it may have changed on the bench."""
        library = self.library
        if library is None:
            return
        now = self.trays.currentData()
        self.trays.blockSignals(True)
        self.trays.clear()
        for tray in library.trays():
            self.trays.addItem(tray.name, tray.id)
        self.trays.setCurrentIndex(max(0, self.trays.findData(now)))
        self.trays.blockSignals(False)
        self._fill_pieces()
        self._players_stand = False
        self.choose_way(self.way)
        if self.way == "players" and self.player is not None:
            self.show_player(self.player)

    def take_focus(self) -> None:
        """The keys to what is shown."""
        {"class": self.grid, "players": self.search, "assigned": self.assigned.table}[self.way].setFocus()

    _players_stand = False  # whether the list of players is as the library has it: it is filled when it is looked at

    def choose_way(self, way: str) -> None:
        self.way = way
        if way == "players" and not self._players_stand and self.library is not None:
            self._players_stand = True
            self._read_players()
        index = [w for w, _ in WAYS].index(way)
        self.ways.button(index).setChecked(True)
        if way == "assigned":
            self.assigned.show_all(self.theme)
        here = {"class": self.view is not None, "players": self.list.count() > 0 or bool(self.search.text()), "assigned": True}[way]
        self.pages.setCurrentIndex(index if here else len(WAYS))
        for box in (self.trays, self.pieces):
            box.setVisible(way == "class" and self.view is not None)
        self.changed.emit()

    def _fill_pieces(self) -> None:
        assert self.library is not None
        now = self.pieces.currentData()
        self.pieces.blockSignals(True)
        self.pieces.clear()
        for piece, title, count in pieces_of(self.library, self.trays.currentData()) if self.trays.count() else ():
            self.pieces.addItem(f"{title} ({count})", piece)
        self.pieces.setCurrentIndex(max(0, self.pieces.findData(now)))
        self.pieces.blockSignals(False)
        self._show_class()

    def _show_class(self) -> None:
        assert self.library is not None
        self.view = None
        if self.pieces.count():
            try:
                self.view = class_view(self.library, self.trays.currentData(), self.pieces.currentData())
            except JewellerError as error:
                self.trouble.emit(str(error))
        self.grid.show_view(self.view, self.theme, self.points)
        self.words.setWidget(self._class_words())
        self.changed.emit()

    def _bar(self, row: PlayerRow, number: str) -> QPixmap | None:
        """A bar as it stands in the part of one row of the picture."""
        assert self.library is not None
        piece = str(self.pieces.currentData())
        key = (piece, row.part, number, self.theme.name)
        if key not in self._bars:
            try:
                score = self.library.shelf.score(piece)
                part = next((p for p in score.parts if p.name == row.part), score.parts[0])
                self._bars[key] = one_bar(part, number, self.theme, self.devicePixelRatioF())
            except JewellerError:
                self._bars[key] = None
        return self._bars[key]

    def _class_words(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(4)

        def say(text: str, *, head: bool = False, quiet: bool = False) -> None:
            label = wrapped(text, self.points + (1 if head else 0), self.theme.quiet if quiet else "", weight=600 if head else 400, serif=head)
            if head:
                label.setContentsMargins(0, 8, 0, 0)
            column.addWidget(label)

        v = self.view
        if v is not None:
            say("What to rehearse", head=True)
            for k, item in enumerate(v.plan, 1):
                say(f"{k}. {self.theme.said(item.bars[0].upper() + item.bars[1:])} · {item.minutes} minutes · {item.who}")
                say(self.theme.said(item.what[0].upper() + item.what[1:]), quiet=True)
                say(self.theme.said(item.drill[0].upper() + item.drill[1:] + "."), quiet=True)
            if not v.plan:
                say("No place is missed by more than one player.")
            if v.help or v.move_on:
                say("Who", head=True)
                say(f"Needs help: {', '.join(v.help)}." if v.help else "Nobody needs help before the others.")
                if v.move_on:
                    say(f"May move on: {', '.join(v.move_on)}.")
            if v.tuning:
                say("Tuning", head=True)
                for t in v.tuning:
                    notes = "; ".join(f"{n} {c:+.0f}" for n, c in t.notes)
                    say(f"{t.instrument}: {f'{round(t.cents):+d} cents' if round(t.cents) else 'in tune'}" + (f"; of its own: {notes}" if notes else ""))
        column.addStretch(1)
        return page

    def write_plan(self, target: str = "") -> None:
        """The rehearsal plan on paper."""
        if self.view is None or self.library is None:
            return
        if not target:
            target, _ = QFileDialog.getSaveFileName(self, "Save the rehearsal plan", str(Path.home() / f"{self.view.title} - rehearsal.pdf"), "*.pdf")
        if not target:
            return
        job = self.jobs.process("plan", write_plan, self.view, target, self.theme.on_paper())
        job.done.connect(lambda path: self.message.emit(f"Saved: {path}"))
        job.failed.connect(self.trouble)

    # ---- players -------------------------------------------------------------------------------------------------

    def _read_players(self) -> None:
        """Every player with the words they are found by."""
        assert self.library is not None
        names = {i.id: i.name for i in instruments()}
        everybody = self.library.who_plays_what()
        self._named = [(" · ".join(filter(None, [name, names.get(instrument, part)])), number) for number, name, instrument, part in everybody]
        self._fill_players()

    def _fill_players(self) -> None:
        wanted = self.search.text().casefold().split()
        now = self.player.id if self.player is not None else None
        self.list.blockSignals(True)
        self.list.clear()
        for words, player in self._named:
            if self.list.count() < SHOWN and all(w in words.casefold() for w in wanted):
                item = QListWidgetItem(words)
                item.setData(Qt.ItemDataRole.UserRole, player)
                self.list.addItem(item)
                if player == now:
                    self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        if self.list.currentItem() is None and self.list.count():
            self.list.setCurrentRow(0)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None and self.library is not None:
            self.show_player(self.library.player(item.data(Qt.ItemDataRole.UserRole)))

    def show_player(self, player: Player) -> None:
        """One player over time."""
        assert self.library is not None
        self.player = player
        self.told = over_time(self.library, player)
        instrument = find_instrument(player.instrument) if player.instrument else None
        self.title.setText(player.name)
        told = [instrument.name if instrument is not None else player.part, f"{len(self.told.attempts)} take{'s' if len(self.told.attempts) != 1 else ''}",
                f"{self.told.minutes} minutes on {self.told.days} day{'s' if self.told.days != 1 else ''}" if self.told.days else "",
                f"consent of {player.consent}" if player.consent else "no consent noted: left out of what others see"]  # fmt: skip
        self.under.setText(" · ".join(filter(None, told)))
        self.consent.setText("Take the consent back" if player.consent else "Consent was given today")
        self.chart.show_attempts(self.told.attempts, self.theme, self.points)
        self.attempts.setWidget(self._attempts())

    def _attempts(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        told = self.told
        if told is not None and told.habits:
            column.addWidget(wrapped("What stays", self.points + 1, weight=600, serif=True))
            for habit in told.habits:
                column.addWidget(wrapped(self.theme.said(habit[0].upper() + habit[1:] + "."), self.points))
        for a in reversed(told.attempts if told is not None else ()):
            mark = f"{a.mark:g} of {a.out_of:g}" if a.mark is not None and a.out_of is not None else ""
            head = " · ".join(filter(None, [a.title, a.day, mark, f"{a.bpm:.0f} to the minute" if a.bpm else ""]))
            label = wrapped(head, self.points, weight=600)
            label.setContentsMargins(0, 8, 0, 0)
            column.addWidget(label)
            for words, facets in (("Better", a.better), ("Less good", a.new)):
                if facets:
                    names = ", ".join(FACET_NAMES[f].lower() for f in facets)
                    column.addWidget(wrapped(f"{words} than the time before: {names}.", self.points, self.theme.quiet))
            if a.sound:
                column.addWidget(wrapped(f"As recorded the time before, with {a.setup}: {', '.join(a.sound)}.", self.points, self.theme.quiet))
            for text in a.findings or ("Nothing to mend.",):
                column.addWidget(wrapped(self.theme.said(text), self.points))
        column.addStretch(1)
        return page

    def toggle_consent(self) -> None:
        """Notes that consent was given today, or takes it back."""
        if self.player is None or self.library is None:
            return
        try:
            self.library.change(self.player, consent="" if self.player.consent else datetime.date.today().isoformat())
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self._read_players()
        self.show_player(self.library.player(self.player.id))

    def add_practice(self, minutes: int | None = None) -> None:
        """Minutes of today, asked for where they are not given."""
        if self.player is None or self.library is None:
            return
        if minutes is None:
            minutes, ok = QInputDialog.getInt(self, self.player.name, "Minutes practised today:", 20, 1, 600)
            if not ok:
                return
        try:
            self.library.add_practice(self.player.id, datetime.date.today().isoformat(), minutes)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.show_player(self.player)

    def give_out(self, target: str = "") -> None:
        """Everything that is held on the player as one file."""
        if self.player is None or self.library is None:
            return
        if not target:
            target, _ = QFileDialog.getSaveFileName(self, "What is held on this player", str(Path.home() / f"{self.player.name}.zip"), "*.zip")
        if not target:
            return
        try:
            count = give_out(self.library, self.player, Path(target))
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.message.emit(f"{count} files saved: {target}")

    def delete(self, *, sure: bool = False) -> None:
        """Deletes the player for good, after saying what goes."""
        if self.player is None or self.library is None:
            return
        if not sure:
            goes = "\n".join(f"· {line}" for line in held(self.library, self.player))
            box = QMessageBox(QMessageBox.Icon.NoIcon, "Delete for good", f"This is deleted and cannot be brought back:\n\n{goes}\n\n"
                              "The daily copies of the library are deleted as well. Backups you made yourself are not touched.",
                              QMessageBox.StandardButton.Cancel, self)  # fmt: skip
            button = box.addButton("Delete for good", QMessageBox.ButtonRole.DestructiveRole)
            box.exec()
            if box.clickedButton() is not button:
                return
        name = self.player.name
        try:
            delete_player(self.library, self.player)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.player = None
        self.refresh()
        self.message.emit(f"{name} is deleted.")
