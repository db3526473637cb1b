"""What the window asks of every place, whatever it is for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from jeweller.documents.theme import Theme

NextStep = tuple[str, Callable[[], object]]  # the words of the button, and what it does


class PlaceView(Protocol):
    """A widget that fills the window. A line for the foot of the window and a sentence in a box go out as its
    signals `message` and `trouble`, another next step as `changed`.
    """

    def set_theme(self, theme: Theme, points: float) -> None:
        """Draws everything anew in these colours, with text of this size."""

    def arrive(self) -> None:
        """The place is gone to: what may have changed elsewhere is read anew, the keys have their focus."""

    def next_step(self) -> NextStep:
        """The one next step here."""

    def toggle_play(self) -> None:
        """Plays what is in hand, or stops it."""

    def stop_playing(self) -> None:
        """The place is left: nothing sounds any more."""
