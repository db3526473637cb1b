"""How a part is shown and printed: which part, for which instrument and in which octave, what stands under
the notes, how large, how many bars in a line.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QTableWidget, QWidget

from jeweller.documents.parts import SheetSettings
from jeweller.documents.text_lines import LINES, TextLineSettings
from jeweller.exercises.parts import best_octave, to_concert_pitch, write_for_instrument
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.model import Part, Score
from jeweller.notation.transposition import transpose_part

CONCERT = N_("concert pitch")
BARS_PER_LINE = (0, 1, 2, 3, 4, 5, 6, 8)


def plain(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("plain")
    return label


def plain_table(columns: Sequence[str], name: str) -> QTableWidget:
    """An empty table without lines, its headings at the left; `name` is what a screen reader says."""
    table = QTableWidget(0, len(columns))
    table.setHorizontalHeaderLabels(list(columns))
    table.setAccessibleName(name)
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    return table


def _octaves(n: int) -> str:
    if not n:
        return _("as it sounds")
    message = (
        ngettext("{n} octave higher", "{n} octaves higher", n)
        if n > 0
        else ngettext("{n} octave lower", "{n} octaves lower", -n)
    )
    return message.format(n=abs(n))


class PartChoice(QWidget):
    """Which part of a score, and for whom it is written. `changed` is emitted by another choice."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.parts = QComboBox()
        self.parts.setAccessibleName(_("The part shown"))
        row.addWidget(self.parts)
        self.words = plain(_("written for"))
        row.addWidget(self.words)
        self.instrument = QComboBox()
        self.instrument.setAccessibleName(_("The instrument the part is written for"))
        self.instrument.addItem(_("as it stands"), "")
        self.instrument.addItem(_("concert pitch"), CONCERT)
        for i in instruments():
            if i.clef != "percussion":
                self.instrument.addItem(i.name, i.id)
        row.addWidget(self.instrument)
        self.octaves = QComboBox()
        self.octaves.setAccessibleName(_("Moved by octaves"))
        for n in range(-3, 4):
            self.octaves.addItem(
                _octaves(n),
                n,
            )
        self.octaves.setCurrentIndex(3)
        row.addWidget(self.octaves)
        row.addStretch(1)
        self.free = False  # whether it may be written for another
        for box in (self.parts, self.instrument, self.octaves):
            box.currentIndexChanged.connect(lambda _unused: self.changed.emit())

    def show_score(self, score: Score | None, *, free: bool) -> None:
        """The parts of a score; `free`: they may be written for another instrument."""
        self.free = free
        self.parts.blockSignals(True)
        shown = self.parts.currentText()
        self.parts.clear()
        for part in score.parts if score is not None else ():
            self.parts.addItem(part.name)
        self.parts.setCurrentIndex(max(0, self.parts.findText(shown)))
        self.parts.blockSignals(False)
        self.fit()

    def fit(self) -> None:
        """Shows what can be chosen."""
        self.parts.setVisible(self.parts.count() > 1)
        free = self.free and self.parts.count() > 0
        for widget in (self.words, self.instrument):
            widget.setVisible(free)
        self.octaves.setVisible(free and self.chosen != CONCERT)
        self.setVisible(self.parts.count() > 1 or free)

    @property
    def chosen(self) -> str:
        """CONCERT, the id of an instrument, or "" for the part as it is."""
        return str(self.instrument.currentData() or "") if self.free else ""

    @property
    def moved(self) -> bool:
        """Whether the part shown is another than the score's own."""
        return bool(self.chosen) or self.octave != 0

    @property
    def octave(self) -> int:
        return int(self.octaves.currentData()) if self.free and self.chosen != CONCERT else 0

    def part(self, score: Score | None) -> Part | None:
        """The part that is shown."""
        if score is None or not score.parts:
            return None
        part = score.parts[min(len(score.parts) - 1, max(0, self.parts.currentIndex()))]
        if self.chosen == CONCERT:
            return to_concert_pitch(part)
        if self.chosen:
            return write_for_instrument(part, require_instrument(self.chosen), octaves=self.octave)
        return transpose_part(part, 12 * self.octave, 7 * self.octave) if self.octave else part

    def advice(self, score: Score | None) -> str:
        """Where the part lies badly on the instrument it is written for, and where it would lie best; ""
        where it does not.
        """
        if self.chosen in ("", CONCERT) or score is None or not score.parts:
            return ""
        instrument = require_instrument(self.chosen)
        best = best_octave(score.parts[max(0, self.parts.currentIndex())], instrument)
        if best == self.octave:
            return ""
        words = self.octaves.itemText(self.octaves.findData(best))
        return _("On the {name} it lies best {words}.").format(name=instrument.name, words=words)


class DisplayOptions(QWidget):
    """What stands under the notes and how they are laid out. `changed` is emitted by another choice."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(plain(_("Under the notes:")))
        self.lines: dict[str, QCheckBox] = {}
        for line, words in LINES.items():
            self.lines[line] = self._box(row, _(words), "")
        self.blank = self._box(row, _("blank"), _("Lines to be filled in by the player"))
        self.big = self._box(row, _("big print"), _("To be read from a distance"))
        row.addStretch(1)
        row.addWidget(plain(_("Bars in a line")))
        self.bars = QComboBox()
        self.bars.setAccessibleName(_("Bars in a line"))
        for n in BARS_PER_LINE:
            self.bars.addItem(str(n) if n else _("as fit"), n)
        self.bars.currentIndexChanged.connect(lambda _unused: self.changed.emit())
        row.addWidget(self.bars)

    def _box(self, row: QHBoxLayout, words: str, tip: str) -> QCheckBox:
        box = QCheckBox(words)
        box.setToolTip(tip)
        box.toggled.connect(lambda _unused: self.changed.emit())
        row.addWidget(box)
        return box

    @property
    def bars_per_line(self) -> int:
        return int(self.bars.currentData())

    def under(self) -> TextLineSettings:
        chosen = tuple(line for line, box in self.lines.items() if box.isChecked())
        return TextLineSettings(chosen, chosen if self.blank.isChecked() else ())

    def settings(self, reminders: dict[str, str]) -> SheetSettings:
        """How the sheet is printed: as it is shown."""
        return SheetSettings(
            under=self.under(),
            big=self.big.isChecked(),
            bars_per_line=self.bars_per_line,
            reminders=tuple(reminders.items()),
        )
