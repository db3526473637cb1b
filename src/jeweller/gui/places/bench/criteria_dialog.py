"""What is asked for: bars, speed, articulation, how it is judged and marked. Changed here, it changes the
checks and the marks of its trays.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QDate, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QGridLayout,
    QLabel,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES
from jeweller.difficulty.analysis import SAID
from jeweller.grading.scheme import FORMS, HABIT_SHARE, OUT_OF, SCHEMES, UNHEARD, find_scheme
from jeweller.gui.widgets.plain import plain
from jeweller.gui.widgets.roomy import RoomyDialog
from jeweller.i18n import N_, _
from jeweller.library.assignments import day_of
from jeweller.library.tables import Assignment

# what changes a check, and not the mark alone
CHECKED = "tempo_bpm", "tolerance", "articulation", "click", "judging"
OWN = "own"
CLICKS = {"": N_("no"), "heard": N_("yes, it is heard in the recording")}
TRILLS = {"either": N_("on either note"), "upper": N_("on the note above"), "main": N_("on the written note")}
GRACES = {"either": N_("before the beat or on it"), "before": N_("before the beat"), "on": N_("on the beat")}
DOTS = {"written": N_("as written"), "double": N_("double-dotted"), "either": N_("either way")}
JOINS = {
    "printed": N_("as printed"),
    "slurs-optional": N_("slurs optional"),
    "joined": N_("joined"),
    "detached": N_("detached"),
    "free": N_("not judged"),
}
TOLERATED = {"gentle": N_("gentle"), "standard": N_("standard"), "strict": N_("strict")}
REPEATS = {"all": N_("all of them"), "free": N_("may be left out")}
WEEK = 7  # days until an assignment is due, where nothing else is said


def _heading(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("heading")
    return label


class CriteriaDialog(RoomyDialog):
    """`asked` gives what was chosen: piece, title, bars, due, settings. `kinds_of` names the kinds of trap in
    a piece.
    """

    def __init__(
        self,
        parent: QWidget,
        pieces: list[tuple[str, str]],
        assignment: Assignment | None,
        kinds_of: Callable[[str], list[str]] = lambda piece: [],
    ) -> None:
        super().__init__(parent, _("What is asked for"))
        self.kinds_of = kinds_of
        told: dict[str, Any] = dict(assignment.settings) if assignment is not None else {}
        sides = self.beside()
        sides.setSpacing(32)
        sides.addLayout(self._played(pieces, assignment, told), 1)
        sides.addLayout(self._marked(told), 1)
        self.column.addLayout(sides)
        self._fill_weights()
        self._fill_traps()
        self.finish(
            QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        )

    def _played(
        self, pieces: list[tuple[str, str]], assignment: Assignment | None, told: dict[str, Any]
    ) -> QVBoxLayout:
        side, form = self._side(_("What is played"))
        self.piece = QComboBox()
        self.piece.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for piece, title in pieces:
            self.piece.addItem(title, piece)
        if assignment is not None:
            self.piece.setCurrentIndex(max(0, self.piece.findData(assignment.piece)))
        self.piece.currentIndexChanged.connect(lambda _unused: self._fill_traps())
        self._row(form, _("Piece"), self.piece)
        self.bars = QLineEdit(assignment.bars if assignment is not None else "")
        self.bars.setPlaceholderText(_("all of it, or as 9-16"))
        self._row(form, _("Bars"), self.bars)
        self.speed = QSpinBox()
        self.speed.setRange(0, 300)
        self.speed.setSpecialValueText(_("the player's own"))
        self.speed.setSuffix(_(" quarters a minute"))
        self.speed.setValue(round(told.get("tempo_bpm") or 0))
        self._row(form, _("Speed"), self.speed)
        self.click = self._choice(form, _("To a click"), CLICKS, str(told.get("click") or ""))
        self.articulation = self._choice(
            form,
            _("Articulation"),
            JOINS,
            told.get("articulation", "printed"),
        )
        judging = told.get("judging") or {}
        self.trills = self._choice(form, _("Trills begin"), TRILLS, str(judging.get("trill_first", "either")))
        self.graces = self._choice(form, _("Grace notes"), GRACES, str(judging.get("graces", "either")))
        self.dots = self._choice(form, _("Dotted rhythms"), DOTS, str(judging.get("dots", "written")))
        self.repeats = self._choice(form, _("Repeats"), REPEATS, str(judging.get("repeats", "all")))
        self.due = QDateEdit()
        self.due.setCalendarPopup(True)
        self.due.setDisplayFormat("yyyy-MM-dd")
        self.has_due = QCheckBox(_("Due"))
        day = day_of(assignment.due) if assignment is not None else None
        self.has_due.setChecked(day is not None)
        self.due.setDate(
            QDate(day.year, day.month, day.day) if day is not None else QDate.currentDate().addDays(WEEK)
        )
        self.due.setEnabled(day is not None)
        self.due.setAccessibleName(_("The day it is due"))
        self.has_due.toggled.connect(self.due.setEnabled)
        self.has_due.setMinimumHeight(self.due.sizeHint().height())
        form.addRow(self.has_due, self.due)
        side.addWidget(_heading(_("What matters")))
        self._chosen_traps = list(told.get("traps") or ())
        self.traps: dict[str, QCheckBox] = {}
        self.trap_grid = QGridLayout()
        self.trap_grid.setVerticalSpacing(4)
        side.addLayout(self.trap_grid)
        side.addStretch(1)
        return side

    def _marked(self, told: dict[str, Any]) -> QVBoxLayout:
        side, form = self._side(_("How it is marked"))
        self.tolerance = self._choice(form, _("Tolerance"), TOLERATED, told.get("tolerance", "standard"))
        scheme = OWN if told.get("weights") else str(told.get("scheme", "even"))
        self.scheme = self._choice(
            form,
            _("What counts most"),
            {**{s.name: s.title for s in SCHEMES.values()}, OWN: N_("Weights of my own")},
            scheme,
        )
        self.scheme.currentIndexChanged.connect(lambda _unused: self._fill_weights())
        self.judged: dict[str, QCheckBox] = {}
        self.weights: dict[str, QSpinBox] = {}
        self._weights = told.get("weights") or {}
        for facet in FACETS:
            box = QCheckBox(_(FACET_NAMES[facet]))
            box.setChecked(facet in (told.get("facets") or FACETS))
            box.setToolTip(_("Judged in this assignment"))
            weight = QSpinBox()
            weight.setRange(0, 100)
            weight.setSuffix(" %")
            weight.setAccessibleName(_("Weight of {lower}").format(lower=_(FACET_NAMES[facet]).lower()))
            self.judged[facet], self.weights[facet] = box, weight
            box.setMinimumHeight(weight.sizeHint().height())
            form.addRow(box, weight)
        self.habit = QDoubleSpinBox()
        self.habit.setRange(0.0, 1.0)
        self.habit.setSingleStep(0.05)
        self.habit.setValue(float(told.get("habit_share", HABIT_SHARE)))
        self.habit.setToolTip(_("What each further place of a habit costs, as a share of the first"))
        self._row(form, _("A habit's further places"), self.habit)
        self.form = self._choice(form, _("The mark is told"), dict(FORMS), str(told.get("form", "number")))
        self.unheard = self._choice(
            form, _("What is not heard"), UNHEARD, str(told.get("unheard", "left_out"))
        )
        self.out_of = QSpinBox()
        self.out_of.setRange(2, 1000)
        self.out_of.setValue(int(told.get("out_of", OUT_OF)))
        self._row(form, _("Out of"), self.out_of)
        side.addStretch(1)
        return side

    def _side(self, words: str) -> tuple[QVBoxLayout, QFormLayout]:
        side = QVBoxLayout()
        side.setSpacing(8)
        side.addWidget(_heading(words))
        form = QFormLayout()
        form.setSpacing(8)
        side.addLayout(form)
        return side, form

    def choose(self, piece: str, traps: list[str]) -> None:
        """Begins with a piece, and with traps that were chosen for it."""
        self._chosen_traps = traps
        self.piece.setCurrentIndex(max(0, self.piece.findData(piece)))
        self._fill_traps()

    def _fill_traps(self) -> None:
        """A box for each kind of trap in the piece; what was chosen stays where it is there too."""
        kept = [k for k, box in self.traps.items() if box.isChecked()] or self._chosen_traps
        while self.trap_grid.count():
            item = self.trap_grid.takeAt(0)
            if item is not None and (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self.traps = {}
        for n, kind in enumerate(self.kinds_of(str(self.piece.currentData() or ""))):
            box = QCheckBox(_(SAID[kind]))
            box.setChecked(kind in kept)
            box.setToolTip(_("Each take answers it in the player's own part: so many of so many"))
            self.traps[kind] = box
            self.trap_grid.addWidget(box, n // 2, n % 2)
        if not self.traps:
            self.trap_grid.addWidget(plain(_("The piece has no traps that a check can answer.")), 0, 0)

    def _row(self, form: QFormLayout, words: str, widget: QWidget) -> None:
        widget.setAccessibleName(words)
        label = QLabel(words)
        label.setBuddy(widget)
        form.addRow(label, widget)

    def _choice(self, form: QFormLayout, words: str, choices: dict[str, str], now: str) -> QComboBox:
        box = QComboBox()
        for value, said in choices.items():
            box.addItem(_(said), value)
        box.setCurrentIndex(max(0, box.findData(now)))
        self._row(form, words, box)
        return box

    def _fill_weights(self) -> None:
        """The weights of the scheme, in hundredths; only one's own can be changed."""
        name = str(self.scheme.currentData())
        weights = (self._weights or find_scheme("even").weights) if name == OWN else find_scheme(name).weights
        total = sum(weights.values()) or 1.0
        for facet, box in self.weights.items():
            box.setEnabled(name == OWN)
            box.setValue(round(100 * weights.get(facet, 0.0) / total))

    def asked(self) -> dict[str, Any]:
        """What was chosen; settings only where they differ from what is usual."""
        scheme = str(self.scheme.currentData())
        facets = [f for f, box in self.judged.items() if box.isChecked()]
        schools = (
            ("trill_first", self.trills),
            ("graces", self.graces),
            ("dots", self.dots),
            ("repeats", self.repeats),
        )
        judging = {
            name: str(box.currentData()) for name, box in schools if box.currentIndex()
        }  # the first is the usual one
        settings: dict[str, Any] = {
            "tempo_bpm": float(self.speed.value()) or None,
            "click": self.click.currentData() or None,
            "judging": judging or None,
            "traps": [k for k, box in self.traps.items() if box.isChecked()] or None,
            "articulation": self.articulation.currentData(),
            "tolerance": self.tolerance.currentData(),
            "scheme": "even" if scheme == OWN else scheme,
            "weights": {f: w.value() for f, w in self.weights.items()} if scheme == OWN else None,
            "facets": facets if len(facets) < len(FACETS) else None,
            "habit_share": round(self.habit.value(), 2),
            "form": self.form.currentData(),
            "unheard": self.unheard.currentData(),
            "out_of": self.out_of.value(),
        }
        due = self.due.date().toString("yyyy-MM-dd") if self.has_due.isChecked() else ""
        return {
            "piece": self.piece.currentData(),
            "title": self.piece.currentText(),
            "bars": self.bars.text().strip().replace("–", "-"),
            "due": due,
            "settings": {k: v for k, v in settings.items() if v is not None},
        }

    def keyPressEvent(self, event: Any) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.reject()
        else:
            super().keyPressEvent(event)


def checks_again(before: Assignment | None, asked: dict[str, Any]) -> bool:
    """Whether what was asked for now needs new checks, and not only other marks."""
    old = dict(before.settings) if before is not None else {}
    new = asked["settings"]
    usual = {
        "tolerance": "standard",
        "articulation": "printed",
        "tempo_bpm": None,
        "click": None,
        "judging": None,
    }
    changed = any(old.get(k, usual[k]) != new.get(k, usual[k]) for k in CHECKED)
    return (
        changed
        or (before.bars if before is not None else "") != asked["bars"]
        or (before is not None and before.piece != asked["piece"])
    )
