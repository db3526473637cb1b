"""How a part is shown and printed: which part, for which instrument and in which octave, what stands under
the notes, how large, how many bars in a line.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QWidget,
)

from jeweller.documents.parts import SheetSettings
from jeweller.documents.text_lines import (
    ALL_COUNTINGS,
    LINES,
    OWN_WORDS,
    SOLFEGES,
    TextLineSettings,
    read_words,
    write_words,
)
from jeweller.exercises.parts import best_octave, to_concert_pitch, write_for_instrument
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.model import Part, Score
from jeweller.notation.transposition import transpose_part

CONCERT = N_("concert pitch")
BARS_PER_LINE = (0, 1, 2, 3, 4, 5, 6, 8)


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
        row = FlowRow(self)
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
                self.instrument.addItem(i.said, i.id)
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
        row.addStretch()
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
        return _("On the {name} it lies best {words}.").format(name=instrument.said, words=words)


class DisplayOptions(QWidget):
    """What stands under the notes and how they are laid out; `settings` keeps how it is counted and named.
    `changed` is emitted by another choice.
    """

    changed = Signal()

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self.kept = settings
        self.counting = self._kept("counting", (*ALL_COUNTINGS, OWN_WORDS))
        self.solfege = self._kept("solfege", SOLFEGES)
        self.words = read_words(str(settings.value("own words") or ""))
        row = FlowRow(self)
        row.addWidget(plain(_("Under the notes:")))
        self.lines: dict[str, QCheckBox] = {}
        for line, words in LINES.items():
            self.lines[line] = self._box(row, _(words), "")
        self.ways = QPushButton(_("How…"))
        self.ways.setObjectName("inline")
        self.ways.setToolTip(_("How it is counted, and what the notes are called"))
        self.ways.clicked.connect(
            lambda: self.ways_menu().popup(self.ways.mapToGlobal(self.ways.rect().bottomLeft()))
        )
        row.addWidget(self.ways)
        self.blank = self._box(row, _("blank"), _("Lines to be filled in by the player"))
        self.big = self._box(row, _("big print"), _("To be read from a distance"))
        row.addStretch()
        self.bars = QComboBox()
        self.bars.setAccessibleName(_("Bars in a line"))
        for n in BARS_PER_LINE:
            self.bars.addItem(str(n) if n else _("as fit"), n)
        self.bars.currentIndexChanged.connect(lambda _unused: self.changed.emit())
        last = QWidget()  # the words stay with their box where the row breaks
        pair = QHBoxLayout(last)
        pair.setContentsMargins(0, 0, 0, 0)
        pair.addWidget(plain(_("Bars in a line")))
        pair.addWidget(self.bars)
        row.addWidget(last)

    def _box(self, row: FlowRow, words: str, tip: str) -> QCheckBox:
        box = QCheckBox(words)
        box.setToolTip(tip)
        box.toggled.connect(lambda _unused: self.changed.emit())
        row.addWidget(box)
        return box

    def _kept(self, name: str, choices: Sequence[str]) -> str:
        value = str(self.kept.value(name) or "")
        return value if value in choices else choices[0]

    def ways_menu(self) -> QMenu:
        """How it is counted, with own words too, and what the notes are called."""
        menu = QMenu(self)
        counting = menu.addMenu(_("Counting"))
        for way in ALL_COUNTINGS:
            self._way(counting, way, way == self.counting, lambda w=way: self.count_by(w))
        self._way(counting, _("Own words…"), self.counting == OWN_WORDS, self.ask_words)
        solfege = menu.addMenu(_("Solfège"))
        for way in SOLFEGES:
            self._way(solfege, _(way), way == self.solfege, lambda w=way: self.name_by(w))
        return menu

    def _way(self, menu: QMenu, words: str, on: bool, act: Callable[[], object]) -> None:
        action = menu.addAction(words)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(lambda _unused=False: act())

    def count_by(self, way: str, words: tuple[tuple[str, str], ...] | None = None) -> None:
        """Counts this way from now on, with `words` where they are an own table; the counts are shown."""
        self.counting = way
        self.words = self.words if words is None else words
        self.kept.setValue("counting", way)
        self.kept.setValue("own words", write_words(self.words))
        self._show_line("counts")

    def name_by(self, way: str) -> None:
        """Calls the notes by this school from now on; the syllables are shown."""
        self.solfege = way
        self.kept.setValue("solfege", way)
        self._show_line("solfège")

    def _show_line(self, line: str) -> None:
        if self.lines[line].isChecked():
            self.changed.emit()
        self.lines[line].setChecked(True)

    def ask_words(self) -> QDialog:
        """Asks for the words of an own table."""
        from jeweller.gui.places.pattern_book.words_dialog import WordsDialog

        dialog = WordsDialog(self.words, self.window())
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.count_by(OWN_WORDS, dialog.words()))
        dialog.open()
        return dialog

    @property
    def bars_per_line(self) -> int:
        return int(self.bars.currentData())

    def under(self) -> TextLineSettings:
        chosen = tuple(line for line, box in self.lines.items() if box.isChecked())
        return TextLineSettings(
            chosen,
            chosen if self.blank.isChecked() else (),
            counting=self.counting,
            solfege=self.solfege,
            words=self.words,
        )

    def settings(self, reminders: dict[str, str]) -> SheetSettings:
        """How the sheet is printed: as it is shown."""
        return SheetSettings(
            under=self.under(),
            big=self.big.isChecked(),
            bars_per_line=self.bars_per_line,
            reminders=tuple(reminders.items()),
        )
