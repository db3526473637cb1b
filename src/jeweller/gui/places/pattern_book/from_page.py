"""From a page: a PDF, a scan or a photo is read; the page stands above, what was read below it; what is
doubted is walked through and corrected by single keys.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSettings, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from jeweller.assets import DEMO
from jeweller.errors import JewellerError, PageError
from jeweller.gui.places.pattern_book.choices import PAGES
from jeweller.gui.places.pattern_book.page_model import PageModel
from jeweller.gui.places.pattern_book.page_picture import PageView
from jeweller.gui.services.jobs import Job, Jobs
from jeweller.gui.services.kept import kept_folder
from jeweller.gui.services.work import read_page_lines
from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import N_, _, ngettext
from jeweller.instruments.table import instruments, require_instrument
from jeweller.notation.entry import VALUES
from jeweller.notation.model import Score
from jeweller.omr import correct
from jeweller.omr.correct import Lines, Spot
from jeweller.omr.page import PagesRead

METRES = ((2, 4), (3, 4), (4, 4), (2, 2), (3, 8), (6, 8), (9, 8), (12, 8), (5, 4), (7, 8))
COPYING = N_("Copying music is for those who may.")
KEYS = N_(
    "Tab the next doubt · Enter right as it is · ← → a note · ↑ ↓ a step, with Shift an octave · A–G its "
    "name · 1 2 4 8 6 its length · . dot · + − a semitone · R rest · 3 triplet · T tie · S slur · X grace "
    "note · Ins one more · Del none · | bar line · K a sharp more in the key, with Shift a flat · / another "
    "metre · Ctrl+Z back"
)
TOGGLED = {"N": "trill", "H": "fermata", "X": "grace", ",": "staccato", ">": "accent"}


class FromPage(QWidget):
    """`changed` is emitted when the music is another, `moved` when another note is looked at; `trouble` is a
    sentence in a box, `message` a line for the foot of the window.
    """

    changed = Signal()
    moved = Signal()
    trouble = Signal(str)
    message = Signal(str)
    kept = Signal(object, object)  # a score for the shelf, with its page
    told_share = Signal(float, str)  # from the thread that reads

    def __init__(self, jobs: Jobs, settings: QSettings) -> None:
        super().__init__()
        self.jobs, self.settings = jobs, settings
        self.model = PageModel()
        self.reading: Job | None = None
        self.stopped = threading.Event()
        self.told_share.connect(self._say_share)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.row = FlowRow()
        self.open_button = QPushButton(_("Read a page…"))
        self.open_button.setToolTip(_("A PDF, a scan or a photo, of one staff at a time"))
        self.open_button.clicked.connect(lambda: self.open())
        self.row.addWidget(self.open_button)
        self.try_button = QPushButton(_("Try a page of the demo band"))
        self.try_button.clicked.connect(lambda: self.open(str(DEMO / "page-9.jpg")))
        self.row.addWidget(self.try_button)
        self.pages_words = plain(_("Pages"))
        self.pages = QLineEdit()
        self.pages.setPlaceholderText(_("all, or 4-6"))
        self.pages.setAccessibleName(_("Which pages are read"))
        self.pages.setMaximumWidth(220)  # of large text too
        self.row.addWidget(self.pages_words)
        self.row.addWidget(self.pages)
        self.stop_button = QPushButton(_("Stop"))
        self.stop_button.clicked.connect(self.stop)
        self.stop_button.hide()
        self.row.addWidget(self.stop_button)
        self.piece = self._choice(_("Which piece of the pages"), self._piece_chosen)
        self.player = self._choice(_("Who plays it"), self._player_chosen)
        self.player.addItem(_("any instrument"), "")
        for i in instruments():
            self.player.addItem(i.said, i.id)
        self.key = self._choice(_("The key signature at this bar"), self._key_chosen)
        for fifths in range(-7, 8):
            self.key.addItem(_signature(fifths), fifths)
        self.metre = self._choice(_("The metre at this bar"), self._metre_chosen)
        for beats, unit in METRES:
            self.metre.addItem(f"{beats}/{unit}", (beats, unit))
        self.row.addStretch()
        self.doubts = QLabel()
        self.row.addWidget(self.doubts)
        self.next_button = QPushButton(_("Next doubt"))
        self.next_button.setToolTip(_("Tab; with Shift the one before"))
        self.next_button.clicked.connect(lambda: self.walk(1))
        self.row.addWidget(self.next_button)
        self.all_button = QPushButton(_("Put all on the shelf"))
        self.all_button.clicked.connect(self.keep_all)
        self.row.addWidget(self.all_button)
        column.addLayout(self.row)
        self.view = PageView()
        self.view.paper.pressed.connect(self._pressed)
        self.view.paper.pointed.connect(self._pointed)
        column.addWidget(self.view, 1)
        self.told = QLabel()
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.keys = QLabel(_(KEYS))
        self.keys.setObjectName("quiet")
        self.keys.setWordWrap(True)
        column.addWidget(self.keys)
        self._show()

    def _choice(self, name: str, act: Callable[[int], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(name)
        box.activated.connect(act)
        self.row.addWidget(box)
        return box

    @property
    def score(self) -> Score | None:
        """The piece that is looked at, as it is corrected."""
        return self.model.piece.score if self.model.piece is not None else None

    def marked_notes(self) -> frozenset[str]:
        """The notes of the piece that are doubted, and the one that is looked at."""
        model = self.model
        found = {model.note_id(spot) for spot, _unused in model.doubted()} | {self.looked_note()}
        return frozenset(found - {""})

    def looked_note(self) -> str:
        """The note that is looked at, by its id in the music."""
        return self.model.note_id(self.model.spot)

    def kept_page(self) -> bytes | None:
        """The page of the piece that is looked at, to be kept beside it."""
        looked = self.model.looked
        return self.model.kept(looked) if looked is not None else None

    def keep_all(self) -> None:
        """Every piece of the pages to the shelf."""
        for looked, score in zip(self.model.pieces, self.model.scores, strict=True):
            self.kept.emit(score, self.model.kept(looked))
        count = len(self.model.pieces)
        self.message.emit(
            ngettext("{n} piece put on the shelf.", "{n} pieces put on the shelf.", count).format(n=count)
        )

    # ---- reading

    def open(self, path: str = "") -> None:
        """Reads pages of a file; which file, is asked where none is named."""
        if not path:
            folder = kept_folder(self.settings, "folder", str(Path.home()))
            pattern = " ".join(f"*{e}" for e in PAGES)
            path, _unused = QFileDialog.getOpenFileName(
                self,
                _("Read a page"),
                folder,
                _("Pages ({pattern});;All files (*)").format(pattern=pattern),
            )
        if not path:
            return
        if DEMO not in Path(path).parents:
            self.settings.setValue("folder", str(Path(path).parent))
        stopped = self.stopped = threading.Event()

        def tell(share: float, name: str) -> None:
            if stopped.is_set():
                raise PageError(_("Reading was stopped."))
            self.told_share.emit(share, name)

        # what is read is read in children of its own: a thread waits for them
        self.reading = self.jobs.threaded("page read", read_page_lines, path, self.pages.text(), tell)
        self.reading.done.connect(partial(self._read, path))
        self.reading.failed.connect(self._unread)
        self.message.emit(_("Reading {name}…").format(name=Path(path).name))
        self.try_button.hide()
        self.stop_button.show()

    def _say_share(self, share: float, name: str) -> None:
        if self.reading is not None:
            self.message.emit(_("Reading {name}: {share:.0f} %").format(name=name, share=100 * share))

    def stop(self) -> None:
        """Gives the reading up."""
        self.stopped.set()
        self.jobs.cancel("page read")
        self.reading = None
        self.stop_button.hide()
        self.try_button.setVisible(not self.model.pieces)
        self.message.emit("")

    def _unread(self, sentence: str) -> None:
        self.reading = None
        self.stop_button.hide()
        self.try_button.setVisible(not self.model.pieces)
        self.message.emit("")
        self.trouble.emit(sentence)

    def _read(self, path: str, read: PagesRead) -> None:
        self.reading = None
        self.stop_button.hide()
        self.model.take(path, read)
        self.piece.clear()
        for looked in self.model.pieces:
            self.piece.addItem(self.model.title_of(looked))
        chosen = self.model.instrument.id if self.model.instrument is not None else ""
        self.player.setCurrentIndex(max(0, self.player.findData(chosen)))
        told = [_(said) for said in read.told(self.model.read)]
        words = told or [_("Look it over before a take is checked against it.")]
        self.message.emit(" ".join([*words, _(COPYING)]))
        self._changed()
        self.view.setFocus()

    # ---- what is shown

    def _changed(self) -> None:
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        model = self.model
        there = bool(model.pieces)
        self.try_button.setVisible(not there)
        for widget in (
            self.piece,
            self.player,
            self.key,
            self.metre,
            self.doubts,
            self.next_button,
            self.keys,
        ):
            widget.setVisible(there)
        self.piece.setVisible(len(model.pieces) > 1)
        self.all_button.setVisible(len(model.pieces) > 1)
        self.view.setVisible(there)
        self.told.setVisible(there)
        if not there:
            return
        if self.piece.currentIndex() != model.index:
            self.piece.setCurrentIndex(model.index)
        left = model.count_doubts()
        self.doubts.setText(
            ngettext("{n} doubt left", "{n} doubts left", left).format(n=left)
            if left
            else _("Nothing is doubted any more.")
        )
        self.next_button.setEnabled(left > 0)
        spot = model.spot
        if spot is None:
            return
        page, looked = model.box(spot)
        marked = [model.box(s)[1] for s, _unused in model.doubted() if model.box(s)[0] == page]
        self.view.paper.show_page(model.pictures.get(page), marked, looked)
        self.view.bring()
        bar = model.bar_of(spot)
        if bar is not None:
            self.key.setCurrentIndex(self.key.findData(bar.fifths))
            at = next((k for k, m in enumerate(METRES) if m == (bar.beats, bar.beat_type)), -1)
            self.metre.setCurrentIndex(at)
        self.told.setText(model.told() or " ")

    def walk(self, by: int) -> None:
        """To the next doubt, or the one before."""
        before = self.model.index
        if not self.model.next_doubt(by):
            self.message.emit(_("Nothing is doubted any more."))
        if self.model.index != before:
            self._changed()
        else:
            self._moved()

    def _moved(self) -> None:
        self._show()
        self.moved.emit()

    def look_at_note(self, note: str) -> None:
        """To a note of the music, by its id."""
        spot = self.model.spot_of(note)
        if spot is not None:
            self.model.look_at(spot)
            self._moved()
            self.view.setFocus()

    def _pointed(self, x: float, y: float) -> None:
        spot = self.model.spot
        if spot is None:
            return
        found = self.model.nearest(self.model.box(spot)[0], x, y)
        if found is None:
            return
        other = found[0] != self.model.index
        self.model.choose(found[0])
        self.model.look_at(found[1])
        if other:
            self._changed()
        else:
            self._moved()

    def _piece_chosen(self, index: int) -> None:
        self.model.choose(index)
        self._changed()
        self.view.setFocus()

    def _player_chosen(self, _index: int) -> None:
        chosen = str(self.player.currentData())
        self.model.play_on(require_instrument(chosen) if chosen else None)
        self._changed()

    def _key_chosen(self, _index: int) -> None:
        fifths = int(self.key.currentData())
        self._do(lambda lines, spot: correct.set_key(lines, spot, fifths))

    def _metre_chosen(self, _index: int) -> None:
        metre = self.metre.currentData()
        self._do(lambda lines, spot: correct.set_metre(lines, spot, (int(metre[0]), int(metre[1]))))

    # ---- keys

    def _do(self, act: Callable[[Lines, Spot], Lines]) -> None:
        try:
            self.model.correct(act)
        except JewellerError as error:
            self.message.emit(str(error))
            return
        self._changed()

    def _rebuild(self, act: Callable[[Lines, Spot], tuple[Lines, Spot | None]]) -> None:
        try:
            self.model.rebuild(act)
        except JewellerError as error:
            self.message.emit(str(error))
            return
        self._changed()

    def _pressed(self, event: QKeyEvent) -> None:
        act = self._act(event) if self.model.pieces else None
        if act is not None:
            event.accept()
            act()

    def _act(self, event: QKeyEvent) -> Callable[[], None] | None:
        """What a key does."""
        key, text = Qt.Key(event.key()), event.text()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            back = key == Qt.Key.Key_Z
            if back and not shift:
                return self.undo
            return self.redo if key == Qt.Key.Key_Y or (back and shift) else None
        moves: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_Tab: lambda: self.walk(1),
            Qt.Key.Key_Backtab: lambda: self.walk(-1),
            Qt.Key.Key_Left: lambda: self._step_to(-1),
            Qt.Key.Key_Right: lambda: self._step_to(1),
            Qt.Key.Key_Return: self.confirm,
            Qt.Key.Key_Enter: self.confirm,
            Qt.Key.Key_Up: lambda: self._do(lambda lines, spot: correct.step(lines, spot, 7 if shift else 1)),
            Qt.Key.Key_Down: lambda: self._do(
                lambda lines, spot: correct.step(lines, spot, -7 if shift else -1)
            ),
            Qt.Key.Key_Delete: lambda: self._rebuild(correct.take_away),
            Qt.Key.Key_Backspace: lambda: self._rebuild(correct.take_away),
            Qt.Key.Key_Insert: lambda: self._rebuild(correct.add_after),
        }
        if key in moves:
            return moves[key]
        letter = text.upper()
        if letter in VALUES:
            return lambda: self._do(lambda lines, spot: correct.last(lines, spot, VALUES[letter]))
        if letter and letter in "ABCDEFG":
            return lambda: self._do(lambda lines, spot: correct.name(lines, spot, letter))
        if letter == "K":
            return lambda: self._another(self.key, -1 if shift else 1)
        if letter == "/":
            return lambda: self._another(self.metre, 1)
        if letter in TOGGLED:
            return lambda: self._do(lambda lines, spot: correct.toggle(lines, spot, TOGGLED[letter]))
        simple: dict[str, Callable[[Lines, Spot], Lines]] = {
            ".": correct.dot,
            "R": correct.rest,
            "T": correct.tie,
            "S": correct.slur,
            "3": correct.triplet,
            "+": lambda lines, spot: correct.alter(lines, spot, 1),
            "-": lambda lines, spot: correct.alter(lines, spot, -1),
            "−": lambda lines, spot: correct.alter(lines, spot, -1),
        }
        if letter in simple:
            return lambda: self._do(simple[letter])
        return (lambda: self._rebuild(correct.bar_line)) if letter == "|" else None

    def _another(self, box: QComboBox, by: int) -> None:
        """The next key, or metre, in the row; behind the last one the first."""
        at = (box.currentIndex() + by) % box.count()
        box.setCurrentIndex(at)
        box.activated.emit(at)

    def _step_to(self, by: int) -> None:
        self.model.move(by)
        self._moved()

    def confirm(self) -> None:
        """What is looked at is right as it was read; the next doubt is looked at."""
        if any(spot == self.model.spot for spot, _unused in self.model.doubted()):
            with contextlib.suppress(JewellerError):
                self.model.correct(correct.confirm)
        before = self.model.index
        self.model.next_doubt(1)
        if self.model.index != before:
            self.piece.setCurrentIndex(self.model.index)
        self._changed()

    def undo(self) -> None:
        if self.model.undo():
            self._changed()

    def redo(self) -> None:
        if self.model.redo():
            self._changed()


def _signature(fifths: int) -> str:
    """
    >>> _signature(-2), _signature(0), _signature(1)
    ('2 ♭', '–', '1 ♯')
    """
    if not fifths:
        return "–"
    return f"{abs(fifths)} {'♯' if fifths > 0 else '♭'}"
