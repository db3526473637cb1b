"""First sight: the time to look a line over, and what comes after the one try."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer, Signal

from jeweller.booth.attempts import BoothTake
from jeweller.booth.first_sight import look_seconds, next_piece, step_after, step_sentence
from jeweller.library.journal import PlayerJournal
from jeweller.repertoire.shelf import Piece, Shelf

STEP_MS = 100


class FirstSight(QObject):
    """`ticked` each tenth of a second, `due` when the time to look is over."""

    ticked = Signal()
    due = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.left_s = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(STEP_MS)
        self._timer.timeout.connect(self._step)

    def look(self, bars: int) -> None:
        """The time begins."""
        self.left_s = look_seconds(bars)
        self._timer.start()

    def stop(self) -> None:
        self._timer.stop()

    def _step(self) -> None:
        self.left_s -= STEP_MS / 1000.0
        if self.left_s <= 0.0:
            self._timer.stop()
            self.due.emit()
        self.ticked.emit()


def after_sight(
    take: BoothTake, piece: str, shelf: Shelf, journal: PlayerJournal
) -> tuple[Piece | None, str]:
    """What comes after a take at first sight of a piece (its id), and a sentence about it."""
    if take.plan.reading != "sight" or piece not in shelf.pieces:
        return None, ""
    entries = (*journal.entries("take"), *journal.entries("known"))
    known = {str(e.get("piece", "")) for e in entries}
    step = step_after(take)
    found = next_piece(shelf.pieces.values(), shelf.pieces[piece], known, step)
    return found, step_sentence(step, found)
