"""What there is to see in a part before it is played, as a list at its edge: traps to tick, what makes it
lighter, a path.
"""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from jeweller.difficulty.analysis import PartAnalysis
from jeweller.difficulty.traps import Trap
from jeweller.documents.theme import Theme
from jeweller.gui.places.loupe.margin import wrapped

GAP = 4
PAD = 12
ACROSS = 40  # sentences about the band, at most
LIGHTER = 10  # of what makes a piece lighter
SHOWN_BARS = 6  # numbers of bars named for one trap


class AnalysisList(QScrollArea):
    """`shown` is emitted with the ids of the notes a line is about; `ticked` when a trap was ticked or
    unticked, `asked_whom` when it is to be looked over for a certain player.
    """

    shown = Signal(object)
    ticked = Signal()
    asked_whom = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.over: PartAnalysis | None = None
        self.boxes: list[tuple[Trap, QCheckBox]] = []
        self.points = 11.0

    def show_over(
        self,
        over: PartAnalysis | None,
        theme: Theme,
        points: float,
        across: list[str] | None = None,
        whom: str = "",
        told: str = "",
    ) -> None:
        """Writes the list; the ticks of traps that are still there stay. `across`: sentences about the whole
        band; `whom` the player it is looked over for, `told` what that player knows of its scale.
        """
        kept = {t.what for t, box in self.boxes if box.isChecked()}
        self.over, self.points, self.boxes = over, points, []
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(PAD, PAD, PAD, PAD)
        column.setSpacing(GAP)
        if over is not None:
            self._write(column, over, theme, points, kept, whom, told)
        if across:
            column.addWidget(wrapped("Across the band", points, weight=600))
            for sentence in across[:ACROSS]:
                column.addWidget(wrapped(theme.said(sentence), points, theme.ink))
        column.addStretch(1)
        self.setWidget(page)

    def _write(
        self,
        column: QVBoxLayout,
        over: PartAnalysis,
        theme: Theme,
        points: float,
        kept: set[str],
        whom: str,
        told: str,
    ) -> None:
        head = QHBoxLayout()
        head.addWidget(wrapped("Look it over", points + 2, weight=600, serif=True), 1)
        self.whom = QPushButton(f"for {whom}" if whom else "for any player")
        self.whom.setObjectName("word")
        self.whom.setToolTip("For a certain player: which notes are new")
        self.whom.clicked.connect(self.asked_whom)
        head.addWidget(self.whom, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(head)
        outside = f", and {', '.join(over.outside_scale)}" if over.outside_scale else ""
        why = f": {', '.join(over.reasons)}" if over.reasons else ""
        column.addWidget(
            wrapped(
                theme.said(
                    f"{over.scale}{outside}. Reads {over.level}{why}. Begin at {over.begin_bpm} to "
                    "the minute."
                ),
                points,
                theme.quiet,
            )
        )
        if told:
            column.addWidget(wrapped(told, points))
        if over.traps:
            column.addWidget(wrapped("What may trip the player", points, weight=600))
            column.addWidget(
                wrapped(
                    "Tick what matters: it is numbered on the part, and a check answers it.",
                    points - 1,
                    theme.quiet,
                )
            )
        for trap in over.traps:
            times = f", {trap.count} times" if trap.count > 1 else ""
            row = self._row(f"{trap.what}{times}", trap.bars, trap.notes, theme)
            box = QCheckBox()
            box.setAccessibleName(trap.what)
            box.setChecked(trap.what in kept)
            box.toggled.connect(lambda _: self.ticked.emit())
            row.insertWidget(0, box, 0, Qt.AlignmentFlag.AlignTop)
            self.boxes.append((trap, box))
            column.addLayout(row)
        if over.lighter:
            column.addWidget(wrapped("What makes it lighter", points, weight=600))
        for light in over.lighter[:LIGHTER]:
            column.addLayout(
                self._row(
                    light.what, () if light.what.startswith("bar") else light.bars[:1], light.notes, theme
                )
            )
        if len(over.lighter) > LIGHTER:
            column.addWidget(
                wrapped(f"and {len(over.lighter) - LIGHTER} more of the kind", points, theme.quiet)
            )
        column.addWidget(wrapped("A path", points, weight=600))
        for sentence in over.path:
            column.addWidget(wrapped(theme.said(sentence), points, theme.ink))

    def _row(self, words: str, bars: tuple[str, ...], notes: tuple[str, ...], theme: Theme) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(GAP)
        words = theme.said(words)
        label = wrapped(f"{words} · {theme.said(_where(bars))}" if bars else words, self.points, theme.ink)
        row.addWidget(label, 1)
        if notes:
            button = QPushButton("show")
            button.setObjectName("word")
            button.setAccessibleName(f"Show on the part: {words}")
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _=False: self.shown.emit(notes))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        return row

    def ticks(self) -> list[Trap]:
        """The traps that were ticked."""
        return [t for t, box in self.boxes if box.isChecked()]


def _where(bars: tuple[str, ...]) -> str:
    """Bars by their numbers; a pickup by its name."""
    numbers = [b for b in bars if b != "0"]
    pickup = ["the pickup"] if "0" in bars else []
    named = (
        [
            (
                f"bar{'s' if len(numbers) > 1 else ''} "
                f"{', '.join(numbers[:SHOWN_BARS])}{' …' if len(numbers) > SHOWN_BARS else ''}"
            )
        ]
        if numbers
        else []
    )
    return ", ".join([*pickup, *named])
