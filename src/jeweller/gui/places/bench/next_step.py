"""What comes next on the bench: the words of the one button, and what it does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jeweller.gui.places.place import NextStep
from jeweller.i18n import _, ngettext
from jeweller.library.states import ReviewState

if TYPE_CHECKING:
    from jeweller.gui.places.bench.view import BenchPlace


def next_step(bench: BenchPlace) -> NextStep:
    """The one next step of a tray."""
    if bench.pages.currentIndex() == 1:
        ticked = bench.intake.page.ticked()
        words = ngettext("Enter {n} take", "Enter {n} takes", ticked)
        return words.format(n=ticked), bench.intake.page.enter
    if not bench.lines:
        return _("Bring takes in…"), bench.intake.ask_takes
    if bench.waiting() and bench.checking is not None and not bench.checking.busy:
        words = ngettext("Check {n} take", "Check {n} takes", bench.waiting())
        return words.format(n=bench.waiting()), bench.check
    if any(line.take.summary.get("open") and not line.done for line in bench.lines):
        return _("Next doubtful place"), lambda: bench.step_place(1)
    if bench.checking is not None and bench.checking.busy:
        return _("Checking…"), lambda: None
    if any(not line.done for line in bench.lines):
        return _("Decided; the next take"), bench.decide_take
    if any(line.review == ReviewState.DECIDED for line in bench.lines):
        return _("Write the slips…"), bench.exports.write_slips
    return _("Bring takes in…"), bench.intake.ask_takes
