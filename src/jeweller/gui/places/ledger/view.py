"""The ledger: the class at a glance with the rehearsal that follows from it, and each player over time."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from jeweller.documents.class_lists import class_lists_pdf
from jeweller.documents.rehearsal_plan import plan_pdf
from jeweller.documents.theme import LIGHT, PRINTED, Theme
from jeweller.gui.places.ledger.assignments_page import AssignmentsPage
from jeweller.gui.places.ledger.class_grid import ClassGrid
from jeweller.gui.places.ledger.model import LedgerModel
from jeweller.gui.places.ledger.players_page import PlayersPage
from jeweller.gui.places.loupe.margin import width_at, wrapped
from jeweller.gui.places.pattern_book.thumbnails import one_bar
from jeweller.gui.places.place import NextStep
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.saving import save_page
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.readable import StayingButton
from jeweller.i18n import N_, _
from jeweller.library.class_view import ClassView, PlayerRow
from jeweller.library.library import Library
from jeweller.phrases import capitalized

EMPTY_WIDTH = 720  # pixels of what is said where there is nothing yet
WAYS = (("class", N_("The class")), ("players", N_("Players")), ("assigned", N_("Assignments")))
LIST_MINUTES = (10, 20, 30)
SHOWN = 400  # players listed at once: more are found by another letter


class LedgerPlace(QWidget):
    """`to_bench` is emitted with a take and the key of a finding, `to_tray` with a tray; the others as those
    of the bench.
    """

    message = Signal(str)
    trouble = Signal(str)
    to_bench = Signal(int, str)
    to_tray = Signal(int)
    bench_wanted = Signal()
    changed = Signal()

    def __init__(self, jobs: Jobs, library: Callable[[], Library | None]) -> None:
        super().__init__()
        self.jobs, self.model = jobs, LedgerModel(library, self)
        self.model.trouble.connect(self.trouble)
        self.theme, self.points = LIGHT, 11.0
        self.way = "class"
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 4, 16, 8)
        outer.setSpacing(8)
        row = FlowRow(spacing=4)
        self.ways = QButtonGroup(self)
        for k, (way, words) in enumerate(WAYS):
            button = StayingButton(_(words))
            button.clicked.connect(lambda _unused=False, w=way: self.choose_way(w))
            self.ways.addButton(button, k)
            row.addWidget(button)
        row.addStretch()
        self.lists = QPushButton(_("Practice lists…"))
        self.lists.setToolTip(_("For each player, in the own part, what to work at"))
        self.lists.clicked.connect(
            lambda: self.lists_menu().popup(self.lists.mapToGlobal(self.lists.rect().bottomLeft()))
        )
        row.addWidget(self.lists)
        self.schools: Callable[[], dict[str, str]] = dict  # which the teacher chose where they disagree
        self.trays, self.pieces = QComboBox(), QComboBox()
        for box, name in ((self.trays, _("The tray")), (self.pieces, _("The piece"))):
            box.setAccessibleName(name)
            row.addWidget(box)
        self.trays.currentIndexChanged.connect(lambda _unused: self._fill_pieces())
        self.pieces.currentIndexChanged.connect(lambda _unused: self._show_class())
        outer.addLayout(row)
        self.pages = QStackedWidget()
        self.pages.addWidget(self._class_page())
        self.players = PlayersPage(self.model, jobs)
        self.players.message.connect(self.message)
        self.players.home.trouble.connect(self.trouble)
        self.players.changed.connect(self._players_changed)
        self.pages.addWidget(self.players)
        self.assigned = AssignmentsPage(self.model)
        self.assigned.message.connect(self.message)
        self.assigned.trouble.connect(self.trouble)
        self.assigned.changed.connect(self.changed)
        self.assigned.to_tray.connect(self.to_tray)
        self.pages.addWidget(self.assigned)
        self.empty = QLabel(
            _(
                "The ledger fills by itself. What is checked on the bench is here: the class bar by "
                "bar, what to rehearse, and each player over time."
            )
        )
        self.empty.setObjectName("sheet")
        self.empty.setWordWrap(True)
        self.empty.setMaximumWidth(EMPTY_WIDTH)
        nothing = QWidget()
        column = QVBoxLayout(nothing)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.empty)
        column.addStretch(1)
        self.pages.addWidget(nothing)
        outer.addWidget(self.pages, 1)

    def _class_page(self) -> QWidget:
        self.grid = ClassGrid()
        self.grid.chosen.connect(self.to_bench)
        self.grid.engraved = self._bar
        self._bars: dict[tuple[str, str, str, str], QPixmap | None] = {}
        scroll = QScrollArea()
        scroll.setAccessibleName(_("The class, bar by bar"))
        scroll.setWidget(self.grid)
        scroll.setWidgetResizable(True)
        self.words = QScrollArea()
        self.words.setAccessibleName(_("What to rehearse"))
        self.words.setWidgetResizable(True)
        self.words.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(scroll)
        split.addWidget(self.words)
        split.setStretchFactor(0, 1)
        split.setSizes([800, width_at(11.0)])
        split.setObjectName("class")
        return split

    # ---- what is shown

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        if self.model.library is not None and self.isVisible():
            self.refresh()

    @property
    def view(self) -> ClassView | None:
        return self.model.picture.view

    def arrive(self) -> None:
        self.refresh()
        self.take_focus()

    def toggle_play(self) -> None:
        """Nothing sounds here."""

    def stop_playing(self) -> None:
        """Nothing sounds here."""

    def next_step(self) -> NextStep:
        """The one next step: of the class on paper, of an assignment on the bench."""
        if self.way == "class" and self.view is not None:
            return _("Print the rehearsal…"), self.write_plan
        if self.way == "assigned":
            chosen = self.assigned.chosen()
            if chosen is None or not chosen.trays:
                return _("Give something out…"), self.assigned.give
            return _("Show submissions"), self.assigned.show_takes
        return _("To the bench"), self.bench_wanted.emit

    def refresh(self) -> None:
        """Everything anew: it may have changed on the bench."""
        if self.model.library is None:
            return
        now = self.trays.currentData()
        self.trays.blockSignals(True)
        self.trays.clear()
        for name, tray in self.model.picture.trays():
            self.trays.addItem(name, tray)
        self.trays.setCurrentIndex(self._first_with_takes(self.trays.findData(now)))
        self.trays.blockSignals(False)
        self._players_stand = False
        self._fill_pieces()

    def _first_with_takes(self, chosen: int) -> int:
        """The chosen tray (-1: none) if something of it is checked, else the newest of which something is."""
        rows = [k for k in (chosen, *range(self.trays.count())) if k >= 0]
        return next((k for k in rows if self.model.picture.pieces(self.trays.itemData(k))), max(0, chosen))

    def _players_changed(self) -> None:
        """Who is there, or what is held on them, is another now."""
        self.refresh()
        self.changed.emit()

    def take_focus(self) -> None:
        """The keys to what is shown."""
        {"class": self.grid, "players": self.players.search, "assigned": self.assigned.table}[
            self.way
        ].setFocus()

    # whether the list of players is as the library has it: it is filled when it is looked at
    _players_stand = False

    def choose_way(self, way: str) -> None:
        self.way = way
        if way == "players" and not self._players_stand and self.model.library is not None:
            self._players_stand = True
            self.players.show_all(self.theme, self.points)
        index = [w for w, _unused in WAYS].index(way)
        self.ways.button(index).setChecked(True)
        if way == "assigned":
            self.assigned.show_all(self.theme)
        here = {"class": self.view is not None, "players": True, "assigned": True}[way]
        self.pages.setCurrentIndex(index if here else len(WAYS))
        self.trays.setVisible(way == "class" and self.trays.count() > 0)
        self.pieces.setVisible(way == "class" and self.view is not None)
        self.lists.setVisible(way == "class" and self.view is not None)
        self.changed.emit()

    def _fill_pieces(self) -> None:
        now = self.pieces.currentData()
        self.pieces.blockSignals(True)
        self.pieces.clear()
        for words, piece in self.model.picture.pieces(self.trays.currentData()):
            self.pieces.addItem(words, piece)
        self.pieces.setCurrentIndex(max(0, self.pieces.findData(now)))
        self.pieces.blockSignals(False)
        self._show_class()

    def _show_class(self) -> None:
        self.model.picture.choose(self.trays.currentData(), self.pieces.currentData())
        self.grid.show_view(self.view, self.theme, self.points)
        self.words.setWidget(self._class_words())
        self.choose_way(self.way)

    def _bar(self, row: PlayerRow, number: str) -> QPixmap | None:
        """A bar as it stands in the part of one row of the picture."""
        key = (str(self.pieces.currentData()), row.part, number, self.theme.name)
        if key not in self._bars:
            part = self.model.picture.part(row.part)
            self._bars[key] = (
                one_bar(part, number, self.theme, self.devicePixelRatioF()) if part is not None else None
            )
        return self._bars[key]

    def _class_words(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(4)

        def say(text: str, *, head: bool = False, quiet: bool = False) -> None:
            label = wrapped(
                text,
                self.points + (1 if head else 0),
                self.theme.quiet if quiet else "",
                weight=600 if head else 400,
                serif=head,
            )
            if head:
                label.setContentsMargins(0, 8, 0, 0)
            column.addWidget(label)

        v = self.view
        if v is not None:
            say(_("What to rehearse"), head=True)
            for k, item in enumerate(v.plan, 1):
                say(
                    _("{k}. {bars} · {minutes} minutes · {who}").format(
                        k=k,
                        bars=capitalized(item.bars),
                        minutes=item.minutes,
                        who=item.who,
                    )
                )
                say(capitalized(item.what), quiet=True)
                say(f"{capitalized(item.drill)}.", quiet=True)
            if not v.plan:
                say(_("No place is missed by more than one player."))
            if v.help or v.move_on:
                say(_("Who"), head=True)
                say(
                    _("Needs help: {help}.").format(help=", ".join(v.help))
                    if v.help
                    else _("Nobody needs help before the others.")
                )
                if v.move_on:
                    say(_("May move on: {move_on}.").format(move_on=", ".join(v.move_on)))
            if v.tuning:
                say(_("Tuning"), head=True)
                for t in v.tuning:
                    notes = "; ".join(f"{n} {c:+.0f}" for n, c in t.notes)
                    cents = round(t.cents)
                    far = _("{cents:+d} cents").format(cents=cents) if cents else _("in tune")
                    message = (
                        _("{instrument}: {far}; of its own: {notes}") if notes else "{instrument}: {far}"
                    )
                    say(message.format(instrument=t.instrument, far=far, notes=notes))
        column.addStretch(1)
        return page

    def lists_menu(self) -> QMenu:
        """For whom, and for how many minutes."""
        menu = QMenu(self)
        rows = self.view.rows if self.view is not None else ()
        sections = list(dict.fromkeys(r.section for r in rows))
        offers = [(_("For everybody"), ""), *((_(s), s) for s in sections if len(sections) > 1)]
        for words, section in offers:
            inner = menu.addMenu(words)
            for minutes in LIST_MINUTES:
                action = inner.addAction(_("{minutes} minutes").format(minutes=minutes))
                action.triggered.connect(lambda _unused=False, s=section, m=minutes: self.write_lists(s, m))
        return menu

    def write_lists(self, section: str, minutes: int, target: str = "") -> None:
        """What each player of a section ("" all) is to work at, on paper."""
        library = self.model.library
        if self.view is None or library is None:
            return
        name = f"{self.view.title} - {_('practice lists')}.pdf"
        tray, piece = self.trays.currentData(), self.pieces.currentData()
        arguments = library.folder, tray, piece, section, minutes, self.schools()
        save_page(self, _("Save the practice lists"), name, target, class_lists_pdf, *arguments)

    def write_plan(self, target: str = "") -> None:
        """The rehearsal plan on paper."""
        if self.view is None or self.model.library is None:
            return
        name = f"{self.view.title} - rehearsal.pdf"
        save_page(self, _("Save the rehearsal plan"), name, target, plan_pdf, self.view, PRINTED)
