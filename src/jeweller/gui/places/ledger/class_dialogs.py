"""Who is in the class: a list pasted or opened and looked over before it is entered; and who is new among
recordings, asked once for all.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.errors import LedgerError
from jeweller.gui.widgets.plain import plain_table
from jeweller.gui.widgets.roomy import resize_by_text
from jeweller.i18n import _, ngettext
from jeweller.instruments.table import instruments
from jeweller.library.class_list import ENDINGS, Listed, read_class_list, read_pasted_list

WIDTH, HEIGHT = 720, 560
PASTED = 110  # pixels of the field to paste into
TOLD = 3  # sentences about a list that are shown
NAME, PLAYS, PART, STATE = range(4)


def said_entered(new: int, changed: int) -> str:
    """What became of a class list."""
    entered = ngettext("{n} player entered", "{n} players entered", new).format(n=new)
    return _("{entered}, {changed} brought up to date.").format(entered=entered, changed=changed)


class _ListDialog(QDialog):
    """Rows of players to be ticked, each with an instrument and a part that can be changed."""

    def __init__(self, parent: QWidget | None, title: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        resize_by_text(self, WIDTH, HEIGHT)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(20, 16, 20, 14)
        self.column.setSpacing(8)
        self.rows: list[Listed] = []
        self.table = plain_table((_("Name"), _("Plays"), _("Part"), ""), title)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(STATE, QHeaderView.ResizeMode.ResizeToContents)
        self.told = QLabel()
        self.told.setWordWrap(True)
        self.buttons = QDialogButtonBox()
        self.accepting = self.buttons.addButton("", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.addButton(_("Cancel"), QDialogButtonBox.ButtonRole.RejectRole)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self.table.itemChanged.connect(lambda _unused: self._count())

    def show_rows(self, rows: Sequence[Listed], states: Sequence[str]) -> None:
        self.rows = list(rows)
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for k, (row, state) in enumerate(zip(rows, states, strict=True)):
            name = QTableWidgetItem(row.name)
            name.setFlags(
                Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsEditable
            )
            name.setCheckState(Qt.CheckState.Checked)
            self.table.setItem(k, NAME, name)
            box = QComboBox()
            box.setAccessibleName(_("What {name} plays").format(name=row.name))
            box.addItem(_("not specified"), "")
            for i in instruments():
                box.addItem(i.said, i.id)
            box.setCurrentIndex(max(0, box.findData(row.instrument)))
            self.table.setCellWidget(k, PLAYS, box)
            self.table.setItem(k, PART, QTableWidgetItem(row.part))
            told = QTableWidgetItem(state)
            told.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.table.setItem(k, STATE, told)
        self.table.verticalHeader().setDefaultSectionSize(self.table.fontMetrics().height() + 16)
        self.table.blockSignals(False)
        self._count()

    def chosen(self) -> list[Listed]:
        """The rows that are ticked, as they were corrected."""
        out = []
        for k in range(self.table.rowCount()):
            name, part, box = (
                self.table.item(k, NAME),
                self.table.item(k, PART),
                self.table.cellWidget(k, PLAYS),
            )
            if name is None or name.checkState() != Qt.CheckState.Checked or not name.text().strip():
                continue
            plays = str(box.currentData() or "") if isinstance(box, QComboBox) else ""
            out.append(Listed(name.text().strip(), plays, part.text().strip() if part is not None else ""))
        return out

    def _count(self) -> None:
        """Says on the button what it does."""
        raise NotImplementedError


class ClassListDialog(_ListDialog):
    """A class list: pasted, typed or opened; what is understood of it stands below, to be corrected. `known`
    are the names in the class already: they are brought up to date and entered no second time.
    """

    def __init__(self, parent: QWidget | None, known: Collection[str], path: str = "") -> None:
        super().__init__(parent, _("Class list"))
        self.known = {name.casefold() for name in known}
        said = QLabel(
            _(
                "Paste the list here, from a table or one name in a line, or open a file (CSV or XLSX). Any "
                "columns will do: names, instruments and parts are found."
            )
        )
        said.setWordWrap(True)
        self.column.addWidget(said)
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(_("The list"))
        self.text.setTabChangesFocus(True)
        self.text.setFixedHeight(PASTED)
        self.text.textChanged.connect(self._read_text)
        self.column.addWidget(self.text)
        row = QHBoxLayout()
        self.from_file = QPushButton(_("Open a file…"))
        self.from_file.clicked.connect(self._ask)
        row.addWidget(self.from_file)
        row.addStretch(1)
        self.column.addLayout(row)
        self.column.addWidget(self.table, 1)
        self.column.addWidget(self.told)
        self.column.addWidget(self.buttons)
        self._count()
        if path:
            self.read_file(path)

    def _ask(self) -> None:
        endings = " ".join(f"*{e}" for e in ENDINGS)
        path, _unused = QFileDialog.getOpenFileName(
            self, _("Class list"), str(Path.home()), _("Lists ({endings})").format(endings=endings)
        )
        if path:
            self.read_file(path)

    def read_file(self, path: str) -> None:
        """Shows what a file holds."""
        try:
            rows, told = read_class_list(Path(path))
        except LedgerError as error:
            rows, told = [], [str(error)]
        self._show(rows, told)

    def _read_text(self) -> None:
        text = self.text.toPlainText()
        if not text.strip():
            self._show([], [])
            return
        try:
            rows, told = read_pasted_list(text)
        except LedgerError as error:
            rows, told = [], [str(error)]
        self._show(rows, told)

    def _show(self, rows: Sequence[Listed], told: Sequence[str]) -> None:
        more = _(" And {n} more.").format(n=len(told) - TOLD) if len(told) > TOLD else ""
        self.told.setText(" ".join(told[:TOLD]) + more)
        self.show_rows(
            rows, [_("in the class") if r.name.casefold() in self.known else _("new") for r in rows]
        )

    def _count(self) -> None:
        chosen = self.chosen()
        new = sum(r.name.casefold() not in self.known for r in chosen)
        self.accepting.setText(
            ngettext("Enter {n} player", "Enter {n} players", new).format(n=new)
            if new or not chosen
            else _("Bring them up to date")
        )
        self.accepting.setEnabled(bool(chosen))


class NewPlayersDialog(_ListDialog):
    """Who is named among recordings and not in the class yet: nobody is entered unseen. Who is not ticked is
    not entered; their takes are, and are nobody's for now.
    """

    def __init__(self, parent: QWidget | None, new: Sequence[Listed]) -> None:
        super().__init__(parent, _("New players"))
        said = QLabel(
            ngettext(
                "This player is not in the class yet. Untick a name that is no player: the take is entered, "
                "and is nobody's until you say whose it is.",
                "These players are not in the class yet. Untick a name that is no player: the take is "
                "entered, and is nobody's until you say whose it is.",
                len(new),
            )
        )
        said.setWordWrap(True)
        self.column.addWidget(said)
        self.column.addWidget(self.table, 1)
        self.column.addWidget(self.buttons)
        self.show_rows(new, [_("new")] * len(new))
        for k in range(len(new)):  # what the files call them is what is matched: it is changed before
            item = self.table.item(k, NAME)
            if item is not None:
                item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled)
        self.table.setMinimumHeight(min(len(new), 8) * 40 + 40)
        resize_by_text(self, WIDTH, min(HEIGHT, 220 + 42 * len(new)))

    def _count(self) -> None:
        n = len(self.chosen())
        self.accepting.setText(
            ngettext("Enter {n} player", "Enter {n} players", n).format(n=n)
            if n
            else _("Enter the takes without players")
        )


__all__ = ["ClassListDialog", "NewPlayersDialog", "said_entered"]
