"""What there is to see in a part before it is played, as a list at its edge: traps to tick, what makes it
lighter, a path.
"""

from __future__ import annotations

import time
from collections.abc import Iterator

from PySide6.QtCore import Qt, QTimer, Signal
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
AT_ONCE_S = 0.03  # of writing a long list
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
        self.setAccessibleName(_("What is noticed"))
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.over: PartAnalysis | None = None
        self._boxes: list[tuple[Trap, QCheckBox]] = []
        self._kept: set[str] = set()  # ticks of the list before, while this one is written
        self._steps: Iterator[None] | None = None
        self.points = 11.0

    @property
    def boxes(self) -> list[tuple[Trap, QCheckBox]]:
        """The traps with their boxes; a list that is still being written is written to its end."""
        self._go_on(float("inf"))
        return self._boxes

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
        if self._steps is None and self.over is not None:
            self._kept = {t.what for t, box in self._boxes if box.isChecked()}
        self.over, self.points, self._boxes = over, points, []
        self._steps = self._write(over, theme, points, across, whom, told)
        self._go_on()

    def _go_on(self, at_once_s: float = AT_ONCE_S) -> None:
        """A long list is written bit by bit: the window is not held."""
        until = time.monotonic() + at_once_s
        while self._steps is not None:
            if next(self._steps, self) is self:
                self._steps = None
            elif time.monotonic() > until:
                QTimer.singleShot(0, self, self._go_on)
                return

    def _write(
        self,
        over: PartAnalysis | None,
        theme: Theme,
        points: float,
        across: list[str] | None,
        whom: str,
        told: str,
    ) -> Iterator[None]:
        """Step by step; the list is shown with the last."""
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(PAD, PAD, PAD, PAD)
        column.setSpacing(GAP)
        if over is not None:
            yield from self._write_part(column, over, theme, points, whom, told)
        if across:
            column.addWidget(wrapped(_("Across the band"), points, weight=600))
            for sentence in across[:ACROSS]:
                column.addWidget(wrapped(sentence, points, theme.ink))
                yield
        column.addStretch(1)
        self.setWidget(page)

    def _write_part(
        self,
        column: QVBoxLayout,
        over: PartAnalysis,
        theme: Theme,
        points: float,
        whom: str,
        told: str,
    ) -> Iterator[None]:
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
            box.setChecked(trap.what in self._kept)
            box.toggled.connect(lambda _unused: self.ticked.emit())
            row.insertWidget(0, box, 0, Qt.AlignmentFlag.AlignTop)
            self._boxes.append((trap, box))
            column.addLayout(row)
            yield
        if over.lighter:
            column.addWidget(wrapped(_("What makes it lighter"), points, weight=600))
        for light in over.lighter[:LIGHTER]:
            column.addLayout(
                self._row(light.what, () if light.kind == "repeat" else light.bars[:1], light.notes, theme)
            )
            yield
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
        if self._steps is not None and self.over is not None:
            return [t for t in self.over.traps if t.what in self._kept]
        return [t for t, box in self._boxes if box.isChecked()]


def _where(bars: tuple[str, ...]) -> str:
    """Bars by their numbers; a pickup by its name."""
    numbers = [b for b in bars if b != "0"]
    pickup = [_("the pickup")] if "0" in bars else []
    first = ", ".join(numbers[:SHOWN_BARS]) + (" …" if len(numbers) > SHOWN_BARS else "")
    named = [ngettext("bar {bars}", "bars {bars}", len(numbers)).format(bars=first)] if numbers else []
    return ", ".join([*pickup, *named])
