"""A line typed in as ABC text, or entered note by note with single keys: what is not understood is underlined
at its place and said below; names of signs are offered while they are typed.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QStringListModel, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import (
    QCheckBox,
    QCompleter,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from jeweller.gui.shell.style import font
from jeweller.gui.widgets.flow import FlowRow
from jeweller.i18n import N_, _
from jeweller.notation import entry
from jeweller.notation.entry import VALUE_NAMES, VALUES, Entry
from jeweller.notation.model import Score
from jeweller.notation.readers.abc import parse_tune
from jeweller.notation.readers.abc_head import Problem
from jeweller.notation.readers.vocabulary import DECORATIONS, DYNAMICS, SIGNS

START = N_("T:A line of my own\nM:4/4\nL:1/4\nQ:1/4=80\nK:C\nC D E F | G2 E2 | F D E C | D2 C2 |]\n")
EMPTY = "T:\nM:4/4\nL:1/4\nQ:1/4=80\nK:C\n"
KEYS = N_(
    "A–G a note · R rest · . dot · 3 triplet · ↑ ↓ a step, with Shift an octave · + − a semitone · "
    "S slur · T tie · Shift+A–G grace note · N trill · H fermata · , short · > accent · Backspace "
    "takes back"
)
SIGNED = {"N": "!trill!", "H": "!fermata!", ",": ".", ">": "!accent!"}
PAUSE_MS = 200  # after the last key
SHOWN = 3  # problems said at once


Change = Callable[[Entry], Entry]


class AbcEdit(QPlainTextEdit):
    """The text, with an offer of names after "!". With `by_keys` single keys write whole notes of the length
    `value` (a key of VALUES); `valued` is emitted when that changes.
    """

    valued = Signal()
    by_keys = False
    value = "4"

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabChangesFocus(True)
        self.setAccessibleName(_("The line as ABC text"))
        names = sorted({*DECORATIONS, *DYNAMICS, *SIGNS} - {">", "^"})
        self.completer = QCompleter(QStringListModel(names, self), self)
        self.completer.setWidget(self)
        self.completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        self.completer.activated.connect(self._complete)

    def opened(self) -> str | None:
        """What stands since an opening "!" on this line; None where none is open."""
        cursor = self.textCursor()
        before = cursor.block().text()[: cursor.positionInBlock()]
        return before.rsplit("!", 1)[1] if before.count("!") % 2 else None

    def _complete(self, name: str) -> None:
        begun = self.opened()
        if begun is not None:
            self.insertPlainText(name[len(begun) :] + "!")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        popup = self.completer.popup()
        if (
            popup is not None
            and popup.isVisible()
            and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Tab)
        ):
            event.ignore()
            return
        if (
            self.by_keys
            and self.opened() is None
            and not entry.FIELD.match(self.textCursor().block().text())
            and self._key(event)
        ):
            return
        super().keyPressEvent(event)
        begun = self.opened()
        if popup is None:
            return
        if begun is None or not event.text():
            popup.hide()
            return
        self.completer.setCompletionPrefix(begun)
        if self.completer.completionCount():
            place = self.cursorRect()
            place.setWidth(220)
            self.completer.complete(place)
        else:
            popup.hide()

    def _key(self, event: QKeyEvent) -> bool:
        """Does what a key means where notes are entered by keys; False where it means nothing else than what
        is typed.
        """
        modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        if modifiers & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        if event.text() in VALUES:
            self.value = event.text()
            self.valued.emit()
            return True
        change = self._meaning(event.key(), event.text(), shift)
        if change is not None:
            self.apply(change)
        return change is not None

    def _meaning(self, key: int, text: str, shift: bool) -> Change | None:
        quarters = VALUES[self.value]
        letter = text.upper()
        if letter and letter in "ABCDEFG":
            return lambda e: entry.add_note(e, letter, quarters, grace=shift)
        if text in SIGNED or letter in SIGNED:
            return lambda e: entry.mark(e, SIGNED.get(text) or SIGNED[letter])
        way = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(key))
        if way is not None:
            return lambda e: entry.step(e, 7 * way if shift else way)
        if key == Qt.Key.Key_Backspace:
            return entry.take_back
        simple: dict[str, Change] = {
            "R": lambda e: entry.add_rest(e, quarters),
            ".": entry.dot,
            "3": entry.add_triplet,
            "S": entry.slur,
            "T": entry.tie,
            "+": lambda e: entry.alter(e, 1),
            "-": lambda e: entry.alter(e, -1),
            "−": lambda e: entry.alter(e, -1),
        }
        return simple.get(letter)

    def apply(self, change: Change) -> None:
        """Changes the text around the cursor as one step that can be undone."""
        old = Entry(self.toPlainText(), self.textCursor().position())
        new = change(old)
        begin = next(
            (k for k, (a, b) in enumerate(zip(old.text, new.text, strict=False)) if a != b),
            min(len(old.text), len(new.text)),
        )
        tail = 0
        while tail < min(len(old.text), len(new.text)) - begin and old.text[-1 - tail] == new.text[-1 - tail]:
            tail += 1
        cursor = self.textCursor()
        cursor.setPosition(begin)
        cursor.setPosition(len(old.text) - tail, QTextCursor.MoveMode.KeepAnchor)
        cursor.insertText(new.text[begin : len(new.text) - tail])
        cursor.setPosition(new.at)
        self.setTextCursor(cursor)

    def to_the_music(self) -> None:
        """The cursor to where the next note belongs: the end of the tune, before its last bar line."""
        text = self.toPlainText().rstrip()
        cursor = self.textCursor()
        if text.endswith("|]"):
            cursor.setPosition(len(text[:-2].rstrip()))
        else:
            cursor.movePosition(QTextCursor.MoveOperation.End)
        self.setTextCursor(cursor)


class TypedPage(QWidget):
    """`changed` is emitted, a moment after the last key, when the text means something else; `score` is what
    it means.
    """

    changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.score: Score | None = None
        self.problems: tuple[Problem, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.edit = AbcEdit()
        self.edit.setPlainText(START)
        self.edit.valued.connect(self._say_keys)
        self.row = FlowRow()
        self.keys_box = QCheckBox(_("Enter by keys"))
        self.keys_box.setToolTip(
            _(
                "Single keys write whole notes: lengths by number, letters in the nearest octave, "
                "bar lines by themselves"
            )
        )
        self.keys_box.toggled.connect(self.set_by_keys)
        self.row.addWidget(self.keys_box)
        self.anew = QPushButton(_("Begin anew"))
        self.anew.setToolTip(_("An empty line; Ctrl+Z brings the other back"))
        self.anew.clicked.connect(self.begin_anew)
        self.row.addWidget(self.anew)
        self.row.addStretch()
        column.addLayout(self.row)
        column.addWidget(self.edit)
        self.keys = QLabel()
        self.keys.setObjectName("quiet")
        self.keys.setWordWrap(True)
        self.keys.hide()
        column.addWidget(self.keys)
        self.told = QLabel()
        self.told.setObjectName("plain")
        self.told.setWordWrap(True)
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextBrowserInteraction)
        self.told.linkActivated.connect(self.go_to)
        column.addWidget(self.told)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.setInterval(PAUSE_MS)
        self.timer.timeout.connect(self.read)
        self.edit.textChanged.connect(self.timer.start)
        self.read()

    def read(self) -> None:
        """Reads the text and says what is not understood."""
        score, self.problems = parse_tune(self.edit.toPlainText())
        self.score = score if score.parts and score.parts[0].note_count else None
        self._underline()
        if self.problems:
            at_line = _("line {line}")
            links = [
                f'<a href="{k}">{at_line.format(line=p.line)}</a>: {_escaped(p.text)}'
                for k, p in enumerate(self.problems[:SHOWN])
            ]
            more = len(self.problems) - SHOWN
            self.told.setText(
                "<br>".join([*links, *([_("and {n} more").format(n=more)] if more > 0 else [])])
            )
        else:
            fine = _("Every bar adds up.")
            self.told.setText(
                fine
                if self.score is not None
                else _("Type notes after K: — C D E F, a bar line |, c for the octave above.")
            )
        self.changed.emit()

    def _underline(self) -> None:
        selections = []
        for p in self.problems:
            selection = QTextEdit.ExtraSelection()
            cursor = QTextCursor(self.edit.document().findBlockByNumber(p.line - 1))
            cursor.movePosition(
                QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.MoveAnchor, max(0, p.column - 1)
            )
            cursor.movePosition(QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.KeepAnchor, 1)
            if not cursor.hasSelection():
                cursor.select(QTextCursor.SelectionType.LineUnderCursor)
            shape = QTextCharFormat()
            shape.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            shape.setUnderlineColor(QColor(self.palette().link().color()))
            selection.format, selection.cursor = shape, cursor
            selections.append(selection)
        self.edit.setExtraSelections(selections)

    def go_to(self, link: str) -> None:
        """The cursor to where a problem lies."""
        p = self.problems[int(link)]
        cursor = QTextCursor(self.edit.document().findBlockByNumber(p.line - 1))
        cursor.movePosition(
            QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.MoveAnchor, max(0, p.column - 1)
        )
        self.edit.setTextCursor(cursor)
        self.edit.setFocus()

    def set_text(self, text: str) -> None:
        self.edit.setPlainText(text)
        self.timer.stop()
        self.read()

    def set_by_keys(self, on: bool) -> None:
        """Whether single keys enter notes, or the text is typed."""
        self.edit.by_keys = on
        self.keys.setVisible(on)
        if on:
            self.edit.to_the_music()
        self._say_keys()
        self.edit.setFocus()

    def _say_keys(self) -> None:
        self.keys.setText(f"<b>{VALUE_NAMES[self.edit.value]}</b> ({' '.join(VALUES)}) · {KEYS}")

    def entered(self) -> int | None:
        """Which note of the tune (from 0) was entered last; None where the text is typed."""
        if not self.edit.by_keys:
            return None
        before = entry.notes_before(Entry(self.edit.toPlainText(), self.edit.textCursor().position()))
        return before - 1 if before else None

    def begin_anew(self) -> None:
        """An empty line in place of this one; undo brings it back."""
        cursor = QTextCursor(self.edit.document())
        cursor.select(QTextCursor.SelectionType.Document)
        cursor.insertText(EMPTY)
        self.edit.setTextCursor(cursor)
        self.edit.setFocus()

    def set_points(self, points: float) -> None:
        self.edit.setFont(font(points + 1))


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
