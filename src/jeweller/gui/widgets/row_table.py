"""A table of words that a teacher may change: rows put in, changed, taken out, brought from a file, given to
one.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.plain import plain
from jeweller.i18n import _

BESIDE = 14  # pixels that the style keeps free on either side of words
VALUE = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, kw_only=True)
class Column:
    """A column: its head, its width in pixels at the usual size of text, and, where only some values are
    possible, these with their words. `fixed`: what a row is for; it can only be said of a new one.
    """

    head: str
    width: int
    choices: Mapping[str, str] | None = None
    fixed: bool = False


class _Chooser(QStyledItemDelegate):
    """Offers what a column may hold."""

    def __init__(self, columns: Sequence[Column], table: QTableWidget) -> None:
        super().__init__(table)
        self.columns, self.table = columns, table

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        """As high as its words in the width that the style leaves them."""
        words = str(index.data() or "")
        width = max(40, self.table.columnWidth(index.column()) - 2 * BESIDE)
        lines = option.fontMetrics.boundingRect(
            QRect(0, 0, width, 10_000), int(Qt.TextFlag.TextWordWrap), words
        )
        return QSize(width, lines.height() + BESIDE)

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        choices = self.columns[index.column()].choices
        if choices is None:
            return super().createEditor(parent, option, index)
        box = QComboBox(parent)
        for value, words in choices.items():
            box.addItem(words, value)
        return box

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(max(0, editor.findData(index.data(VALUE))))
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentData(), VALUE)
            model.setData(index, editor.currentText())
        else:
            super().setModelData(editor, model, index)


class RowTable(QDialog):
    """`kept` carries the rows as they are now; `brought` and `given` ask for a file, `shipped` for the rows
    that came with the program.
    """

    kept = Signal(list)
    brought = Signal()
    given = Signal()
    shipped = Signal()

    def __init__(
        self,
        parent: QWidget,
        title: str,
        told: str,
        columns: Sequence[Column],
        rows: Sequence[Sequence[str]],
        new: Callable[[], list[str]],
        *,
        files: bool = False,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.columns = tuple(columns)
        self._new = new
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        words = plain(told)
        words.setWordWrap(True)
        column.addWidget(words)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText(_("Rows with these words"))
        self.sought.setAccessibleName(_("Rows with these words"))
        self.sought.setClearButtonEnabled(True)
        self.sought.textChanged.connect(self._seek)
        column.addWidget(self.sought)
        self.table = QTableWidget(0, len(self.columns))
        self.table.setAccessibleName(title)
        self.table.setHorizontalHeaderLabels([c.head for c in self.columns])
        self.table.verticalHeader().hide()
        self.table.setWordWrap(True)
        self.table.setItemDelegate(_Chooser(self.columns, self.table))
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        scale = self.fontMetrics().averageCharWidth() / 7.0
        for k, c in enumerate(self.columns):
            self.table.setColumnWidth(k, round(c.width * scale))
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        column.addWidget(self.table, 1)
        buttons = FlowRow(spacing=8)
        self.buttons: dict[str, QPushButton] = {}
        offers: list[tuple[str, str, Callable[[], object]]] = [
            ("add", _("Another row"), self.add),
            ("remove", _("Take the row out"), self.remove),
            ("shipped", _("As it came with the program"), self.shipped.emit),
        ]
        if files:
            offers += [
                ("import", _("From a file…"), self.brought.emit),
                ("export", _("To a file…"), self.given.emit),
            ]
        for key, text, act in offers:
            self.buttons[key] = QPushButton(text)
            self.buttons[key].clicked.connect(lambda _unused=False, a=act: a())
            buttons.addWidget(self.buttons[key])
        buttons.addStretch()
        for key, text, act in (
            ("keep", _("Keep the changes"), self._keep),
            ("leave", _("Leave it"), self.reject),
        ):
            self.buttons[key] = QPushButton(text)
            self.buttons[key].clicked.connect(lambda _unused=False, a=act: a())
            buttons.addWidget(self.buttons[key])
        for button in self.buttons.values():
            button.setAutoDefault(False)
        column.addLayout(buttons)
        self.show_rows(rows)
        self.resize(min(1180, round(sum(c.width for c in self.columns) * scale) + 80), 640)

    def show_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Other rows."""
        self.table.setRowCount(0)
        for row in rows:
            self._put(row, fixed=True)
        self._seek(self.sought.text())

    def _put(self, row: Sequence[str], *, fixed: bool) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        for k, (column, value) in enumerate(zip(self.columns, row, strict=True)):
            item = QTableWidgetItem(column.choices.get(value, value) if column.choices else value)
            item.setData(VALUE, value)
            item.setTextAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
            if column.fixed and fixed:
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            self.table.setItem(at, k, item)

    def add(self) -> None:
        """A new row at the end, to be written."""
        self.sought.clear()
        self._put(self._new(), fixed=False)
        at = self.table.rowCount() - 1
        self.table.setCurrentCell(at, 0)
        self.table.scrollToBottom()

    def remove(self) -> None:
        """Takes the chosen rows out."""
        for at in sorted({i.row() for i in self.table.selectedIndexes()}, reverse=True):
            self.table.removeRow(at)

    def rows(self) -> list[list[str]]:
        """The rows as they are now: values where a column has choices, else words."""
        out = []
        for at in range(self.table.rowCount()):
            items = [self.table.item(at, k) for k in range(len(self.columns))]
            out.append(
                [
                    ""
                    if item is None
                    else str(item.data(VALUE))
                    if column.choices is not None
                    else item.text().strip()
                    for item, column in zip(items, self.columns, strict=True)
                ]
            )
        return out

    def _keep(self) -> None:
        self.kept.emit(self.rows())
        self.accept()

    def _seek(self, words: str) -> None:
        wanted = words.casefold()
        for at in range(self.table.rowCount()):
            items = [self.table.item(at, k) for k in range(len(self.columns))]
            there = any(wanted in item.text().casefold() for item in items if item is not None)
            self.table.setRowHidden(at, bool(wanted) and not there)
