"""How a tray is marked: what was asked for, why a mark is what it is, and a mark of the teacher's own."""

from __future__ import annotations

from collections import Counter
from functools import partial
from typing import Any

from PySide6.QtWidgets import QComboBox, QDialog

from jeweller.errors import JewellerError
from jeweller.gui.places.bench.criteria_dialog import CriteriaDialog, checks_again
from jeweller.gui.places.bench.intake import BringingIn
from jeweller.gui.places.bench.take_list import TakeList
from jeweller.i18n import _
from jeweller.library.assignments import kinds_of
from jeweller.library.summary import explain_mark
from jeweller.library.tray import OpenTake


class Marking(BringingIn):
    """What the bench has of it."""

    hand: OpenTake | None
    list: TakeList
    trays: QComboBox

    def _show_hand(self) -> None:
        raise NotImplementedError

    def _touched(self, takes: set[int]) -> None:
        raise NotImplementedError

    def mark_by_hand(self, words: str) -> None:
        """A mark the teacher typed: it stands, with the computed one beside it; an empty one takes it
        away.
        """
        if (
            self.hand is not None
            and words.strip() != self.hand.standing.mark
            and self._do([(self.hand.take.id, "mark", {"text": words.strip()})])
        ):
            self._show_hand()
        self.list.setFocus()

    def explain_mark(self) -> str:
        """The mark of the take in hand as a sum."""
        scheme = (
            self.library.scheme(self.hand.take.id)
            if self.library is not None and self.hand is not None
            else None
        )
        if (
            scheme is None
            or self.hand is None
            or self.hand.report is None
            or not self.hand.report["followed"]
        ):
            return _("There is no mark yet: the take is not checked.")
        return "\n".join(explain_mark(self.hand.report, self.hand.standing, scheme))

    def ask(self) -> None:
        """What was asked for in this tray, in a box."""
        if self.library is None or self.tray is None:
            return
        counts = Counter((line.take.piece, line.title) for line in self.lines if line.take.piece)
        dialog = CriteriaDialog(
            self,
            [pair for pair, _unused in counts.most_common()],
            self.library.assignment_of(self.tray),
            partial(kinds_of, self.library),
        )
        if counts and dialog.exec() == QDialog.DialogCode.Accepted:
            self.assign(dialog.asked())

    def assign(self, asked: dict[str, Any]) -> None:
        """Sets what was asked for; takes are checked again where that changes what is found."""
        if self.tray is None:
            return
        again = checks_again(self.opened.assignment_of(self.tray), asked)
        try:
            self.opened.assign(
                self.tray.id,
                asked["piece"],
                asked["title"],
                bars=asked["bars"],
                due=asked["due"],
                **asked["settings"],
            )
        except JewellerError as error:
            self.trouble.emit(str(error))
            return
        self.tray = self.opened.tray(self.tray.id)
        self.trays.setItemData(self.trays.currentIndex(), self.tray)
        self._touched({line.take.id for line in self.lines})
        self._show_hand()
        if again:
            self.check([line.take.id for line in self.lines if line.take.piece == asked["piece"]])
