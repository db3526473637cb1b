"""What the bench knows and does, without a widget: a tray, the take and the finding in hand, what is decided.

Errors are told by `trouble`, never raised at a widget.
"""

from __future__ import annotations

import dataclasses
import datetime
import json
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QSettings, Signal

from jeweller.documents.feedback_sheet import FeedbackSettings
from jeweller.documents.marks_export import COLUMNS, USUAL, marks_csv, marks_xlsx
from jeweller.errors import JewellerError, LedgerError
from jeweller.files import write_bytes
from jeweller.gui.services.kept import kept_json
from jeweller.i18n import N_, _, ngettext
from jeweller.library.assignments import criteria_of, reminder
from jeweller.library.checking import Checking
from jeweller.library.exports import ATTEMPTS, list_marks
from jeweller.library.library import Library
from jeweller.library.states import ReviewState, TakeState
from jeweller.library.summary import explain_mark
from jeweller.library.tables import Tray
from jeweller.library.tray import OpenTake, TakeEntry, dismiss_alike, list_takes, next_place, open_take
from jeweller.report.ear_version import ear_version

UNDONE = N_("There is nothing to take back.")


class BenchModel(QObject):
    """`touched`: ids of takes of which something changed; `trouble`, `message`: sentences for the user."""

    touched = Signal(object)
    trouble = Signal(str)
    message = Signal(str)

    def __init__(
        self, settings: QSettings, open_library: Callable[[], Library], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.settings, self._open_library = settings, open_library
        self.library: Library | None = None
        self.checking: Checking | None = None
        self.tray: Tray | None = None
        self.hand: OpenTake | None = None
        self.key: str | None = None  # the finding in hand
        self.lines: list[TakeEntry] = []
        self._criteria: dict[tuple[int, str], tuple[str, ...]] = {}  # by tray and piece
        self.slips = self._remembered_slips()

    # ---- the library

    @property
    def opened(self) -> Library:
        """The library, where one is known to be open. Raises LookupError."""
        if self.library is None:
            raise LookupError("no library is open")
        return self.library

    @property
    def readable(self) -> bool:
        """Whether the library may be read now."""
        return self.library is not None and not self.library.store.closed

    @property
    def writable(self) -> bool:
        """Whether something may be brought in and decided; says why where it may not."""
        if self.library is None:
            return False
        if self.library.store.read_only:
            self.trouble.emit(self.library.store.told)
            return False
        return True

    def wake(self) -> bool:
        """Opens the library on first use; whether it was opened now."""
        if self.library is not None:
            return False
        try:
            self.library = self._open_library()
        except JewellerError as error:
            self.trouble.emit(str(error))
            return False
        self.checking = Checking(library=self.library)
        if self.library.store.told:
            self.message.emit(self.library.store.told)
        return True

    def close(self) -> None:
        """Stops what is checked and lets go of the library."""
        if self.checking is not None:
            self.checking.stop()
        if self.library is not None:
            self.library.close()

    def forget(self) -> None:
        """Nothing of a library that was closed stays."""
        self.library, self.checking, self.tray, self.hand, self.key = None, None, None, None, None
        self.lines = []

    # ---- the tray and the take in hand

    def read_tray(self) -> None:
        """The takes of the tray anew, in the order of need."""
        self._criteria = {}
        self.lines = list_takes(self.opened, self.tray.id) if self.tray is not None else []

    def take_up(self, take: int | OpenTake, key: str | None = None) -> None:
        """A take in hand, with its first doubtful place or another."""
        self.hand = open_take(self.opened, take) if isinstance(take, int) else take
        doubtful = self.hand.doubtful()
        self.key = key or (doubtful[0] if doubtful else self.hand.shown[0].key if self.hand.shown else None)

    def read_hand(self) -> None:
        """The take in hand anew; nothing is in hand where it was deleted."""
        try:
            self.hand = open_take(self.opened, self.hand.take.id) if self.hand is not None else None
        except LedgerError:
            self.hand = None

    def line_in_hand(self) -> TakeEntry | None:
        return next((x for x in self.lines if self.hand is not None and x.take.id == self.hand.take.id), None)

    def criteria(self) -> tuple[str, ...]:
        """The kinds of trap that were chosen for the piece in hand."""
        if self.hand is None:
            return ()
        piece, tray = self.hand.take.piece, self.hand.take.tray_id
        if (tray, piece) not in self._criteria:
            asked = self.opened.assignment_of(self.opened.tray(tray))
            self._criteria[tray, piece] = tuple(criteria_of(asked, piece))
        return self._criteria[tray, piece]

    def place_after(self, order: list[int], step: int) -> tuple[OpenTake, str] | None:
        """(take, key) of the next (`step` 1) or previous doubtful place of the tray."""
        takes = {line.take.id: line.take for line in self.lines}
        return next_place(self.opened, [takes[k] for k in order if k in takes], self.hand, self.key, step)

    def next_undone(self) -> int | None:
        """The first checked take that is not decided."""
        return next((x.take.id for x in self.lines if not x.done and x.take.state == TakeState.CHECKED), None)

    def waiting(self) -> int:
        """How many takes wait to be checked."""
        return sum(line.take.state == TakeState.WAITING for line in self.lines)

    def pieces(self) -> list[tuple[str, str]]:
        """(id, title) of the pieces of the tray, the one with most takes first."""
        counts = Counter((x.take.piece, x.title) for x in self.lines if x.take.piece)
        return [pair for pair, _number in counts.most_common()]

    def state_words(self) -> list[str]:
        """How the tray stands: what is checked now, else how many takes are in which state."""
        if self.checking is not None and self.checking.busy:
            now = self.checking.state()
            of = now.done + now.running + now.waiting
            told = [_("{done} of {of} checked").format(done=now.done, of=of)]
            if now.paused:
                told.append(_("paused"))
            elif now.left_s is not None:
                told.append(_("about {time} left").format(time=_time(now.left_s)))
            return told
        states = [line.state for line in self.lines]
        told = [ngettext("{n} take", "{n} takes", len(states)).format(n=len(states))] if states else []
        told += _count_states(states, sum(line.clean for line in self.lines))
        if any(x.take.summary.get("ear", ear_version()) != ear_version() for x in self.lines):
            told.append(_("checked by an earlier version: “This take…” checks again"))
        return told

    # ---- decisions

    def act(self, acts: list[tuple[int, str, dict[str, Any]]]) -> bool:
        """Writes acts as one step; whether that could be done."""
        try:
            self.opened.act(acts)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return False
        self.touch({take for take, *_rest in acts})
        return True

    def undecided_clean(self) -> list[int]:
        """The takes that are clean and not decided yet."""
        return [line.take.id for line in self.lines if line.clean and not line.done]

    def decide_clean(self) -> None:
        """Decides every clean take as one step, which one undo takes back, and says how many there were."""
        acts = [(take, "state", {"state": ReviewState.DECIDED}) for take in self.undecided_clean()]
        count = len(acts) if acts and self.act(acts) else 0
        said = ngettext(
            "{n} clean take decided; Ctrl+Z takes it back.",
            "{n} clean takes decided; Ctrl+Z takes it back.",
            count,
        )
        self.message.emit(said.format(n=count) if count else _("No clean take is left to be decided."))

    def remind(self) -> None:
        """Says what is due and has not come in, unless something else is being said."""
        library = self.library
        if library is None or library.store.closed or library.store.told:
            return
        if told := reminder(library, datetime.date.today()):
            self.message.emit(told)

    def touch(self, takes: set[int]) -> None:
        """Reads takes anew of which something changed, where they stand: the list keeps its order while it is
        worked through.
        """
        known = {}
        if self.hand is not None and self.hand.take.id in takes:
            self.hand = open_take(self.opened, self.hand.take.id)
            known[self.hand.take.id] = self.hand.take
        for k, line in enumerate(self.lines):
            number = line.take.id
            if number in takes:
                take = known.get(number) or self.opened.take(number)
                self.lines[k] = TakeEntry(take, line.player, line.title)
        self.touched.emit(takes)

    def undo(self, *, again: bool = False) -> set[int]:
        """Takes the last step in this tray back, or does it again; the takes it was about."""
        if self.library is None or self.tray is None:
            return set()
        try:
            takes = self.library.redo(self.tray.id) if again else self.library.undo(self.tray.id)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return set()
        if not takes:
            self.message.emit(_(UNDONE))
            return set()
        self.touch(takes)
        return takes

    def kind_in_hand(self) -> str | None:
        shown = self.hand.shown if self.hand is not None else ()
        return next((s.finding["kind"] for s in shown if s.key == self.key), None)

    def dismiss_kind(self, kind: str, why: str) -> int | None:
        """Dismisses every undecided finding of a kind in the tray with one reason; how many were."""
        if self.tray is None:
            return None
        try:
            count = dismiss_alike(self.opened, self.tray.id, kind, why)
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        self.touch({line.take.id for line in self.lines})
        return count

    # ---- marks

    def mark_by_hand(self, words: str) -> bool:
        """A mark the teacher typed stands, the computed one beside it; an empty one takes it away."""
        return (
            self.hand is not None
            and words.strip() != self.hand.standing.mark
            and self.act([(self.hand.take.id, "mark", {"text": words.strip()})])
        )

    def explain_mark(self) -> str:
        """The mark of the take in hand as a sum."""
        hand = self.hand
        scheme = self.opened.scheme(hand.take.id) if self.library is not None and hand is not None else None
        if scheme is None or hand is None or hand.report is None or not hand.report["followed"]:
            return _("There is no mark yet: the take is not checked.")
        return "\n".join(explain_mark(hand.report, hand.standing, scheme))

    def assign(self, asked: dict[str, Any]) -> bool:
        """Sets what was asked for in the tray; whether that could be done."""
        if self.tray is None:
            return False
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
            return False
        self.tray, self._criteria = self.opened.tray(self.tray.id), {}
        self.touch({line.take.id for line in self.lines})
        return True

    # ---- what leaves

    def checked_takes(self) -> list[int]:
        return [x.take.id for x in self.lines if x.take.state == TakeState.CHECKED]

    def returned(self, takes: list[int]) -> None:
        """Slips of these takes were written: those that were decided are given back."""
        decided = {x.take.id for x in self.lines if x.review == ReviewState.DECIDED}
        self.act([(t, "state", {"state": ReviewState.RETURNED}) for t in takes if t in decided])

    def set_slips(self, **settings: Any) -> None:
        """How slips are written from now on; kept for the next time."""
        self.slips = dataclasses.replace(self.slips, **settings)
        self.settings.setValue("slips", json.dumps(dataclasses.asdict(self.slips)))

    def _remembered_slips(self) -> FeedbackSettings:
        usual = dataclasses.asdict(FeedbackSettings())
        kept = kept_json(self.settings, "slips", {})
        known = {k: v for k, v in kept.items() if k in usual and type(v) is type(usual[k])}
        return FeedbackSettings(**(usual | known))

    def marks_asked(self) -> tuple[list[str], str]:
        """(columns, which of several attempts) of marks for the office, as they were chosen the last time."""
        told = kept_json(self.settings, "marks", {})
        asked = told.get("columns")
        columns = [c for c in COLUMNS if c in asked] if isinstance(asked, list) else []
        attempts = str(told.get("attempts"))
        return columns or list(USUAL), attempts if attempts in ATTEMPTS else "all"

    def write_marks(self, kind: str, target: Path) -> int | None:
        """The marks of the tray for the office; how many takes were left out for want of consent."""
        if self.tray is None:
            return None
        # where it is noted at all, it is asked for
        consent = any(p.consent for p in self.opened.players(self.tray.band_id))
        columns, attempts = self.marks_asked()
        rows, left_out = list_marks(self.opened, self.tray.id, with_consent_only=consent, attempts=attempts)
        name = self.tray.name
        try:
            write_bytes(
                target, marks_csv(rows, columns) if kind == "csv" else marks_xlsx(rows, columns, name)
            )
        except JewellerError as error:
            self.trouble.emit(str(error))
            return None
        return left_out


def _time(seconds: float) -> str:
    return _("{n} s").format(n=round(seconds)) if seconds < 90 else _("{n} min").format(n=round(seconds / 60))


def _count_states(states: Sequence[str], clean: int) -> list[str]:
    """How many takes of a tray are in each state that is said of it, and how many are clean."""
    n = {s: states.count(s) for s in set(states)} | ({"clean": clean} if clean else {})
    said = {
        "to hear": ngettext("{n} to hear", "{n} to hear", n.get("to hear", 0)),
        "decided": ngettext("{n} decided", "{n} decided", n.get("decided", 0)),
        "returned": ngettext("{n} returned", "{n} returned", n.get("returned", 0)),
        "not this piece": ngettext("{n} not this piece", "{n} not this piece", n.get("not this piece", 0)),
        "failed": ngettext("{n} failed", "{n} failed", n.get("failed", 0)),
        "clean": ngettext("{n} clean", "{n} clean", n.get("clean", 0)),
    }
    return [words.format(n=n[state]) for state, words in said.items() if state in n]
