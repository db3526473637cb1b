"""Warm up: the tuner with its walk through notes, long tones, what is blown without an instrument, and the
lists of what to do before and after playing.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.documents.care_sheet import care_pdf
from jeweller.documents.theme import LIGHT, PRINTED, Theme
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.places.place import NextStep
from jeweller.gui.places.warmup.care_page import CarePage
from jeweller.gui.places.warmup.displays import DaysChart, TendencyChart, TuningRuler
from jeweller.gui.places.warmup.model import CHOSEN, WAYS, WarmUpModel
from jeweller.gui.services.devices import Devices
from jeweller.gui.services.jobs import Jobs
from jeweller.gui.services.saving import save_page
from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.note_choice import ask_notes
from jeweller.gui.widgets.plain import plain, plain_table
from jeweller.gui.widgets.player_choice import PlayerChoice
from jeweller.gui.widgets.readable import StayingButton
from jeweller.i18n import N_, _
from jeweller.instruments.table import instruments, require_instrument
from jeweller.phrases import capitalized, note_name
from jeweller.warmup.exercises import BREATHS
from jeweller.warmup.tendency import REFERENCES

if TYPE_CHECKING:
    from jeweller.library.library import Library

WORDS = {
    "tuner": N_("Tune"),
    "tones": N_("Long tones"),
    "air": N_("Breath, buzz, siren"),
    "lists": N_("Care"),
}
WALKS = {
    "": N_("any notes"),
    "five": N_("five notes"),
    "range": N_("the range, outwards"),
    "piece": N_("the notes of the piece to come"),
    CHOSEN: N_("chosen notes…"),
}
AIRS = {"buzz": N_("a held buzz, without the instrument"), "siren": N_("the siren: a glide, low to high")}
COUNTS = (4, 6, 8, 12, 16, 20)


class WarmUpPlace(QWidget):
    """`message` is a line for the foot of the window, `trouble` a sentence in a box, `changed` another next
    step, `booth_wanted` that the music may come.
    """

    message = Signal(str)
    trouble = Signal(str)
    changed = Signal()
    booth_wanted = Signal()

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
        self.model = WarmUpModel(jobs, devices, settings, folder, parent=self)
        self.model.changed.connect(self.refresh)
        self.model.heard.connect(self._moment)
        self.model.message.connect(self.message)
        self.model.trouble.connect(self.trouble)
        self.theme, self.points = LIGHT, 11.0
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 4, 16, 8)
        column.setSpacing(8)
        column.addLayout(self._head())
        self.pages = QStackedWidget()
        self.pages.addWidget(self._tuner_page())
        self.pages.addWidget(self._tones_page())
        self.pages.addWidget(self._air_page())
        self.lists = CarePage(self.model)
        self.lists.printed.connect(self.print_lists)
        self.pages.addWidget(self.lists)
        column.addWidget(self.pages, 1)
        self.caution = wrapped("", 11)
        column.addWidget(self.caution)
        for key in ("Return", "Enter"):
            shortcut = QShortcut(QKeySequence(key), self, self.enter)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.refresh()

    # ---- construction

    def _head(self) -> FlowRow:
        row = FlowRow(spacing=4)
        self.ways = QButtonGroup(self)
        for k, way in enumerate(WAYS):
            button = StayingButton(_(WORDS[way]))
            button.clicked.connect(lambda _unused=False, w=way: self.model.set_way(w))
            self.ways.addButton(button, k)
            row.addWidget(button)
        row.addStretch()
        self.players, self.instruments = PlayerChoice(self.library), QComboBox()
        self.players.picked.connect(self.model.set_player)
        self.instruments.setAccessibleName(_("The instrument"))
        self.instruments.activated.connect(
            lambda _unused: self.model.set_instrument(require_instrument(self.instruments.currentData()))
        )
        self.instruments.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        row.addWidget(self.players)
        row.addWidget(self.instruments)
        for i in instruments():
            if i.family != "percussion" or i.clef != "percussion":
                self.instruments.addItem(i.said, i.id)
        return row

    def _tuner_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        row = FlowRow(spacing=8)
        row.addWidget(plain(_("Walk through")))
        self.walks = QComboBox()
        self.walks.setAccessibleName(_("Which notes"))
        for name, words in WALKS.items():
            self.walks.addItem(_(words), name)
        self.walks.activated.connect(self._walk_chosen)
        row.addWidget(self.walks)
        self.sung = QCheckBox(_("Sing each one first"))
        self.sung.toggled.connect(self.model.set_sung)
        row.addWidget(self.sung)
        row.addStretch()
        row.addWidget(plain(_("A is")))
        self.reference = QDoubleSpinBox()
        self.reference.setRange(*REFERENCES)
        self.reference.setDecimals(1)
        self.reference.setSuffix(" Hz")
        self.reference.setAccessibleName(_("The pitch of A"))
        self.reference.setValue(self.model.reference)
        self.reference.valueChanged.connect(self.model.set_reference)
        row.addWidget(self.reference)
        column.addLayout(row)
        both = QHBoxLayout()
        both.setSpacing(16)
        left = QVBoxLayout()
        self.ruler = TuningRuler()
        left.addWidget(self.ruler)
        self.advice = wrapped("", 11)
        left.addWidget(self.advice)
        acts = FlowRow()
        self.moved = QPushButton(_("Moved: measure again"))
        self.moved.clicked.connect(self.model.moved)
        acts.addWidget(self.moved)
        left.addLayout(acts)
        self.chart = TendencyChart()
        left.addWidget(self.chart)
        left.addStretch(1)
        both.addLayout(left, 3)
        right = QVBoxLayout()
        self.table = plain_table(
            (N_("Note"), N_("Cents"), N_("Steady to"), N_("Times")), _("How each note lies")
        )
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setStretchLastSection(True)
        right.addWidget(self.table, 1)
        self.moves = wrapped("", 11)
        right.addWidget(self.moves)
        both.addLayout(right, 2)
        column.addLayout(both, 1)
        return page

    def _tones_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        row = FlowRow(spacing=8)
        row.addWidget(plain(_("Each tone lasts")))
        self.counts = QComboBox()
        self.counts.setAccessibleName(_("How long each tone lasts"))
        for n in COUNTS:
            self.counts.addItem(_("{n} counts, a second each").format(n=n), n)
        self.counts.activated.connect(lambda _unused: self.model.set_counts(self.counts.currentData()))
        row.addWidget(self.counts)
        column.addLayout(row)
        self.now = TuningRuler()
        column.addWidget(self.now)
        self.tone_lines = QLabel()
        self.tone_lines.setObjectName("sheet")
        self.tone_lines.setWordWrap(True)
        self.tone_lines.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll = QScrollArea()
        scroll.setAccessibleName(_("What the long tone showed"))
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.tone_lines)
        column.addWidget(scroll, 1)
        self.days = DaysChart()
        column.addWidget(self.days)
        return page

    def _air_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        row = FlowRow(spacing=8)
        self.airs = QComboBox()
        self.airs.setAccessibleName(_("What is done"))
        self.airs.activated.connect(lambda _unused: self.model.set_air(self.airs.currentData()))
        row.addWidget(self.airs)
        column.addLayout(row)
        self.air_now = TuningRuler()
        column.addWidget(self.air_now)
        self.air_lines = QLabel()
        self.air_lines.setObjectName("sheet")
        self.air_lines.setWordWrap(True)
        self.air_lines.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.air_lines)
        column.addStretch(1)
        return page

    # ---- what is chosen

    def arrive(self) -> None:
        self.players.fill(self.model.player)
        self.refresh()
        self.setFocus()

    def choose_way(self, way: str) -> None:
        """Another page."""
        self.model.set_way(way)

    def enter(self) -> None:
        """The one key: listen or stop; where a move is advised, it was made."""
        self.model.go()

    def escape(self) -> None:
        self.model.stop()

    def toggle_play(self) -> None:
        self.model.go()

    def stop_playing(self) -> None:
        """The place is left."""
        self.model.stop()

    def next_step(self) -> NextStep:
        if self.model.listening:
            return _("Stop (Enter)"), self.enter
        if self.model.way == "lists":
            return _("Print the lists…"), self.print_lists
        if self.model.session.tones or self.model.tones:
            return _("On to the booth"), self.booth_wanted.emit
        breath = self.model.way == "air" and self.model.air not in AIRS
        return (_("Begin (Enter)") if breath else _("Listen (Enter)")), self.enter

    def _walk_chosen(self) -> None:
        name = self.walks.currentData()
        if name == CHOSEN:
            self.choose_notes()
        else:
            self.model.set_walk(name)

    def choose_notes(self) -> None:
        """A walk through notes that are typed."""
        model = self.model
        walk = model.walk.targets if model.walk is not None else ()
        told = ask_notes(
            self,
            _("The notes in their order, with spaces between: C4 E4 G4"),
            model.note_names,
            " ".join(model.written(m) for m in walk),
        )
        if told is not None and told[1]:
            self.trouble.emit(_("Not a note of this instrument: {names}.").format(names=", ".join(told[1])))
        elif told is not None and told[0]:
            model.walk_through(told[0])
        self.refresh()

    def print_lists(self, path: str = "") -> None:
        """The care lists of the instrument on a page."""
        model = self.model
        name = _("care of the {instrument}.pdf").format(instrument=model.instrument.said)
        save_page(self, _("Print the lists"), name, path, care_pdf, model.care, model.instrument, PRINTED)

    # ---- look

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme, self.points = theme, points
        for widget in (self.ruler, self.now, self.air_now, self.days, self.chart):
            widget.theme, widget.points = theme, points
            widget.setMinimumHeight(round(widget.LEAST * points / 11.0))
            widget.updateGeometry()
            widget.update()
        for label in (self.advice, self.moves, self.caution):
            label.setFont(font(points))
        self.refresh()

    def refresh(self) -> None:
        """Everything as the model is."""
        model = self.model
        self.ways.button(WAYS.index(model.way)).setChecked(True)
        self.pages.setCurrentIndex(WAYS.index(model.way))
        self.instruments.setCurrentIndex(self.instruments.findData(model.instrument.id))
        self.walks.setCurrentIndex(max(0, self.walks.findData(model.walk_name)))
        self.sung.setEnabled(model.walk is not None)
        self.counts.setCurrentIndex(max(0, self.counts.findData(model.counts)))
        self._fill_airs()
        self._fill_table()
        self.advice.setText("\n".join(model.session.sentences))
        self.moved.setVisible(model.session.advice is not None)
        self.moves.setText(
            "\n".join(
                _("{k}. {what}").format(k=k, what=m.sentence) for k, m in enumerate(model.session.moves, 1)
            )
        )
        self.moves.setVisible(bool(model.session.moves))
        lines = [line for _tone, line in reversed(model.tones)]
        self.tone_lines.setText("\n".join([*model.tone_words, *lines]) or _(TONES_EMPTY))
        self.days.show_days(model.tone_days if model.way == "tones" else [])
        self.air_lines.setText(self._air_text())
        self.lists.refresh()
        self.caution.setText("  ·  ".join(model.cautions) if model.way != "lists" else "")
        self.caution.setVisible(bool(self.caution.text()))
        self._moment()
        self.changed.emit()

    def _fill_airs(self) -> None:
        brass = self.model.instrument.family == "brass" or self.model.instrument.hands == "reed"
        offered = dict(AIRS) if brass else {}
        for key, (words, _steps) in BREATHS.items():
            offered[key] = words
        if [self.airs.itemData(k) for k in range(self.airs.count())] != list(offered):
            self.airs.clear()
            for key, words in offered.items():
                self.airs.addItem(capitalized(_(words)), key)
            if self.model.air not in offered:
                self.model.air = next(iter(offered))
        self.airs.setCurrentIndex(max(0, self.airs.findData(self.model.air)))

    def _fill_table(self) -> None:
        notes = self.model.session.notes
        self.table.setRowCount(len(notes))
        self.chart.show_notes([(note_name(n.written), n.cents) for n in notes])
        for row, note in enumerate(notes):
            cells = (
                note_name(note.written),
                f"{note.cents:+.0f}".replace("-", "−"),
                f"{max(1.0, note.spread):.0f}",
                str(note.count),
            )
            for k, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.table.setItem(row, k, item)

    def _air_text(self) -> str:
        model = self.model
        if model.air == "siren":
            said = [g.sentence(model.instrument.chromatic) for g in model.glides]
            lines = [_("{k}. {what}").format(k=k, what=s) for k, s in enumerate(said, 1)]
            return "\n".join(
                [_("Three times from low to high, each a little faster. Nothing is marked."), *lines]
            )
        if model.air == "buzz":
            lines = [line for _tone, line in reversed(model.tones)]
            words = _("Hold a buzz on the mouthpiece or the reed alone, as long as it stays steady.")
            return "\n".join([words, *lines])
        return _("Follow the count; breathe out evenly to its end.")

    def _moment(self) -> None:
        """What sounds now."""
        model = self.model
        note, _cents = model.shown_note
        held = model.tone.cents if model.tone is not None else None
        spread = model.tone.spread if model.tone is not None else 0.0
        midi = model.recent[-1][2] if model.recent else None
        recent = [c for _at, c, m in model.recent if m == midi]
        asked = model.walk.sentence if model.walk is not None and model.listening else ""
        if not model.listening:
            asked = _("Enter listens.")
        if model.way == "tuner":
            self.ruler.show_tone(note, recent, held if held is not None else None, spread, asked)
            if model.walk is not None and model.listening:
                self.advice.setText("\n".join([model.walk.sentence, *model.session.sentences]))
        elif model.way == "tones":
            self.now.show_tone(note, recent, held, spread, asked)
        elif model.way == "air":
            breath = model.breath
            if breath is not None:
                self.air_now.show_tone(
                    _("{said} {count}").format(said=breath.said, count=breath.count), [], None, 0.0
                )
            else:
                self.air_now.show_tone(note, recent, None, 0.0, asked)


TONES_EMPTY = N_("Hold one note after the other, in any order; each is told here when it is over.")
