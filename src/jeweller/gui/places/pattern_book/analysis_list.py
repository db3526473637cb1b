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
from jeweller.difficulty.trap import Trap
from jeweller.documents.theme import Theme
from jeweller.gui.places.loupe.margin import wrapped
from jeweller.i18n import _, ngettext

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
            column.addWidget(wrapped(_("Across the band"), points, weight=600))
            for sentence in across[:ACROSS]:
                column.addWidget(wrapped(sentence, points, theme.ink))
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
        head.addWidget(wrapped(_("Look it over"), points + 2, weight=600, serif=True), 1)
        self.whom = QPushButton(_("for {whom}").format(whom=whom) if whom else _("for any player"))
        self.whom.setObjectName("word")
        self.whom.setToolTip(_("For a certain player: which notes are new"))
        self.whom.clicked.connect(self.asked_whom)
        head.addWidget(self.whom, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(head)
        outside = (
            _(", and {outside_scale}").format(outside_scale=", ".join(over.outside_scale))
            if over.outside_scale
            else ""
        )
        why = f": {', '.join(over.reasons)}" if over.reasons else ""
        column.addWidget(
            wrapped(
                (f"{over.scale}{outside}. " if over.scale else "")
                + _("Reads {level}{why}. Begin at {begin} of {written} {beat} a minute.").format(
                    level=_(over.level), why=why, begin=over.beats[0], written=over.beats[1], beat=over.beat
                ),
                points,
                theme.quiet,
            )
        )
        if told:
            column.addWidget(wrapped(told, points))
        if over.traps:
            column.addWidget(wrapped(_("What may trip the player"), points, weight=600))
            column.addWidget(
                wrapped(
                    _("Tick what matters: it is numbered on the part, and a check answers it."),
                    points - 1,
                    theme.quiet,
                )
            )
        for trap in over.traps:
            times = _(", {count} times").format(count=trap.count) if trap.count > 1 else ""
            row = self._row(f"{trap.what}{times}", trap.bars, trap.notes, theme)
            box = QCheckBox()
            box.setAccessibleName(trap.what)
            box.setChecked(trap.what in kept)
            box.toggled.connect(lambda _unused: self.ticked.emit())
            row.insertWidget(0, box, 0, Qt.AlignmentFlag.AlignTop)
            self.boxes.append((trap, box))
            column.addLayout(row)
        if over.lighter:
            column.addWidget(wrapped(_("What makes it lighter"), points, weight=600))
        for light in over.lighter[:LIGHTER]:
            column.addLayout(
                self._row(light.what, () if light.kind == "repeat" else light.bars[:1], light.notes, theme)
            )
        if len(over.lighter) > LIGHTER:
            column.addWidget(
                wrapped(
                    _("and {n} more of the kind").format(n=len(over.lighter) - LIGHTER), points, theme.quiet
                )
            )
        column.addWidget(wrapped(_("A path"), points, weight=600))
        for sentence in over.path:
            column.addWidget(wrapped(sentence, points, theme.ink))

    def _row(self, words: str, bars: tuple[str, ...], notes: tuple[str, ...], theme: Theme) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(GAP)
        words = words
        label = wrapped(f"{words} · {_where(bars)}" if bars else words, self.points, theme.ink)
        row.addWidget(label, 1)
        if notes:
            button = QPushButton(_("show"))
            button.setObjectName("word")
            button.setAccessibleName(_("Show on the part: {words}").format(words=words))
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            button.clicked.connect(lambda _unused=False: self.shown.emit(notes))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        return row

    def ticks(self) -> list[Trap]:
        """The traps that were ticked."""
        return [t for t, box in self.boxes if box.isChecked()]


def _where(bars: tuple[str, ...]) -> str:
    """Bars by their numbers; a pickup by its name."""
    numbers = [b for b in bars if b != "0"]
    pickup = [_("the pickup")] if "0" in bars else []
    first = ", ".join(numbers[:SHOWN_BARS]) + (" …" if len(numbers) > SHOWN_BARS else "")
    named = [ngettext("bar {bars}", "bars {bars}", len(numbers)).format(bars=first)] if numbers else []
    return ", ".join([*pickup, *named])
