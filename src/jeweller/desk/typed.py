"""A line typed in as ABC text: what is not understood is underlined at its place and said below; names of signs are offered while they are typed."""

from __future__ import annotations

from PySide6.QtCore import QStringListModel, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QKeyEvent, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import QCompleter, QLabel, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from jeweller.desk.style import font
from jeweller.score.abc import Problem, parse_tune
from jeweller.score.marks import DECORATIONS, DYNAMICS, SIGNS
from jeweller.score.model import Score

START = "T:A line of my own\nM:4/4\nL:1/4\nQ:1/4=80\nK:C\nC D E F | G2 E2 | F D E C | D2 C2 |]\n"
PAUSE_MS = 200  # after the last key
SHOWN = 3  # problems said at once


class AbcEdit(QPlainTextEdit):
    """The text, with an offer of names after "!"."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("The line as ABC text")
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
        if popup is not None and popup.isVisible() and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Tab):
            event.ignore()
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


class Typed(QWidget):
    """`changed` is emitted, a moment after the last key, when the text means something else; `score` is what it means."""

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
        column.addWidget(self.edit)
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
            links = [f'<a href="{k}">line {p.line}</a>: {_escaped(p.text)}' for k, p in enumerate(self.problems[:SHOWN])]
            more = len(self.problems) - SHOWN
            self.told.setText("<br>".join(links) + (f"<br>and {more} more" if more > 0 else ""))
        else:
            self.told.setText("Every bar adds up." if self.score is not None else "Type notes after K: — C D E F, a bar line |, c for the octave above.")
        self.changed.emit()

    def _underline(self) -> None:
        selections = []
        for p in self.problems:
            selection = QTextEdit.ExtraSelection()
            cursor = QTextCursor(self.edit.document().findBlockByNumber(p.line - 1))
            cursor.movePosition(QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.MoveAnchor, max(0, p.column - 1))
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
        cursor.movePosition(QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.MoveAnchor, max(0, p.column - 1))
        self.edit.setTextCursor(cursor)
        self.edit.setFocus()

    def set_text(self, text: str) -> None:
        self.edit.setPlainText(text)
        self.timer.stop()
        self.read()

    def set_points(self, points: float) -> None:
        self.edit.setFont(font(points + 1))


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
