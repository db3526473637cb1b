"""Labels and tables that are shown as they are: no frame, no lines."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QTableWidget

from jeweller.i18n import _


def plain(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("plain")
    return label


def plain_table(columns: Sequence[str], name: str) -> QTableWidget:
    """An empty table without lines, its headings at the left; `name` is what a screen reader says."""
    table = QTableWidget(0, len(columns))
    table.setHorizontalHeaderLabels([_(c) for c in columns])
    table.setAccessibleName(name)
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.setTabKeyNavigation(False)  # Tab goes on to what stands behind it, arrows from cell to cell
    table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    return table
