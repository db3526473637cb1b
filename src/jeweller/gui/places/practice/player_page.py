"""A page of practice that is one player's: who that is stands first in its row of choices."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QVBoxLayout, QWidget

from jeweller.gui.widgets.flow import FlowRow
from jeweller.gui.widgets.player_choice import PlayerChoice

if TYPE_CHECKING:
    from jeweller.library.library import Library
    from jeweller.library.tables import Player


class OfPlayer(Protocol):
    """A model of what is one player's."""

    player: Player | None

    @property
    def changed(self) -> SignalInstance:
        """Something is to be shown anew."""

    def choose(self, player: Player | None) -> None:
        """Another player."""

    def reread(self) -> None:
        """What is kept may be something else by now."""


class PlayerPage(QWidget):
    """`column` holds the page, `row` the choices above it."""

    def __init__(
        self, model: OfPlayer, library: Callable[[], Library | None], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._of = model
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)
        self.row = FlowRow(spacing=8)
        self.players = PlayerChoice(library)
        self.players.picked.connect(model.choose)
        self.row.addWidget(self.players)
        self.column.addLayout(self.row)
        model.changed.connect(lambda: self.refresh())

    def arrive(self) -> None:
        """Who is in the class may be others by now."""
        self.players.fill(self._of.player)
        self._of.reread()

    def refresh(self) -> None:
        """Everything as it is."""
        raise NotImplementedError
