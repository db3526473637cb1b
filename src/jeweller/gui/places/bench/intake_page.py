"""What was dropped onto the bench, as one table: who and what each recording is, guessed, to be corrected and
entered.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QStandardItem, QStandardItemModel
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain, plain_table
from jeweller.i18n import N_, _, ngettext
from jeweller.library.intake import Guess, Known, Pile, part_for
from jeweller.library.tables import Player

KINDS = (("played", N_("played")), ("rhythm", N_("clapped or spoken")), ("stored", N_("for the ear alone")))
COLUMNS = ("", N_("Recording"), N_("Player"), N_("Piece"), N_("Part"), N_("What it is"))
FILE, PLAYER, PIECE, PART, KIND = 1, 2, 3, 4, 5


FILLED_FOR_S = 0.03  # between two looks at the keys
LEAST_LETTERS = 14  # of a column


class IntakePage(QWidget):
    """`entered` is emitted with what is to be entered: guesses as they were corrected, unknown players by
    name. `left` when nothing is, `wanted_music` when the music of a recording is not on the shelf,
    `wanted_class` when the players are to be taken from a class list.
    """

    entered = Signal(object)
    left = Signal()
    wanted_music = Signal()
    wanted_class = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.guesses: list[Guess] = []
        self._unfilled: set[int] = set()  # rows whose cells have no controls yet
        self._half: tuple[int, Iterator[None]] | None = None  # the row that is being given them
        self._names = QStandardItemModel(self)
        self.pieces: list[Known] = []
        self.players: list[Player] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.told = QLabel()
        self.told.setObjectName("plain")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.table = plain_table(COLUMNS, _("Recordings to be entered"))
        self.table.setWordWrap(False)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        column.addWidget(self.table, 1)
        row = FlowRow(spacing=8)
        row.addWidget(plain(_("All of them:")))
        self.all_pieces = QComboBox()
        self.all_pieces.setAccessibleName(_("The piece of all recordings"))
        self.all_pieces.activated.connect(self._all_of)
        row.addWidget(self.all_pieces)
        self.music = QPushButton(_("Open their music…"))
        self.music.setToolTip(_("A notation file that is not on the shelf yet"))
        self.music.clicked.connect(self.wanted_music)
        row.addWidget(self.music)
        self.class_list = QPushButton(_("Class list…"))
        self.class_list.setToolTip(_("Who is in the class, pasted or from a file: names are found by it"))
        self.class_list.clicked.connect(self.wanted_class)
        row.addWidget(self.class_list)
        row.addWidget(plain(_("Recorded with")))
        self.setups = QComboBox()
        self.setups.setEditable(True)
        self.setups.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.setups.setMinimumContentsLength(16)
        self.setups.setAccessibleName(_("With what they were recorded"))
        self.setups.setToolTip(
            _(
                "Room and microphone, in your own words: loudness and tone are compared only "
                "between takes with the same"
            )
        )
        edit = self.setups.lineEdit()
        if edit is not None:
            edit.setPlaceholderText(_("not specified"))
            edit.setAccessibleName(self.setups.accessibleName())
        row.addWidget(self.setups)
        row.addStretch()
        self.cancel = QPushButton(_("Leave them"))
        self.cancel.clicked.connect(self.left)
        row.addWidget(self.cancel)
        column.addLayout(row)

    def show_pile(self, pile: Pile) -> None:
        """One row a recording. What is in the library already is not ticked."""
        guesses, pieces = list(pile.guesses), pile.pieces
        self.guesses, self.pieces, self.players = guesses, pieces, pile.players
        twice = sum(g.twice for g in guesses)
        unknown = sum(g.player is None for g in guesses)
        words = [
            ngettext(
                "{n} recording. Look over who and what it is; the name comes from the file.",
                "{n} recordings. Look over who and what each is; the names come from the files.",
                len(guesses),
            ).format(n=len(guesses))
        ]
        words += (
            [
                ngettext(
                    "{n} is in the library already and left out unless ticked.",
                    "{n} are in the library already and left out unless ticked.",
                    twice,
                ).format(n=twice)
            ]
            if twice
            else []
        )
        words += (
            [
                ngettext(
                    "{n} is by somebody who is not in the class yet: type or choose a name, or open the "
                    "class list.",
                    "{n} are by players who are not in the class yet: type or choose names, or open the "
                    "class list.",
                    unknown,
                ).format(n=unknown)
            ]
            if unknown
            else []
        )
        words += [_("There is no music on the shelf yet: open what they are of.")] if not pieces else []
        self.told.setText(" ".join(words + pile.told[:4]))
        self.all_pieces.clear()
        self.all_pieces.addItem(_("as guessed"), "")
        for piece in pieces:
            self.all_pieces.addItem(piece.title, piece.id)
        self.setups.clear()
        self.setups.addItems(pile.setups)
        self.setups.setCurrentIndex(-1)
        self.setups.setEditText("")
        self._names.clear()
        for player in self.players:
            item = QStandardItem(player.name)
            item.setData(player.id, Qt.ItemDataRole.UserRole)
            self._names.appendRow(item)
        self.table.setRowCount(0)  # none of the pile before shows where a row waits for its turn
        self.table.setRowCount(len(guesses))
        self._unfilled, self._half = set(range(len(guesses))), None
        for row, guess in enumerate(guesses):
            self._name(row, guess)
        QTimer.singleShot(0, self, self._fill_some)
        metrics = self.table.fontMetrics()
        self.table.verticalHeader().setDefaultSectionSize(metrics.height() + 16)
        # narrower the words cannot be told from one another: then the table is scrolled sideways
        least = metrics.horizontalAdvance("n") * LEAST_LETTERS
        wide = self.table.viewport().width() >= least * (self.table.columnCount() - 1)
        header = self.table.horizontalHeader()
        for column in range(1, self.table.columnCount()):
            header.setSectionResizeMode(
                column, QHeaderView.ResizeMode.Stretch if wide else QHeaderView.ResizeMode.Interactive
            )
            header.resizeSection(column, least)

    def _in_sight(self) -> range:
        """The rows that are looked at."""
        last = self.table.rowAt(self.table.viewport().height() - 1)
        return range(max(0, self.table.rowAt(0)), (last if last >= 0 else self.table.rowCount() - 1) + 1)

    def _fill_some(self) -> None:
        """The next controls, first of what is looked at; the others in a moment: eight hundred at once hold
        the window for seconds.
        """
        until = time.monotonic() + FILLED_FOR_S
        while time.monotonic() < until:
            if self._half is None:
                if not self._unfilled:
                    return
                row = next((r for r in self._in_sight() if r in self._unfilled), min(self._unfilled))
                self._half = row, self._fill(row, self.guesses[row])
            if next(self._half[1], self) is self:  # that row is done
                self._half = None
        QTimer.singleShot(0, self, self._fill_some)

    def _need(self, row: int) -> None:
        """A row that is asked for before its turn."""
        steps: Iterator[None] = iter(())
        if self._half is not None and self._half[0] == row:
            steps, self._half = self._half[1], None
        elif row in self._unfilled:
            steps = self._fill(row, self.guesses[row])
        for _control in steps:
            pass

    def _name(self, row: int, guess: Guess) -> None:
        """Which recording a row is of, and whether it is to be entered."""
        tick = QTableWidgetItem()
        tick.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled)
        tick.setCheckState(Qt.CheckState.Unchecked if guess.twice else Qt.CheckState.Checked)
        tick.setData(Qt.ItemDataRole.AccessibleTextRole, _("Enter {name}").format(name=guess.path.name))
        self.table.setItem(row, 0, tick)
        name = QTableWidgetItem(guess.path.name + (_(" · here already") if guess.twice else ""))
        name.setFlags(Qt.ItemFlag.ItemIsEnabled)
        name.setToolTip(str(guess.path))
        self.table.setItem(row, FILE, name)

    def _fill(self, row: int, guess: Guess) -> Iterator[None]:
        """Gives a row its controls, one at a step."""
        self._unfilled.remove(row)
        who = self._box(
            row,
            PLAYER,
            _("Who played {name}").format(name=guess.path.name),
            [],
        )
        who.setEditable(True)  # first: what completes a name looks through a list that it is given so
        who.setModel(self._names)  # one for all rows: a large class times a large pile is much
        who.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        if (edit := who.lineEdit()) is not None:
            edit.setAccessibleName(who.accessibleName())
        if guess.player is not None:
            who.setCurrentIndex(who.findData(guess.player))
        else:
            who.setCurrentIndex(-1)
            who.setEditText(guess.name)
        yield
        piece = self._box(
            row,
            PIECE,
            _("What {name} is of").format(name=guess.path.name),
            [(_("not known"), ""), *((p.title, p.id) for p in self.pieces)],
        )
        piece.setCurrentIndex(max(0, piece.findData(guess.piece)))
        yield
        self._box(row, PART, _("The part in {name}").format(name=guess.path.name), [])
        self._parts(row, guess.part)
        piece.currentIndexChanged.connect(lambda _unused, r=row: self._parts(r))
        yield
        kind = self._box(
            row, KIND, _("What {name} is").format(name=guess.path.name), [(_(words), k) for k, words in KINDS]
        )
        kind.setCurrentIndex(kind.findData(guess.kind))

    def _box(self, row: int, column: int, name: str, items: list[tuple[str, object]]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for words, data in items:
            box.addItem(words, data)
        self.table.setCellWidget(row, column, box)
        return box

    def box(self, row: int, column: int) -> QComboBox:
        """The control in a cell."""
        self._need(row)
        return self._control(row, column)

    def _control(self, row: int, column: int) -> QComboBox:
        box = self.table.cellWidget(row, column)
        if not isinstance(box, QComboBox):
            raise LookupError(f"row {row} has no control in column {column}")
        return box

    def _parts(self, row: int, chosen: str = "") -> None:
        """The parts of the piece a row is of."""
        box = self._control(row, PART)
        piece, player = (self._control(row, column).currentData() for column in (PIECE, PLAYER))
        box.clear()
        for part in self._parts_of(piece):
            box.addItem(part, part)
        box.setCurrentIndex(box.findData(self._part_of(piece, player, chosen)))

    def _parts_of(self, piece: str) -> tuple[str, ...]:
        return next((p.parts for p in self.pieces if p.id == piece), ())

    def _part_of(self, piece: str, player: int | None, chosen: str = "") -> str:
        """The part of a piece somebody plays: the chosen one, that of the player, the only one; "" where it
        is not known.
        """
        parts = self._parts_of(piece)
        if not chosen and parts:
            own = next((p.part for p in self.players if p.id == player), None)
            chosen = part_for(parts, own, None) if own is not None else ""
        return chosen or (parts[0] if len(parts) == 1 else "")

    def _all_of(self) -> None:
        """The same piece for every recording."""
        chosen = self.all_pieces.currentData()
        for row, guess in enumerate(self.guesses) if chosen else ():
            if row in self._unfilled:
                self.guesses[row] = replace(guess, piece=chosen, part="")
            else:
                box = self.box(row, PIECE)
                box.setCurrentIndex(box.findData(chosen))

    def recognised(self, found: dict[str, tuple[str, str]]) -> int:
        """Enters pieces and parts that were told by the sound, by the path of the recording, where none is
        chosen; returns how many.
        """
        named = 0
        for row, guess in enumerate(self.guesses):
            piece, part = found.get(str(guess.path), ("", ""))
            if row in self._unfilled:
                if piece and not guess.piece and self._parts_of(piece):
                    part = part if part in self._parts_of(piece) else ""
                    self.guesses[row] = replace(guess, piece=piece, part=part)
                    named += 1
                continue
            box = self.box(row, PIECE)
            if piece and not box.currentData() and box.findData(piece) >= 0:
                box.setCurrentIndex(box.findData(piece))
                parts = self.box(row, PART)
                parts.setCurrentIndex(max(parts.currentIndex(), parts.findData(part)))
                named += 1
        return named

    def _ticked(self, row: int) -> bool:
        item = self.table.item(row, 0)
        return item is not None and item.checkState() == Qt.CheckState.Checked

    @property
    def setup(self) -> str:
        """With what the recordings were made, as it was told."""
        return self.setups.currentText().strip()

    def ticked(self) -> int:
        """How many recordings would be entered."""
        return sum(self._ticked(r) for r in range(self.table.rowCount()))

    def enter(self) -> None:
        """Takes what is ticked as it was corrected."""
        out = []
        for row, guess in enumerate(self.guesses):
            if not self._ticked(row):
                continue
            if row in self._unfilled:  # nobody corrected it
                part = self._part_of(guess.piece, guess.player, guess.part)
                out.append(replace(guess, part=part))
                continue
            who = self.box(row, PLAYER)
            name = who.currentText().strip()
            named = next((p.id for p in self.players if p.name.casefold() == name.casefold()), None)
            piece, part, kind = (
                str(self.box(row, column).currentData() or "") for column in (PIECE, PART, KIND)
            )
            out.append(
                Guess(
                    path=guess.path,
                    player=named,
                    name=name,
                    piece=piece,
                    part=part,
                    kind=kind,
                    twice=guess.twice,
                )
            )
        self.entered.emit(out)
