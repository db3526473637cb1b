"""Who plays: a player of the class, or nobody of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QWidget

from jeweller.i18n import _

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player


class PlayerChoice(QComboBox):
    """`picked` carries a player of the library, or None."""

    picked = Signal(object)

    def __init__(self, library: Callable[[], Library | None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.library = library
        self.setAccessibleName(_("Who plays"))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.activated.connect(self._activated)

    def fill(self, now: Player | None) -> None:
        """The players of the newest class; `now` is the one that is chosen."""
        self.clear()
        self.addItem(_("Nobody of the class"), None)
        library = self.library()
        bands = library.bands() if library is not None else []
        if library is not None and bands:
            for player in library.players(bands[-1].id):
                self.addItem(player.name, player.id)
        self.setCurrentIndex(max(0, self.findData(now.id)) if now is not None else 0)
        self.setVisible(self.count() > 1)  # with no class there is nobody to choose

    def _activated(self) -> None:
        library, player = self.library(), self.currentData()
        self.picked.emit(library.player(player) if library is not None and player is not None else None)
