"""The shelf in the pattern book: a line to search with, filters, the pieces as a list; what is chosen is shown on the paper."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QMenu, QPushButton, QVBoxLayout, QWidget

from jeweller.book.shelf import CONTAINS, Piece, Query, Shelf
from jeweller.errors import JewellerError
from jeweller.look.over import LEVELS
from jeweller.score.model import Score

LETTERS = ("F♯", "C♯", "G♯", "D♯", "B♭", "E♭", "A♭", "D♭")
SHOWN = 500  # pieces listed at once: more are found by another word


class ShelfPage(QWidget):
    """`chosen` is emitted with the id of a piece, `trouble` with a sentence, `message` with a line for the foot of the window."""

    chosen = Signal(str)
    trouble = Signal(str)
    message = Signal(str)

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self.folder = folder
        self.shelf: Shelf | None = None
        self.contains: tuple[str, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.search = QLineEdit()
        self.search.setPlaceholderText("title, composer, folder, tag")
        self.search.setAccessibleName("Search the shelf")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self.fill())
        row.addWidget(self.search, 1)
        self.metre = self._filter("any metre", ("2/4", "3/4", "4/4", "6/8", "2/2"), "Metre")
        self.level = self._filter("any level", (*(name for _, name in LEVELS), "very hard"), "Reading level")
        row.addWidget(self.metre)
        row.addWidget(self.level)
        self.contains_button = QPushButton("contains…")
        self.contains_button.clicked.connect(lambda: self.contains_menu().popup(self.contains_button.mapToGlobal(self.contains_button.rect().bottomLeft())))
        row.addWidget(self.contains_button)
        self.count = QLabel()
        self.count.setObjectName("quiet")
        row.addWidget(self.count)
        column.addLayout(row)
        self.list = QListWidget()
        self.list.setAccessibleName("Pieces on the shelf")
        self.list.setUniformItemSizes(True)
        self.list.currentItemChanged.connect(lambda item, _: self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(lambda point: self.piece_menu().popup(self.list.mapToGlobal(point)))
        column.addWidget(self.list)

    def _filter(self, anything: str, choices: tuple[str, ...], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.addItem(anything, "")
        for choice in choices:
            box.addItem(choice, choice)
        box.currentIndexChanged.connect(lambda _: self.fill())
        return box

    def open(self) -> Shelf | None:
        """The shelf, opened on first use; None where that cannot be."""
        if self.shelf is None:
            try:
                self.shelf = Shelf(self.folder)
            except JewellerError as error:
                self.trouble.emit(str(error))
        return self.shelf

    def contains_menu(self) -> QMenu:
        """What the pieces listed must contain."""
        menu = QMenu(self)
        for what, words in (*CONTAINS.items(), *((letter, letter) for letter in LETTERS)):
            action = menu.addAction(words)
            action.setCheckable(True)
            action.setChecked(what in self.contains)
            action.triggered.connect(lambda _=False, w=what: self._toggle(w))
        return menu

    def _toggle(self, what: str) -> None:
        self.contains = tuple(c for c in self.contains if c != what) if what in self.contains else (*self.contains, what)
        words = [CONTAINS.get(c, c) for c in self.contains]
        self.contains_button.setText(f"contains {', '.join(words)}" if words else "contains…")
        self.fill()

    def fill(self, choose: str = "") -> None:
        """Lists what is found; `choose` is the id of the piece to be chosen."""
        shelf = self.open()
        if shelf is None:
            return
        found = shelf.find(Query(self.search.text(), metre=str(self.metre.currentData()), level=str(self.level.currentData()), contains=self.contains))
        self.list.blockSignals(True)
        self.list.clear()
        for piece in found[:SHOWN]:
            item = QListWidgetItem(words_of(piece))
            item.setData(Qt.ItemDataRole.UserRole, piece.id)
            self.list.addItem(item)
            if piece.id == choose:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        of = len(shelf.pieces)
        self.count.setText(f"{len(found)} of {of} pieces" if of else "nothing on the shelf yet")

    def piece(self) -> Piece | None:
        """The piece that is chosen."""
        item = self.list.currentItem()
        return self.shelf.pieces.get(item.data(Qt.ItemDataRole.UserRole)) if item is not None and self.shelf is not None else None

    def put(self, score: Score) -> Piece | None:
        """Puts a score on the shelf, unless the same music is there; says so either way."""
        shelf = self.open()
        if shelf is None:
            return None
        there = shelf.same_music(score)
        try:
            piece = there[0] if there else shelf.add(score)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        self.message.emit(f"“{piece.title}” is on the shelf already." if there else f"On the shelf: {piece.title}.")
        return piece

    def piece_menu(self) -> QMenu:
        """What can be done with the chosen piece."""
        menu = QMenu(self)
        piece = self.piece()
        if piece is None:
            return menu
        menu.addAction("Bars under a name of their own…").triggered.connect(lambda _=False: self.ask_passage())
        menu.addAction("A line of background…").triggered.connect(lambda _=False: self.ask_background())
        menu.addAction("Take off the shelf").triggered.connect(lambda _=False: self.remove())
        return menu

    def ask_passage(self, text: str = "") -> None:
        """Bars a–b of the chosen piece, asked for in a box where they are not given."""
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        if not text:
            text, ok = QInputDialog.getText(self, "Bars under a name of their own", f"Bars of “{piece.title}”, as 9-16:")
            if not ok:
                return
        first, _, last = text.replace("–", "-").partition("-")
        try:
            made = shelf.add_passage(piece.id, first.strip(), (last or first).strip(), f"{piece.title}, bars {text.strip()}")
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.fill(made.id)
        self.chosen.emit(made.id)

    def ask_background(self, text: str | None = None) -> None:
        """A line about where the piece comes from and what that means for playing."""
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        if text is None:
            text, ok = QInputDialog.getText(self, "A line of background", "Origin, dance, character, what it means for playing:", text=piece.background)
            if not ok:
                return
        try:
            shelf.change(piece.id, background=text.strip())
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.chosen.emit(piece.id)

    def remove(self) -> None:
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        shelf.remove(piece.id)
        self.message.emit(f"“{piece.title}” was taken off the shelf.")
        self.fill()


def words_of(piece: Piece) -> str:
    """One line for a piece."""
    bars = f"bars {piece.passage[0]} to {piece.passage[1]}" if piece.passage_of else f"{piece.bars} bars"
    return " · ".join(filter(None, [piece.title, ", ".join(piece.keys[:2]), ", ".join(piece.metres[:2]), bars, piece.level, piece.folder]))
