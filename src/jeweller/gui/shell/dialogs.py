"""The two boxes of the program: a sentence when something could not be done, and all keys in one place.
Neither blocks the window.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QLayout, QVBoxLayout, QWidget

from jeweller.gui.places.loupe.margin import wrapped

KEYS = (
    ("Ctrl+1, 2, 5, 7", "the loupe, the pattern book, the bench, the ledger"),
    ("Space", "play from two beats before the chosen place, or stop"),
    ("T, M, B", "the take, the model, one after the other"),
    ("[ and ]", "slower, faster"),
    ("L", "loop the chosen bar"),
    ("Down, Up", "next and previous finding; on the bench, of the whole tray"),
    ("Right, Left", "next and previous note"),
    ("K", "keep a finding"),
    ("D", "dismiss it"),
    ("R", "restore it"),
    ("C", "change its kind"),
    ("A", "add a finding at the chosen note"),
    ("U, Ctrl+Z", "undo"),
    ("Ctrl+Shift+Z", "redo"),
    ("P", "the heard pitch as a line on the staff"),
    ("Ctrl++, Ctrl+−, Ctrl+0", "larger, smaller, usual size"),
    ("Ctrl+Page Down, Ctrl+Page Up", "next and previous take of the tray"),
    ("N, Ctrl+Return", "bench: a word to the player; the take is decided"),
    ("O, Escape", "bench: look closely at the take; back"),
    ("Ctrl+O", "open a score"),
    ("Ctrl+R", "open a recording"),
    ("Ctrl+S", "save the marked part"),
    ("F1", "this page"),
)


def _box(
    parent: QWidget, title: str, *content: QWidget | QLayout, button: QDialogButtonBox.StandardButton
) -> QDialog:
    box = QDialog(parent)
    box.setWindowTitle(title)
    column = QVBoxLayout(box)
    column.setContentsMargins(24, 20, 24, 16)
    column.setSpacing(16)
    for item in content:
        if isinstance(item, QWidget):
            column.addWidget(item)
        else:
            column.addLayout(item)
    buttons = QDialogButtonBox(button)
    buttons.accepted.connect(box.accept)
    buttons.rejected.connect(box.reject)
    column.addWidget(buttons)
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
    return box


def show_sentence(parent: QWidget, sentence: str, points: float) -> QDialog:
    """A sentence; what stands below its first line are details of a fault, to be copied for a report."""
    sentence, _, details = sentence.partition("\n")
    more = " Please report it; its details can be copied, and hold no names." if details else ""
    text = wrapped(sentence + more, points)
    text.setMinimumWidth(440)
    box = _box(parent, "Jeweller", text, button=QDialogButtonBox.StandardButton.Ok)
    buttons = box.findChild(QDialogButtonBox)
    if details and buttons is not None:
        copy = buttons.addButton("Copy details", QDialogButtonBox.ButtonRole.ActionRole)
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(details))
    return box


def show_keys(parent: QWidget) -> QDialog:
    grid = QGridLayout()
    grid.setHorizontalSpacing(24)
    grid.setVerticalSpacing(4)
    half = (len(KEYS) + 1) // 2
    for k, (key, words) in enumerate(KEYS):
        label = QLabel(key)
        label.setStyleSheet("font-weight: 600;")
        grid.addWidget(label, k % half, 2 * (k // half))
        grid.addWidget(QLabel(words), k % half, 2 * (k // half) + 1)
    title = QLabel("Keys")
    title.setObjectName("title")
    return _box(parent, "Keys", title, grid, button=QDialogButtonBox.StandardButton.Close)
