"""The shelf in the pattern book: a line to search with, filters, the pieces as small engraved beginnings;
what is chosen is shown on the paper.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPixmap, QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from jeweller.difficulty.analysis import HARDEST, LEVELS
from jeweller.documents.theme import LIGHT, Theme
from jeweller.errors import JewellerError
from jeweller.gui.places.pattern_book.page_picture import show_kept_page
from jeweller.gui.places.pattern_book.thumbnails import SIZE, Thumbnails
from jeweller.gui.services.jobs import Jobs
from jeweller.i18n import N_, _, ngettext
from jeweller.notation.model import Part, Score
from jeweller.repertoire.shelf import CONTAINS, Piece, Query, Shelf

LETTERS = ("F♯", "C♯", "G♯", "D♯", "B♭", "E♭", "A♭", "D♭")
ASKED = {
    "title": N_("Title:"),
    "folder": N_("Folder (empty: none):"),
    "tags": N_("Tags, with commas between them:"),
    "background": N_("Origin, dance, character, what it means for playing:"),
}
SHOWN = 500  # pieces listed at once: more are found by another word


class ShelfPage(QWidget):
    """`chosen` is emitted with the id of a piece, `trouble` with a sentence, `message` with a line for the
    foot of the window.
    """

    chosen = Signal(str)
    trouble = Signal(str)
    message = Signal(str)

    def __init__(self, jobs: Jobs, folder: Path) -> None:
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
        self.search.setPlaceholderText(_("title, composer, folder, tag"))
        self.search.setAccessibleName(_("Search the shelf"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _unused: self.fill())
        row.addWidget(self.search, 1)
        self.metre = self._filter(_("any metre"), ("2/4", "3/4", "4/4", "6/8", "2/2"), _("Metre"))
        self.level = self._filter(
            _("any level"), (*(name for _unused, name in LEVELS), HARDEST), _("Reading level")
        )
        self.folders = self._filter(_("any folder"), (), _("Folder"))
        row.addWidget(self.folders)
        row.addWidget(self.metre)
        row.addWidget(self.level)
        self.contains_button = QPushButton(_("contains…"))
        self.contains_button.clicked.connect(
            lambda: self.contains_menu().popup(
                self.contains_button.mapToGlobal(self.contains_button.rect().bottomLeft())
            )
        )
        row.addWidget(self.contains_button)
        self.count = QLabel()
        self.count.setObjectName("quiet")
        row.addWidget(self.count)
        self.piece_button = QPushButton(_("This piece…"))
        self.piece_button.clicked.connect(
            lambda: self.piece_menu().popup(
                self.piece_button.mapToGlobal(self.piece_button.rect().bottomLeft())
            )
        )
        row.addWidget(self.piece_button)
        column.addLayout(row)
        self.list = QListWidget()
        self.list.setAccessibleName(_("Pieces on the shelf"))
        self.list.setUniformItemSizes(True)
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setIconSize(SIZE)
        self.list.setWordWrap(True)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.verticalScrollBar().valueChanged.connect(lambda _unused: self._ask_pictures())
        self.thumbs = Thumbnails(jobs, self._beginning, self)
        self.thumbs.drawn.connect(self._drawn)
        self.theme, self.removed = LIGHT, dict[str, bytes]()
        self.blank = QPixmap(SIZE)
        self.blank.fill(Qt.GlobalColor.transparent)
        self.list.currentItemChanged.connect(
            lambda item, _unused: (
                self.chosen.emit(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None
            )
        )
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(
            lambda point: self.piece_menu().popup(self.list.mapToGlobal(point))
        )
        column.addWidget(self.list)

    def _filter(self, anything: str, choices: tuple[str, ...], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.addItem(anything, "")
        for choice in choices:
            box.addItem(_(choice), choice)
        box.currentIndexChanged.connect(lambda _unused: self.fill())
        return box

    def open(self) -> Shelf | None:
        """The shelf, opened on first use; None where that cannot be."""
        if self.shelf is None:
            try:
                self.shelf = Shelf(self.folder)
            except JewellerError as error:
                self.trouble.emit(str(error))
        return self.shelf

    def open_at(self, folder: Path) -> None:
        """Another shelf."""
        self.folder, self.shelf = folder, None

    def contains_menu(self) -> QMenu:
        """What the pieces listed must contain."""
        menu = QMenu(self)
        for what, words in (*CONTAINS.items(), *((letter, letter) for letter in LETTERS)):
            action = menu.addAction(words)
            action.setCheckable(True)
            action.setChecked(what in self.contains)
            action.triggered.connect(lambda _unused=False, w=what: self._toggle(w))
        return menu

    def _toggle(self, what: str) -> None:
        self.contains = (
            tuple(c for c in self.contains if c != what) if what in self.contains else (*self.contains, what)
        )
        words = [CONTAINS.get(c, c) for c in self.contains]
        self.contains_button.setText(
            _("contains {words}").format(words=", ".join(words)) if words else _("contains…")
        )
        self.fill()

    def fill(self, choose: str = "") -> None:
        """Lists what is found; `choose` is the id of the piece to be chosen, else the one that is stays
        so.
        """
        shelf = self.open()
        if shelf is None:
            return
        now = self.piece()
        choose = choose or (now.id if now is not None else "")
        self._fill_folders(shelf.folders())
        folder = str(self.folders.currentData()) or None
        found = shelf.find(
            Query(
                words=self.search.text(),
                folder=folder,
                metre=str(self.metre.currentData()),
                level=str(self.level.currentData()),
                contains=self.contains,
            )
        )
        self.list.blockSignals(True)
        self.list.clear()
        for piece in found[:SHOWN]:
            item = QListWidgetItem(words_of(piece))
            item.setToolTip(told_of(piece))
            item.setIcon(self._icon(piece.id))
            item.setSizeHint(self._cell())
            item.setData(Qt.ItemDataRole.UserRole, piece.id)
            self.list.addItem(item)
            if piece.id == choose:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        of = len(shelf.pieces)
        self.count.setText(
            _("{n} of {of} pieces").format(n=len(found), of=of) if of else _("nothing on the shelf yet")
        )
        self.piece_button.setEnabled(bool(of or self.removed))
        self._ask_pictures()

    def _fill_folders(self, names: list[str]) -> None:
        if [self.folders.itemData(k) for k in range(1, self.folders.count())] != names:
            chosen = self.folders.currentData()
            self.folders.blockSignals(True)
            while self.folders.count() > 1:
                self.folders.removeItem(1)
            for name in names:
                self.folders.addItem(name, name)
            self.folders.setCurrentIndex(max(0, self.folders.findData(chosen)))
            self.folders.blockSignals(False)
        self.folders.setVisible(bool(names))

    # ---- pictures

    def set_theme(self, theme: Theme, points: float) -> None:
        self.theme = theme
        self.list.setMinimumHeight(2 * self._cell().height() + 12)
        if self.shelf is not None:
            self.fill()

    def _cell(self) -> QSize:
        """As much room as a picture and two lines of words need."""
        return QSize(SIZE.width() + 12, SIZE.height() + 2 * self.list.fontMetrics().lineSpacing() + 26)

    def _beginning(self, piece: str) -> Part | None:
        return self.shelf.beginning(piece) if self.shelf is not None else None

    def _icon(self, piece: str) -> QIcon:
        picture = self.thumbs.picture(piece, self.theme) or self.blank
        icon = QIcon(picture)
        icon.addPixmap(picture, QIcon.Mode.Selected)
        return icon

    def _ask_pictures(self) -> None:
        """Draws what is to be seen; the rest when it is scrolled to."""
        seen = self.list.viewport().rect().adjusted(0, -self._cell().height(), 0, self._cell().height())
        items = [self.list.item(k) for k in range(self.list.count())]
        wanted = [
            i.data(Qt.ItemDataRole.UserRole)
            for i in items
            if QRect(seen).intersects(self.list.visualItemRect(i))
        ]
        self.thumbs.ask(wanted, self.theme, self.devicePixelRatioF())

    def _drawn(self, piece: str) -> None:
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item.data(Qt.ItemDataRole.UserRole) == piece:
                item.setIcon(self._icon(piece))
                return

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._ask_pictures()

    def piece(self) -> Piece | None:
        """The piece that is chosen."""
        item = self.list.currentItem()
        return (
            self.shelf.pieces.get(item.data(Qt.ItemDataRole.UserRole))
            if item is not None and self.shelf is not None
            else None
        )

    def put(self, score: Score, page: bytes | None = None) -> Piece | None:
        """Puts a score on the shelf, with the page it was read from, unless the same music is there; says so
        either way.
        """
        shelf = self.open()
        if shelf is None:
            return None
        there = shelf.same_music(score)
        try:
            piece = there[0] if there else shelf.add(score)
            if page is not None:
                shelf.keep_page(piece.id, page)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        self.message.emit(
            _("“{title}” is on the shelf already.").format(title=piece.title)
            if there
            else _("On the shelf: {title}.").format(title=piece.title)
        )
        return piece

    def put_all(self, found: list[tuple[Score, ...] | str]) -> bool:
        """Puts the music of many files on the shelf, and says how much of it is new and what could not be
        read; whether there is a shelf.
        """
        shelf = self.open()
        if shelf is None:
            return False
        new = there = 0
        bad: list[str] = []
        for answer in found:
            if isinstance(answer, str):
                bad.append(answer)
                continue
            for score in answer:
                if shelf.same_music(score):
                    there += 1
                elif self.put(score) is not None:
                    new += 1
        self.message.emit(
            (
                ngettext(
                    "{n} piece put on the shelf, {there} were there already.",
                    "{n} pieces put on the shelf, {there} were there already.",
                    new,
                )
                if there
                else ngettext("{n} piece put on the shelf.", "{n} pieces put on the shelf.", new)
            ).format(n=new, there=there)
        )
        if bad:
            self.trouble.emit(
                "\n".join([*bad[:8], *([_("and {n} more").format(n=len(bad) - 8)] if len(bad) > 8 else [])])
            )
        return True

    def show_page(self) -> None:
        """The page that the chosen piece was read from, in a window of its own."""
        piece = self.piece()
        data = self.shelf.page(piece.id) if piece is not None and self.shelf is not None else None
        if piece is not None and data is not None and not show_kept_page(self, piece.title, data):
            self.trouble.emit(_("The page of “{title}” cannot be read any more.").format(title=piece.title))

    def piece_menu(self) -> QMenu:
        """What can be done with the chosen piece."""
        menu = QMenu(self)
        piece = self.piece()
        if piece is not None:
            if self.shelf is not None and self.shelf.page_path(piece.passage_of or piece.id).exists():
                menu.addAction(_("The page it was read from…")).triggered.connect(self.show_page)
            menu.addAction(_("Another title…")).triggered.connect(lambda _unused=False: self.ask("title"))
            menu.addAction(_("Folder…")).triggered.connect(lambda _unused=False: self.ask("folder"))
            menu.addAction(_("Tags…")).triggered.connect(lambda _unused=False: self.ask("tags"))
            menu.addAction(_("A line of background…")).triggered.connect(
                lambda _unused=False: self.ask("background")
            )
            menu.addAction(_("Save as excerpt…")).triggered.connect(lambda _unused=False: self.ask_passage())
            menu.addAction(_("Take off the shelf")).triggered.connect(lambda _unused=False: self.remove())
            menu.addSeparator()
            menu.addAction(_("Save the pieces listed as one file…")).triggered.connect(
                lambda _unused=False: self.export()
            )
        if self.removed:
            menu.addAction(_("Put back what was taken off")).triggered.connect(
                lambda _unused=False: self.bring_back()
            )
        menu.addAction(_("Take in a file of pieces…")).triggered.connect(lambda _unused=False: self.take_in())
        return menu

    def ask_passage(self, text: str = "") -> None:
        """Bars a–b of the chosen piece, asked for in a box where they are not given."""
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        if not text:
            text, ok = QInputDialog.getText(
                self, _("Save as excerpt"), _("Bars of “{title}”, as 9-16:").format(title=piece.title)
            )
            if not ok:
                return
        first, _unused, last = text.replace("–", "-").partition("-")
        try:
            made = shelf.add_passage(
                piece.id,
                first.strip(),
                (last or first).strip(),
                _("{title}, bars {strip}").format(title=piece.title, strip=text.strip()),
            )
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.fill(made.id)
        self.chosen.emit(made.id)

    def ask(self, what: str, text: str | None = None) -> None:
        """Another title, folder, tags or line of background for the chosen piece, asked for in a box where it
        is not given.
        """
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        if text is None:
            now = ", ".join(piece.tags) if what == "tags" else str(getattr(piece, what))
            text, ok = QInputDialog.getText(self, piece.title, _(ASKED[what]), text=now)
            if not ok:
                return
        told = tuple(t.strip() for t in text.split(",") if t.strip()) if what == "tags" else text.strip()
        if what == "title" and not told:
            return
        try:
            shelf.change(piece.id, **{what: told})
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.fill(piece.id)
        self.chosen.emit(piece.id)

    def remove(self) -> None:
        piece, shelf = self.piece(), self.open()
        if piece is None or shelf is None:
            return
        self.removed = shelf.remove(piece.id)
        self.thumbs.forget(piece.id)
        self.message.emit(
            _("“{title}” was taken off the shelf. “This piece…” puts it back.").format(title=piece.title)
        )
        self.fill()

    def bring_back(self) -> None:
        """Puts back what was taken off last."""
        shelf = self.open()
        if shelf is not None and self.removed:
            shelf.bring_back(self.removed)
            self.removed = {}
            self.fill()

    def export(self, path: str = "") -> None:
        """Writes the pieces listed to one file."""
        shelf = self.open()
        if not path:
            path, _unused = QFileDialog.getSaveFileName(
                self, _("Save the pieces listed as one file"), str(Path.home() / "pieces.zip"), "*.zip"
            )
        if not path or shelf is None:
            return
        try:
            count = shelf.export(
                Path(path),
                [self.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(self.list.count())],
            )
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.message.emit(
            ngettext("{count} piece saved: {path}", "{count} pieces saved: {path}", count).format(
                count=count, path=path
            )
        )

    def take_in(self, path: str = "") -> None:
        """Puts the pieces of a file on the shelf."""
        shelf = self.open()
        if not path:
            path, _unused = QFileDialog.getOpenFileName(
                self, _("A file of pieces"), str(Path.home()), "*.zip"
            )
        if not path or shelf is None:
            return
        try:
            new, there = shelf.take_in(Path(path))
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.message.emit(
            (
                ngettext(
                    "{n} piece put on the shelf, {there} were there already.",
                    "{n} pieces put on the shelf, {there} were there already.",
                    len(new),
                )
                if there
                else ngettext("{n} piece put on the shelf.", "{n} pieces put on the shelf.", len(new))
            ).format(n=len(new), there=len(there))
        )
        self.fill()


def words_of(piece: Piece) -> str:
    """Two short lines for a piece."""
    bars = (
        _("bars {passage}–{passage2}").format(passage=piece.passage[0], passage2=piece.passage[1])
        if piece.passage_of
        else ngettext("{n} bar", "{n} bars", piece.bars).format(n=piece.bars)
    )
    return f"{piece.title}\n" + " · ".join(filter(None, [bars, _(piece.level)]))


def told_of(piece: Piece) -> str:
    """Everything that is known of a piece, for the pointer resting on it."""
    folder = _("in {folder}").format(folder=piece.folder) if piece.folder else ""
    lines = [
        piece.title,
        piece.composer,
        ", ".join(piece.keys),
        ", ".join(piece.metres),
        folder,
        ", ".join(piece.tags),
        piece.background,
    ]
    return "\n".join(filter(None, lines))
