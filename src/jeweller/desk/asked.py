"""What was asked for in a tray: bars, speed, articulation, how it is judged and marked. Changed here, it changes the checks and the marks of the whole tray."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from jeweller.judge.finding import FACETS
from jeweller.judge.settings import ARTICULATIONS, TOLERANCES
from jeweller.ledger.tables import Assignment
from jeweller.mark.scheme import FORMS, HABIT_SHARE, OUT_OF, SCHEMES, find_scheme
from jeweller.sheet.theme import FACET_NAMES
from jeweller.usage import Usage

CHECKED = ("tempo_bpm", "tolerance", "articulation")  # what changes a check, and not the mark alone
OWN = "own"


class AskedDialog(QDialog):
    """`asked` gives what was chosen: piece, title, bars, due, settings."""

    def __init__(self, parent: QWidget, pieces: list[tuple[str, str]], assignment: Assignment | None, usage: Usage | None = None) -> None:
        super().__init__(parent)
        usage = usage or Usage()
        self.setWindowTitle("What was asked for")
        told: dict[str, Any] = dict(assignment.settings) if assignment is not None else {}
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        form = QFormLayout()
        form.setSpacing(8)
        self.piece = QComboBox()
        for piece, title in pieces:
            self.piece.addItem(title, piece)
        if assignment is not None:
            self.piece.setCurrentIndex(max(0, self.piece.findData(assignment.piece)))
        self._row(form, "Piece", self.piece)
        self.bars = QLineEdit(assignment.bars if assignment is not None else "")
        self.bars.setPlaceholderText("all of it, or as 9-16")
        self._row(form, usage.said("Bars"), self.bars)
        self.speed = QSpinBox()
        self.speed.setRange(0, 300)
        self.speed.setSpecialValueText("the player's own")
        self.speed.setSuffix(usage.said(" quarters a minute"))
        self.speed.setValue(round(told.get("tempo_bpm") or 0))
        self._row(form, "Speed", self.speed)
        self.due = QLineEdit(assignment.due if assignment is not None else "")
        self.due.setPlaceholderText("a day, if there is one")
        self._row(form, "Due", self.due)
        self.articulation = self._choice(form, "Articulation", {a: a.replace("-", " ") for a in ARTICULATIONS}, told.get("articulation", "printed"))
        self.tolerance = self._choice(form, "Tolerance", {t: t for t in TOLERANCES}, told.get("tolerance", "standard"))
        scheme = OWN if told.get("weights") else str(told.get("scheme", "even"))
        self.scheme = self._choice(form, "What counts most", {**{s.name: s.title for s in SCHEMES.values()}, OWN: "Weights of my own"}, scheme)
        self.scheme.currentIndexChanged.connect(lambda _: self._fill_weights())
        grid = QHBoxLayout()
        grid.setSpacing(4)
        self.judged: dict[str, QCheckBox] = {}
        self.weights: dict[str, QSpinBox] = {}
        for facet in FACETS:
            cell = QVBoxLayout()
            box = QCheckBox(FACET_NAMES[facet])
            box.setChecked(facet in (told.get("facets") or FACETS))
            box.setToolTip("Judged in this assignment")
            weight = QSpinBox()
            weight.setRange(0, 100)
            weight.setAccessibleName(f"Weight of {FACET_NAMES[facet].lower()}")
            self.judged[facet], self.weights[facet] = box, weight
            cell.addWidget(box)
            cell.addWidget(weight)
            grid.addLayout(cell)
        self._weights = told.get("weights") or {}
        form.addRow(QLabel("Judged, and its weight"), grid)
        self.habit = QDoubleSpinBox()
        self.habit.setRange(0.0, 1.0)
        self.habit.setSingleStep(0.05)
        self.habit.setValue(float(told.get("habit_share", HABIT_SHARE)))
        self.habit.setToolTip("What each further place of a habit costs, as a share of the first")
        self._row(form, "A habit's further places", self.habit)
        self.form = self._choice(form, "The mark is told", dict(FORMS), str(told.get("form", "number")))
        self.out_of = QSpinBox()
        self.out_of.setRange(2, 1000)
        self.out_of.setValue(int(told.get("out_of", OUT_OF)))
        self._row(form, "Out of", self.out_of)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self._fill_weights()

    def _row(self, form: QFormLayout, words: str, widget: QWidget) -> None:
        widget.setAccessibleName(words)
        label = QLabel(words)
        label.setBuddy(widget)
        form.addRow(label, widget)

    def _choice(self, form: QFormLayout, words: str, choices: dict[str, str], now: str) -> QComboBox:
        box = QComboBox()
        for value, said in choices.items():
            box.addItem(said, value)
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
        settings: dict[str, Any] = {
            "tempo_bpm": float(self.speed.value()) or None, "articulation": self.articulation.currentData(), "tolerance": self.tolerance.currentData(),
            "scheme": "even" if scheme == OWN else scheme, "weights": {f: w.value() for f, w in self.weights.items()} if scheme == OWN else None,
            "facets": facets if len(facets) < len(FACETS) else None, "habit_share": round(self.habit.value(), 2), "form": self.form.currentData(),
            "out_of": self.out_of.value(),
        }  # fmt: skip
        return {"piece": self.piece.currentData(), "title": self.piece.currentText(), "bars": self.bars.text().strip().replace("–", "-"),
                "due": self.due.text().strip(), "settings": {k: v for k, v in settings.items() if v is not None}}  # fmt: skip

    def keyPressEvent(self, event: Any) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.reject()
        else:
            super().keyPressEvent(event)


def checks_again(before: Assignment | None, asked: dict[str, Any]) -> bool:
    """Whether what was asked for now needs new checks, and not only other marks."""
    old = dict(before.settings) if before is not None else {}
    new = asked["settings"]
    usual = {"tolerance": "standard", "articulation": "printed", "tempo_bpm": None}
    changed = any(old.get(k, usual[k]) != new.get(k, usual[k]) for k in CHECKED)
    return changed or (before.bars if before is not None else "") != asked["bars"] or (before is not None and before.piece != asked["piece"])
