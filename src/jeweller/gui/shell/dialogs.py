"""The two boxes of the program: a sentence when something could not be done, and all keys in one place.
Neither blocks the window.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QWidget

from jeweller.gui.places.loupe.margin import wrapped
from jeweller.gui.widgets.roomy import RoomyDialog
from jeweller.i18n import N_, _

KEYS = (
    (N_("Ctrl+1, 2, 5, 7"), N_("the loupe, the pattern book, the bench, the ledger")),
    (N_("Ctrl+3, 4, 6"), N_("warm up, the booth, practice")),
    (N_("Enter"), N_("booth: begin a take, end it, try again; warm up: listen, stop")),
    ("S, B", N_("booth: slower; only the bad bar")),
    ("J, W", N_("booth: join the next bar; wider")),
    ("F", N_("booth: find the first note")),
    (N_("Space"), N_("play from two beats before the chosen place, or stop")),
    ("T, M, B", N_("the take, the model, one after the other")),
    (N_("[ and ]"), N_("slower, faster")),
    ("L", N_("loop the chosen bar")),
    (N_("Down, Up"), N_("next and previous finding; on the bench, of the whole tray")),
    (N_("Right, Left"), N_("next and previous note")),
    ("K", N_("keep a finding")),
    ("D", N_("dismiss it")),
    ("R", N_("restore it")),
    ("C", N_("change its kind")),
    ("E", N_("look closer at what a finding rests on")),
    ("A", N_("add a finding at the chosen note")),
    (N_("U, Ctrl+Z"), N_("undo")),
    (N_("Ctrl+Shift+Z"), N_("redo")),
    ("P", N_("the heard pitch as a line on the staff")),
    (N_("Ctrl++, Ctrl+−, Ctrl+0"), N_("larger, smaller, usual size")),
    (N_("Ctrl+Page Down, Ctrl+Page Up"), N_("next and previous take of the tray")),
    (N_("N, Ctrl+Return"), N_("bench: a word to the player; the take is decided")),
    (N_("Ctrl+Shift+Return"), N_("bench: all clean takes are decided")),
    (N_("O, Escape"), N_("bench: look closely at the take; back")),
    (N_("Ctrl+O"), N_("open a score")),
    (N_("Ctrl+R"), N_("open a recording")),
    (N_("Ctrl+S"), N_("save the marked part")),
    ("F1", N_("the guide")),
    (N_("Shift+F1"), N_("this page")),
)


def _open(box: RoomyDialog, button: QDialogButtonBox.StandardButton) -> QDialog:
    box.finish(QDialogButtonBox(button))
    box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    box.open()
    return box


def show_sentence(parent: QWidget, sentence: str, points: float) -> QDialog:
    """A sentence; what stands below its first line are details of a fault, to be copied for a report."""
    sentence, _unused, details = sentence.partition("\n")
    more = _(" Please report it; its details can be copied, and hold no names.") if details else ""
    text = wrapped(sentence + more, points)
    text.setMinimumWidth(round(40 * points))
    made = RoomyDialog(parent, "Jeweller", spacing=16)
    made.column.addWidget(text)
    box = _open(made, QDialogButtonBox.StandardButton.Ok)
    buttons = box.findChild(QDialogButtonBox)
    if details and buttons is not None:
        copy = buttons.addButton(_("Copy details"), QDialogButtonBox.ButtonRole.ActionRole)
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(details))
    return box


def show_keys(parent: QWidget) -> QDialog:
    box = RoomyDialog(parent, _("Keys"), spacing=16)
    grid = QGridLayout()
    grid.setHorizontalSpacing(24)
    grid.setVerticalSpacing(4)
    half = len(KEYS) if box.one_below_the_other else (len(KEYS) + 1) // 2
    for k, (key, words) in enumerate(KEYS):
        label = QLabel(_(key))
        label.setStyleSheet("font-weight: 600;")
        grid.addWidget(label, k % half, 2 * (k // half))
        what = QLabel(_(words))
        what.setWordWrap(box.one_below_the_other)
        grid.addWidget(what, k % half, 2 * (k // half) + 1)
    grid.setColumnStretch(1, 1)
    title = QLabel(_("Keys"))
    title.setObjectName("title")
    box.column.addWidget(title)
    box.column.addLayout(grid)
    return _open(box, QDialogButtonBox.StandardButton.Close)
