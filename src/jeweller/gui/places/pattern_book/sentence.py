"""The maker: an exercise as a sentence whose words are the controls."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from jeweller.exercises.make import BAND
from jeweller.exercises.request import (
    ARTICULATIONS,
    CHORDS,
    DIRECTIONS,
    DYNAMICS,
    EVERY_KEY,
    FEELS,
    INTERVALS,
    KINDS,
    LEAPS,
    LEVELS,
    METRES,
    OF_CHORDS,
    ON,
    SPANS,
    USES,
    ExerciseRequest,
)
from jeweller.exercises.rhythms import ROWS
from jeweller.exercises.scales import CHORDS_BY_NAME, SCALES
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import Instrument, instruments, require_instrument
from jeweller.phrases import note_name

TONICS = ("C", "G", "D", "A", "E", "B", "F♯", "F", "B♭", "E♭", "A♭", "D♭")
PROGRESSIONS = ("1 4 5 1", "1 5 1", "1 6 4 5 1", "1 2 5 1", "1 4 2 5 1", "1")
FIGURES = ("1 2 3 1", "1 2 3 4", "1 2 3 2", "1 3 2 1", "1 2 3 4 5", "1 3 5 3", "3 2 1 2")
NUMBERS = {
    "bpm": (40, 48, 56, 60, 66, 72, 80, 88, 96, 104, 112, 120, 132, 144),
    "counts": (1, 2, 3, 4, 6, 8, 12, 16),
    "rest": (0, 1, 2, 4, 8),
    "bars": (2, 4, 6, 8, 12, 16),
    "degree": (1, 2, 3, 4, 5, 6, 7),
}
# What a kind is called inside the sentence, and the sentence: words in braces are chosen.
SENTENCES = {
    "scale": N_("A {span} {scale} {kind} on {concert} {tonic}, {direction}, in {rhythm},"),
    "intervals": N_("A {span} {scale} {kind} {interval} on {concert} {tonic}, {direction}, in {rhythm},"),
    "pattern": (
        N_(
            "{kind} {figure} climbing through a {span} {scale} on {concert} {tonic}, {direction}, "
            "in {rhythm},"
        )
    ),
    "arpeggio": N_(
        "{kind} of a {chord} over {span}, {scale}, on {concert} {tonic}, {direction}, in {rhythm},"
    ),
    "inversions": N_(
        "{kind} of a {chord} over {span}, {scale}, on {concert} {tonic}, {direction}, in {rhythm},"
    ),
    "chords": N_("{kind} on degrees {progression} of {scale}, {concert} {tonic}, in {rhythm},"),
    "leaps": (
        N_(
            "{kind} {leaps} from degree {degree} of a {span} {scale} on {concert} {tonic}, "
            "{direction}, in {rhythm},"
        )
    ),
    "long tones": (
        N_(
            "{kind} on a {span} {scale}, {concert} {tonic}, {direction}, each {counts} counts and "
            "{rest} of rest,"
        )
    ),
    "switch": N_("{kind} between {concert} {tonic} and {other},"),
    "two notes": N_("{kind}: {concert} {tonic} and {other}, {bars} bars,"),
    "rhythm": N_("{kind} of {bars} bars with {uses} on {on}, {concert} {tonic}, {pickup}, number {seed},"),
    "shrinking": N_("{kind} on a {span} {scale}, {concert} {tonic},"),
    "echo": N_("{kind} of {bars} bars on a {span} {scale}, {concert} {tonic}, number {seed},"),
    "call": N_("{kind} of {bars} bars on a {span} {scale}, {concert} {tonic}, number {seed},"),
    "tuning chord": N_(
        "{kind} on degrees {progression} of {scale}, {concert} {tonic}, each {counts} counts and {rest} of "
        "rest,"
    ),
    "chorale": N_("{kind} on degrees {progression} of {scale}, {concert} {tonic},"),
    "drums": N_("{kind} of {bars} bars with {uses}, number {seed},"),
}
# Where the notes are a chord's by its own name, no scale is spoken of.
OF_NAMED_CHORD = N_("{kind} of a {chord} over {span}, on {concert} {tonic}, {direction}, in {rhythm},")
JOINED = N_("{articulation}, {dynamics}, {feel}; in {metre} at {bpm}, for {players}, {level} range.")
LAST = N_("in {metre} at {bpm}, {feel}, for {players}, {level} range.")
KIND_WORDS = {
    "scale": N_("scale"),
    "intervals": N_("scale in"),
    "pattern": N_("A figure"),
    "arpeggio": N_("An arpeggio"),
    "inversions": N_("The inversions"),
    "chords": N_("Broken chords"),
    "leaps": N_("Leaps"),
    "long tones": N_("Long tones"),
    "switch": N_("A switch"),
    "two notes": N_("Two notes to improvise on"),
    "rhythm": N_("A rhythm line"),
    "shrinking": N_("Shrinking notes"),
    "echo": N_("An echo"),
    "call": N_("Call and answer"),
    "tuning chord": N_("Chords to tune"),
    "chorale": N_("A chorale"),
    "drums": N_("A drum pattern"),
}
FAMILIES = (
    ("woodwind", N_("Woodwinds")),
    ("brass", N_("Brass")),
    ("percussion", N_("Percussion")),
    ("other", N_("Others")),
)
UNJOINED = {"long tones", "two notes", "shrinking", "echo", "call", "tuning chord", "chorale", "drums"}
SAID = {
    "direction": {"both": N_("up and down")},
    "concert": {"True": N_("concert"), "False": N_("written")},
    "dynamics": {"none": N_("at one loudness")},
    "feel": {"even": N_("even eighths"), "swing": N_("swung eighths")},
    "pickup": {"True": N_("with a pickup"), "False": N_("without a pickup")},
}


class ExerciseSentence(QWidget):
    """`changed` is emitted when another word was chosen; `drill` and `players` say what is asked for."""

    changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.drill = ExerciseRequest()
        self.players: tuple[Instrument, ...] = (require_instrument("flute"),)
        self.page: tuple[ExerciseRequest, ...] = ()  # what stands on the page before this exercise
        self.words: dict[str, QPushButton] = {}
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(4)
        self.rebuild()

    def rebuild(self) -> None:
        """Writes the sentence anew."""
        while self.rows.count():
            item = self.rows.takeAt(0)
            row = item.widget() if item is not None else None
            if row is not None:
                row.hide()
                row.deleteLater()
        self.words = {}
        first = _(OF_NAMED_CHORD if self.drill.named_chord else SENTENCES[self.drill.kind])
        second = _(LAST) if self.drill.kind in UNJOINED else _(JOINED)
        for sentence in (first, second):
            row = QWidget()
            line = FlowRow(row, spacing=0)
            for piece in sentence.replace("{", "\0{").replace("}", "}\0").split("\0"):
                if piece.startswith("{"):
                    line.addWidget(self._word(piece[1:-1]))
                elif piece:
                    label = QLabel(piece)
                    label.setObjectName("plain")
                    line.addWidget(label)
            line.addStretch()
            self.rows.addWidget(row)
        self.rows.addWidget(self._page_row())

    def _page_row(self) -> QWidget:
        """One more exercise for the same page, and the last of them taken away again."""
        row = QWidget()
        line = FlowRow(row)
        self.more = QPushButton(_("One more below it"))
        self.more.setToolTip(_("This exercise stays on the page; the sentence makes the next one"))
        self.more.clicked.connect(self.put_on_page)
        line.addWidget(self.more)
        self.fewer = QPushButton(_("Take the last away"))
        self.fewer.clicked.connect(self.take_from_page)
        said = QLabel(
            ngettext(
                "{n} exercise stands above it on the page.",
                "{n} exercises stand above it on the page.",
                len(self.page),
            ).format(n=len(self.page))
        )
        said.setObjectName("plain")
        for widget in (self.fewer, said):
            widget.setVisible(bool(self.page))
            line.addWidget(widget)
        line.addStretch()
        return row

    def put_on_page(self) -> None:
        """Keeps this exercise on the page; the next one is made like it."""
        self.page = (*self.page, self.drill)
        self._say()

    def take_from_page(self) -> None:
        """Takes the last exercise off the page: it is the one that is being made again."""
        *before, last = self.page
        self.page, self.drill = tuple(before), last
        self._say()

    def _word(self, name: str) -> QPushButton:
        button = QPushButton(self.said(name))
        button.setObjectName("inline")
        button.setAccessibleName(self.said(name))
        button.clicked.connect(
            lambda _unused=False, n=name, b=button: self.menu(n).popup(b.mapToGlobal(b.rect().bottomLeft()))
        )
        self.words[name] = button
        return button

    def said(self, name: str) -> str:
        """What the sentence says for a choice."""
        return _(self._said(name))

    def _said(self, name: str) -> str:
        if name == "players":
            names = [i.said for i in self.players]
            return (
                names[0]
                if len(names) == 1
                else _("the whole band")
                if len(names) >= len(BAND)
                else _("{names} and {n} more").format(names=names[0], n=len(names) - 1)
            )
        value = getattr(self.drill, name)
        if name == "kind":
            return KIND_WORDS[value]
        if name == "uses":
            return ", ".join(_(use) for use in value) if value else _("plain values")
        if name in ("tonic", "other") and value:
            return note_name(str(value))
        if name == "other" and not value:
            return _("the next note")
        return SAID.get(name, {}).get(str(value), str(value))

    def menu(self, name: str) -> QMenu:
        """What a word may be changed to."""
        menu = QMenu(self)
        if name == "players":
            self._players_menu(menu)
        elif name == "uses":
            for use in USES:
                self._item(menu, use, lambda u=use: self._toggle(u), use in self.drill.uses)
        elif name == "seed":
            self._item(menu, _("another"), lambda: self.choose("seed", self.drill.seed + 1))
            self._item(menu, _("the one before"), lambda: self.choose("seed", max(0, self.drill.seed - 1)))
        else:
            for value in self._choices(name):
                words = (
                    KINDS[str(value)]
                    if name == "kind"
                    else note_name(str(value))
                    if name in ("tonic", "other") and value
                    else SAID.get(name, {}).get(str(value), str(value)) or _("the next note")
                )
                self._item(
                    menu, words, lambda v=value: self.choose(name, v), value == getattr(self.drill, name)
                )
        return menu

    def _choices(self, name: str) -> Sequence[object]:
        registers = tuple(f"register {n}" for n, _unused in self.players[0].registers)
        fixed: dict[str, Sequence[object]] = {
            "kind": tuple(KINDS),
            "span": (*SPANS, *registers),
            "scale": tuple(SCALES),
            "concert": (True, False),
            "tonic": (*TONICS, EVERY_KEY),
            "direction": DIRECTIONS,
            "rhythm": tuple(ROWS),
            "interval": tuple(INTERVALS),
            "figure": FIGURES,
            "chord": (*CHORDS, *CHORDS_BY_NAME),
            "progression": PROGRESSIONS,
            "feel": FEELS,
            "leaps": LEAPS,
            "other": ("", *TONICS),
            "on": ON,
            "articulation": ARTICULATIONS,
            "dynamics": DYNAMICS,
            "metre": METRES,
            "level": LEVELS,
            "pickup": (False, True),
        }
        return NUMBERS.get(name) or fixed[name]

    def _item(self, menu: QMenu, words: str, act: Callable[[], object], on: bool = False) -> QAction:
        action = QAction(_(words), menu)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(lambda _unused=False: act())
        menu.addAction(action)
        return action

    def _players_menu(self, menu: QMenu) -> None:
        self._item(menu, _("the whole band"), lambda: self.set_players([require_instrument(n) for n in BAND]))
        for family, title in FAMILIES:
            sub = menu.addMenu(_(title))
            for i in instruments():
                if i.family == family:
                    self._item(sub, i.said, lambda i=i: self.set_players([i]), self.players == (i,))
        more = menu.addMenu(_("One more"))
        for i in instruments():
            if i not in self.players:
                self._item(more, i.said, lambda i=i: self.set_players([*self.players, i]))

    def set_players(self, players: Sequence[Instrument]) -> None:
        self.players = tuple(players)
        drums = all(i.clef == "percussion" for i in players)
        if drums != (self.drill.kind == "drums") and len(players) == 1:
            self.drill = dataclasses.replace(self.drill, kind="drums" if drums else "scale")
        if self.drill.span.startswith("register "):
            self.drill = dataclasses.replace(self.drill, span="one octave")
        self._say()

    def choose(self, name: str, value: object) -> None:
        self.drill = dataclasses.replace(self.drill, **{name: value})  # type: ignore[arg-type]
        if name == "metre":  # the beat of the metre stays the beat of the rhythm
            beats = ("quarters", "dotted quarters")
            if self.drill.rhythm in beats:
                self.drill = dataclasses.replace(self.drill, rhythm=beats[value in ("6/8", "9/8", "12/8")])
        if name == "kind":
            drums = value == "drums"
            if drums and not any(i.clef == "percussion" for i in self.players):
                self.players = (require_instrument("drum-set"),)
            elif not drums and all(i.clef == "percussion" for i in self.players):
                self.players = (require_instrument("flute"),)
            of_a_scale = value in ("arpeggio", "inversions", *OF_CHORDS)
            if of_a_scale and len(SCALES[self.drill.scale].degrees) != 7:
                self.drill = dataclasses.replace(self.drill, scale="major")
        self._say()

    def _toggle(self, use: str) -> None:
        uses = tuple(u for u in USES if (u in self.drill.uses) != (u == use))
        self.choose("uses", uses)

    def _say(self) -> None:
        self.rebuild()
        self.changed.emit()
