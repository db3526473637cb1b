"""A word in a sentence that is a control: pressed, it offers what may stand in its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QWidget

from jeweller.gui.widgets.readable import ValueButton


class ChoiceWord(ValueButton):
    """`picked` carries the value that was chosen. `offers` gives (words, value) each time it is pressed, so
    that words follow the language and what there is; after None a line.
    """

    picked = Signal(object)

    def __init__(
        self,
        name: str,
        offers: Callable[[], Sequence[tuple[str, Any] | None]],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setObjectName("inline")
        self.setAccessibleName(name)
        self.offers = offers
        self.clicked.connect(self._offer)

    def _offer(self) -> None:
        menu = QMenu(self)
        for offer in self.offers():
            if offer is None:
                menu.addSeparator()
                continue
            words, value = offer
            action = menu.addAction(words)
            action.triggered.connect(lambda _unused=False, v=value: self.picked.emit(v))
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))
