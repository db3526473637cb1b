"""Assignments: what is due and who has not handed in, and the traps that were chosen for one, answered by a
take.
"""

from __future__ import annotations

import datetime
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import func, select

from jeweller.decisions.standing import FindingState
from jeweller.difficulty.analysis import SAID
from jeweller.difficulty.traps import KINDS, find_traps
from jeweller.errors import JewellerError
from jeweller.i18n import _, ngettext
from jeweller.library.library import Library
from jeweller.library.states import DONE
from jeweller.library.tables import Assignment, Player, Take, Tray
from jeweller.notation.model import Score
from jeweller.notation.performance import PerformedPart
from jeweller.pipeline.review import Shown
from jeweller.report.traps import answer_traps
from jeweller.report_format import ReportNote, TakeReport

UNASKED = ("range", "look-alike")  # traps of a part that are no thing to be asked for
SOON_DAYS = 3  # before an assignment is due it is told of


@dataclass(frozen=True, kw_only=True)
class AssignmentStatus:
    """One assignment with what came in for it."""

    assignment: Assignment
    trays: tuple[int, ...]
    takes: int
    handed_in: tuple[str, ...]  # names of players
    missing: tuple[str, ...]
    waiting: int  # takes that are not decided yet

    def due_words(self, today: datetime.date) -> str:
        """As "due in 3 days"; "" without a day."""
        day = day_of(self.assignment.due)
        if day is None:
            return _("due {due}").format(due=self.assignment.due) if self.assignment.due else ""
        days = (day - today).days
        if abs(days) > 13:
            return _("due {isoformat}").format(isoformat=day.isoformat())
        near = {0: _("due today"), 1: _("due tomorrow"), -1: _("due yesterday")}
        return near.get(days) or (
            _("due in {days} days").format(days=days)
            if days > 0
            else _("due {value} days ago").format(value=-days)
        )

    def presses(self, today: datetime.date) -> bool:
        """Whether it is due by now, or soon, and somebody has not handed in."""
        day = day_of(self.assignment.due)
        return day is not None and bool(self.missing) and (day - today).days <= SOON_DAYS

    @property
    def done(self) -> bool:
        """Everybody has handed in and every take is decided."""
        return bool(self.takes) and not self.missing and not self.waiting


def day_of(due: str) -> datetime.date | None:
    """The day an assignment is due; None where none is set, or it is told in other words."""
    try:
        return datetime.date.fromisoformat(due)
    except ValueError:
        return None


def assignment_status(library: Library, band: int | None = None) -> list[AssignmentStatus]:
    """Every assignment that stands: those due first, then those without a day, what is done last."""
    standing = library.assignments(band)
    if not standing:
        return []
    names: dict[int, dict[int, str]] = defaultdict(dict)
    trays: dict[int | None, list[int]] = defaultdict(list)
    takes: dict[int | None, list[tuple[int | None, str]]] = defaultdict(list)
    with library.store.read() as session:
        for of, player, name in session.execute(
            select(Player.band_id, Player.id, Player.name).order_by(func.lower(Player.name))
        ):
            names[of][player] = name
        for tray, assignment in session.execute(
            select(Tray.id, Tray.assignment_id).where(Tray.assignment_id.is_not(None)).order_by(Tray.id)
        ):
            trays[assignment].append(tray)
        wanted = (
            select(Tray.assignment_id, Take.player_id, Take.summary["state"].as_string())
            .join(Tray, Take.tray_id == Tray.id)
            .join(Assignment, Tray.assignment_id == Assignment.id)
            .where(Take.piece == Assignment.piece)
        )
        for assignment, player, state in session.execute(wanted):
            takes[assignment].append((player, state or ""))
    out = []
    for a in standing:
        players = names[a.band_id]
        here = {p for p, _unused in takes[a.id] if p is not None}
        handed_in = tuple(sorted((players[p] for p in here if p in players), key=str.casefold))
        missing = tuple(name for p, name in players.items() if p not in here)
        waiting = sum(state not in DONE for _unused, state in takes[a.id])
        out.append(
            AssignmentStatus(
                assignment=a,
                trays=tuple(trays[a.id]),
                takes=len(takes[a.id]),
                handed_in=handed_in,
                missing=missing,
                waiting=waiting,
            )
        )
    return sorted(
        out, key=lambda g: (g.done, day_of(g.assignment.due) or datetime.date.max, -g.assignment.id)
    )


def open_for(library: Library, band: int, pieces: Iterable[str]) -> Assignment | None:
    """The assignment that takes of one piece are handed in for: the newest of that piece that is not done.
    None for takes of several pieces.
    """
    wanted = set(pieces) - {""}
    if len(wanted) != 1:
        return None
    return next(
        (
            g.assignment
            for g in sorted(assignment_status(library, band), key=lambda g: -g.assignment.id)
            if g.assignment.piece in wanted and not g.done
        ),
        None,
    )


def reminder(library: Library, today: datetime.date) -> str:
    """One sentence about what is due now or soon and has not come in; "" where nothing is."""
    told = []
    for g in assignment_status(library):
        if g.presses(today):
            many = len(g.missing)
            named = ", ".join(g.missing)
            who = named if many <= 3 else ngettext("{n} player", "{n} players", many).format(n=many)
            told.append(
                ngettext(
                    "{title} is {due}; {who} has not handed in.",
                    "{title} is {due}; {who} have not handed in.",
                    len(g.missing),
                ).format(title=g.assignment.title, due=g.due_words(today), who=who)
            )
    return " ".join(told[:2])


# ---- what matters
# --------------------------------------------------------------------------------------------------------


def kinds_in(score: Score) -> list[str]:
    """The kinds of trap that lie on notes of any part: those that a check can answer."""
    here = {t.kind for part in score.parts if part.note_count for t in find_traps(part) if t.notes}
    return [k for k in KINDS if k in here and k in SAID and k not in UNASKED]


def kinds_of(library: Library, piece: str) -> list[str]:
    """The same for a piece of the shelf; [] where it is not there."""
    try:
        return kinds_in(library.shelf.score(piece)) if piece else []
    except JewellerError:
        return []


def answer_chosen_traps(
    kinds: Iterable[str], line: PerformedPart, report: TakeReport, shown: Iterable[Shown]
) -> list[str]:
    """The traps of these kinds in somebody's own part, each with how often it was right: "B♭ by the key
    signature: 3 of 4". What the teacher dismissed counts as right, what was added as wrong.
    """
    wanted = set(kinds)
    traps = [t for t in find_traps(line.part) if t.kind in wanted and t.notes]
    stands, gone = [], set()
    for s in shown:
        if s.state == FindingState.DISMISSED:
            gone |= set(s.finding["notes"])
        else:
            stands.append(s.finding)
    still = {i for f in stands for i in f["notes"]}
    notes: list[ReportNote] = [
        {**n, "verdict": "ok"} if n["id"] in gone and n["id"] not in still else n
        for n in report["notes"]
        if n["verdict"] != "not_heard"
    ]
    told = answer_traps(traps, {**report, "notes": notes, "findings": stands}, line)
    return [
        _("{what}: {right} of {of}").format(what=trap.what, right=right, of=of) for trap, right, of in told
    ]


def criteria_of(assignment: Assignment | None, piece: str) -> tuple[str, ...]:
    """The kinds of trap chosen for an assignment; () where none were, or it is of another piece."""
    if assignment is None or assignment.piece != piece:
        return ()
    return tuple(assignment.settings.get("traps") or ())
