"""One teacher's library: bands, players, assignments, trays, takes, reports, and what was decided. Every
method is one transaction.

What the methods return are rows of `jeweller.library.tables` that are not connected any more: values to read,
not to change.
"""

from __future__ import annotations

import contextlib
import datetime
import json
import zlib
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from jeweller.audio.decode import file_hash
from jeweller.decisions.records import Decisions
from jeweller.errors import LedgerError
from jeweller.files import parse_json, shown_name
from jeweller.grading.scheme import Scheme, find_scheme, scheme_of
from jeweller.i18n import _
from jeweller.library.audit_log import Act, DecisionState, difference, find_undone, read_decisions
from jeweller.library.people import LibraryPeople, name_of
from jeweller.library.states import TakeState
from jeweller.library.summary import is_whole, summarise
from jeweller.library.tables import (
    Assignment,
    AuditEntry,
    Phrase,
    Report,
    Take,
    Tray,
    whole_rows,
)
from jeweller.library.unfinished import is_recording_name
from jeweller.report_format import TakeReport

PHRASES = 30  # offered at once


def now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC).replace(tzinfo=None)


class Library(LibraryPeople):
    """Everything in one folder. Raises LedgerError with a sentence where something cannot be."""

    # ---- bands and players

    # ---- assignments and trays

    def give(
        self, band: int, piece: str, title: str, *, bars: str = "", due: str = "", **settings: Any
    ) -> Assignment:
        """An assignment that is given out; its takes are brought in later. Raises SettingError."""
        scheme_of(settings)
        return self._add(
            Assignment(
                band_id=band, piece=piece, title=title, bars=bars, due=due, settings=settings, given_at=now()
            )
        )

    def assign(
        self, tray: int, piece: str, title: str, *, bars: str = "", due: str = "", **settings: Any
    ) -> None:
        """What was asked for in a tray, now or anew, and in the other trays of the same assignment. The marks
        follow; what was decided stays.
        """
        row = self.tray(tray)
        if row.assignment_id is not None:
            self.reassign(row.assignment_id, piece, title, bars=bars, due=due, **settings)
        else:
            self.hand_in(tray, self.give(row.band_id, piece, title, bars=bars, due=due, **settings).id)

    def reassign(
        self, assignment: int, piece: str, title: str, *, bars: str = "", due: str = "", **settings: Any
    ) -> Assignment:
        """Another wording of an assignment, for all of its trays; the old one is kept. The marks follow; what
        was decided stays.
        """
        scheme_of(settings)
        with self.store.write() as session:
            old = session.get(Assignment, assignment)
            if old is None:
                raise LedgerError(
                    _("There is no assignment {assignment} in this library.").format(assignment=assignment)
                )
            new = Assignment(
                band_id=old.band_id,
                piece=piece,
                title=title,
                bars=bars,
                due=due,
                settings=settings,
                given_at=old.given_at,
            )
            session.add(new)
            session.flush()
            old.replaced_by = new.id
            trays = whole_rows(session.scalars(select(Tray).where(Tray.assignment_id == assignment)))
            for tray in trays:
                tray.assignment_id = new.id
            session.flush()
            self._resummarise(
                session, set(session.scalars(select(Take.id).where(Take.tray_id.in_([t.id for t in trays]))))
            )
        return new

    def hand_in(self, tray: int, assignment: int | None) -> None:
        """Says which assignment the takes of a tray are handed in for (None: for none). The marks follow."""
        with self.store.write() as session:
            row = session.get(Tray, tray)
            if row is None:
                raise LedgerError(_("There is no tray {tray} in this library.").format(tray=tray))
            row.assignment_id = assignment
            session.flush()
            self._resummarise(session, set(session.scalars(select(Take.id).where(Take.tray_id == tray))))

    def assignments(self, band: int | None = None) -> list[Assignment]:
        """Those that stand, the newest first."""
        query = select(Assignment).where(Assignment.replaced_by.is_(None)).order_by(Assignment.id.desc())
        return self._all(query if band is None else query.where(Assignment.band_id == band))

    def scheme(self, take: int) -> Scheme | None:
        """How a take is marked; None where it is not checked."""
        with self.store.read() as session:
            report = _newest(session, take)
            return _scheme(session, take, report) if report is not None else None

    def assignment_of(self, tray: Tray) -> Assignment | None:
        return self._get(Assignment, tray.assignment_id) if tray.assignment_id is not None else None

    def trays(self, band: int | None = None) -> list[Tray]:
        """The trays of a band, the newest first."""
        query = select(Tray).order_by(Tray.id.desc())
        return self._all(query if band is None else query.where(Tray.band_id == band))

    def add_tray(self, band: int, name: str, assignment: int | None = None) -> Tray:
        return self._add(
            Tray(band_id=band, name=name_of(name, "tray"), assignment_id=assignment, made_at=now())
        )

    def tray(self, tray: int) -> Tray:
        return self._get(Tray, tray)

    # ---- takes

    def takes(self, tray: int) -> list[Take]:
        return self._fresh(self._all(select(Take).where(Take.tray_id == tray).order_by(Take.id)))

    def takes_of(self, player: int) -> list[Take]:
        """Every take of a player, the oldest first."""
        return self._fresh(self._all(select(Take).where(Take.player_id == player).order_by(Take.id)))

    def _fresh(self, takes: list[Take]) -> list[Take]:
        """Takes with summaries as this version makes them: those of an older one are made anew, and kept
        where that may be.
        """
        old = {
            t.id
            for t in takes
            if t.state in (TakeState.CHECKED, TakeState.NOT_FOLLOWED) and not is_whole(t.summary)
        }
        if not old:
            return takes
        with self.store.read() as session:
            anew = {i: self._summary(session, i) for i in old}
        if not self.store.read_only:
            # What could not be kept (the disk is full, another program holds it) is made anew next time.
            with contextlib.suppress(LedgerError), self.store.write() as session:
                for i, summary in anew.items():
                    session.execute(update(Take).where(Take.id == i).values(summary=summary))
        for take in takes:
            if take.id in anew:
                take.summary = anew[take.id]
        return takes

    def take(self, take: int) -> Take:
        return self._get(Take, take)

    def setups(self) -> list[str]:
        """With what takes were recorded, as the teacher calls it, the newest first."""
        return self._all(
            select(Take.setup).where(Take.setup != "").group_by(Take.setup).order_by(func.max(Take.id).desc())
        )

    def same_recording(self, path: Path) -> list[Take]:
        """Takes whose recording is this one."""
        return self._all(select(Take).where(Take.sha256 == file_hash(path)))

    def add_take(
        self,
        tray: int,
        path: Path,
        *,
        player: int | None = None,
        piece: str = "",
        part: str = "",
        kind: str = "played",
        support: str = "alone",
        reading: str = "practised",
        setup: str = "",
    ) -> Take:
        """Keeps a recording and enters it in a tray. The file is there before the row is: a row never points
        to nothing.
        """
        digest = file_hash(path)
        suffix = "".join(c for c in path.suffix.casefold() if c.isalnum() or c == ".")[:6]
        name = f"{digest[:2]}/{digest}{suffix}"
        if not self._is_whole(name, digest):
            self.store.keep_file(path, name)
        state = TakeState.STORED if kind == "stored" else TakeState.WAITING
        return self._add(
            Take(
                tray_id=tray,
                player_id=player,
                piece=piece,
                part=part,
                file=name,
                name=shown_name(path),
                sha256=digest,
                kind=kind,
                support=support,
                reading=reading,
                setup=setup,
                state=state,
                added_at=now(),
                summary={},
            )
        )

    def _is_whole(self, name: str, digest: str) -> bool:
        """Whether a recording is there as it was brought in."""
        path = self.store.recordings / name
        return path.exists() and file_hash(path) == digest

    def mend_recording(self, path: Path) -> bool:
        """Puts a recording back whose file is missing or was changed; whether there was something to mend.
        Raises LedgerError.
        """
        broken = [t for t in self.same_recording(path) if not self._is_whole(t.file, t.sha256)]
        for take in broken:
            if is_recording_name(take.file):
                self.store.keep_file(path, take.file)
        return bool(broken)

    def recording(self, take: Take) -> Path:
        """The file of a take. Raises LedgerError where it is missing, or has no name of ours."""
        if not is_recording_name(take.file):
            raise LedgerError(
                _("The recording of {name} has a name that the library never gives.").format(name=take.name)
            )
        path = self.store.recordings / take.file
        if not path.exists():
            raise LedgerError(
                _(
                    "The recording of {name} is not in the library's folder any more ({path}). What "
                    "was found and decided is kept."
                ).format(name=take.name, path=path)
            )
        return path

    def score_path(self, take: Take) -> Path:
        """The music a take is held against. Raises LedgerError."""
        if not take.piece:
            raise LedgerError(_("It is not known yet what {name} is of.").format(name=take.name))
        path = self.store.shelf / f"{take.piece}.musicxml"
        if not path.exists():
            raise LedgerError(
                _("The music of {name} is not on the library's shelf any more.").format(name=take.name)
            )
        return path

    def remove_take(self, take: int) -> None:
        """Deletes a take for good, with its reports and acts; the recording too, where no other take is of
        it.
        """
        with self.store.write() as session:
            row = session.get(Take, take)
            if row is None:
                return
            file = row.file
            session.delete(row)
            session.flush()
            others = session.scalar(select(func.count()).select_from(Take).where(Take.file == file))
        if not others and is_recording_name(file):
            (self.store.recordings / file).unlink(missing_ok=True)

    # ---- reports

    def add_report(self, take: int, report: TakeReport) -> None:
        """Keeps a report beside the earlier ones; decisions stand over it by the keys of the findings."""
        body = zlib.compress(json.dumps(report, ensure_ascii=False, allow_nan=False).encode("utf-8"), 6)
        with self.store.write() as session:
            session.add(
                Report(
                    take_id=take,
                    made_at=now(),
                    ear_version=report["program"]["ear_version"],
                    settings_hash=report["settings"]["settings_hash"],
                    body=body,
                )
            )
            summary = summarise(report, read_decisions(_acts(session, take)), _scheme(session, take, report))
            state = TakeState.CHECKED if report["followed"] else TakeState.NOT_FOLLOWED
            session.execute(
                update(Take).where(Take.id == take).values(state=state, sentence="", summary=summary)
            )

    def failed(self, take: int, sentence: str) -> None:
        """A check that could not be done, and why."""
        with self.store.write() as session:
            session.execute(
                update(Take).where(Take.id == take).values(state=TakeState.FAILED, sentence=sentence)
            )

    def store_for_the_ear(self, take: int, sentence: str) -> None:
        """A take that a check can say nothing of, and why: it is the teacher's to hear."""
        with self.store.write() as session:
            session.execute(
                update(Take).where(Take.id == take).values(state="stored", kind="stored", sentence=sentence)
            )

    def report(self, take: int) -> TakeReport | None:
        """The newest report of a take."""
        with self.store.read() as session:
            return _newest(session, take)

    def reports(self, take: int, newest: int | None = None) -> list[TakeReport]:
        """Every report of a take, or the newest few, the oldest first."""
        bodies = self._all(
            select(Report.body).where(Report.take_id == take).order_by(Report.id.desc()).limit(newest or -1)
        )
        return [_opened(body) for body in reversed(bodies)]

    # ---- acts

    def decisions_of(self, take: int) -> DecisionState:
        with self.store.read() as session:
            return read_decisions(_acts(session, take))

    def act(self, acts: Iterable[tuple[int, str, dict[str, Any]]]) -> int:
        """Does (take, kind, body) all at once; returns the step, which is undone at once too. 0 where there
        is nothing to do.
        """
        acts = list(acts)
        if not acts:
            return 0
        with self.store.write() as session:
            step = 1 + (session.scalar(select(func.max(AuditEntry.step))) or 0)
            for take, kind, body in acts:
                session.add(AuditEntry(take_id=take, step=step, at=now(), kind=kind, body=body))
                if kind == "comment" and body.get("text"):
                    _remember(session, body["text"])
            session.flush()
            self._resummarise(session, {take for take, *_unused in acts})
        return step

    def decide(self, take: int, decisions: Decisions) -> int:
        """Enters what leads from the decisions that stand to these."""
        return self.act(
            (take, kind, body) for kind, body in difference(self.decisions_of(take).decisions, decisions)
        )

    def undo(self, tray: int) -> set[int]:
        """Takes back the last step done in a tray; returns the takes it touched. Empty where there is
        none.
        """
        return self._turn(
            tray,
            "undo",
            lambda acts, gone: max(
                (a.step for a in acts if a.kind not in ("undo", "redo") and a.step not in gone), default=0
            ),
        )

    def redo(self, tray: int) -> set[int]:
        """Does the step that was taken back last again, unless something else was done since."""

        def step(acts: list[Act], gone: set[int]) -> int:
            last = max(
                (a.step for a in acts if a.kind not in ("undo", "redo") and a.step not in gone), default=0
            )
            return min((s for s in gone if s > last), default=0)

        return self._turn(tray, "redo", step)

    def _turn(self, tray: int, kind: str, which: Callable[[list[Act], set[int]], int]) -> set[int]:
        with self.store.write() as session:
            acts = _read_acts(
                session, _ACTS.join(Take, AuditEntry.take_id == Take.id).where(Take.tray_id == tray)
            )
            step = which(acts, find_undone(acts))
            takes = {a.take_id for a in acts if a.step == step and a.kind not in ("undo", "redo")}
            number = 1 + (session.scalar(select(func.max(AuditEntry.step))) or 0)
            for take in takes:
                session.add(AuditEntry(take_id=take, step=number, at=now(), kind=kind, body={"step": step}))
            session.flush()
            self._resummarise(session, takes)
        return takes

    def _resummarise(self, session: Session, takes: set[int]) -> None:
        for take in takes:
            summary = self._summary(session, take)
            if summary:
                session.execute(update(Take).where(Take.id == take).values(summary=summary))

    def _summary(self, session: Session, take: int) -> dict[str, Any]:
        """What a list shows of a take, from its newest report and every act; {} where there is none."""
        report = _newest(session, take)
        return (
            summarise(report, read_decisions(_acts(session, take)), _scheme(session, take, report))
            if report is not None
            else {}
        )

    def phrases(self, begun: str = "") -> list[str]:
        """Comments used before, the most used and latest first; those that hold what is typed."""
        query = select(Phrase.text).order_by(Phrase.used.desc(), Phrase.last_at.desc()).limit(PHRASES)
        with self.store.read() as session:
            return list(
                session.scalars(
                    query.where(Phrase.text.icontains(begun, autoescape=True)) if begun else query
                )
            )

    # ---- practice

    # ---- within


_ACTS = select(AuditEntry.take_id, AuditEntry.step, AuditEntry.kind, AuditEntry.body)


def _acts(session: Session, take: int) -> list[Act]:
    return _read_acts(session, _ACTS.where(AuditEntry.take_id == take))


def _read_acts(session: Session, query: Any) -> list[Act]:
    """As plain rows: a tray has hundreds of them by the end of an evening, and each key reads them."""
    return [Act(*row) for row in session.execute(query.order_by(AuditEntry.id))]


def _scheme(session: Session, take: int, report: TakeReport) -> Scheme:
    """How a take is marked: as its tray was assigned, else by the scheme it was checked with."""
    row = session.get(Take, take)
    tray = session.get(Tray, row.tray_id) if row is not None else None
    assignment = (
        session.get(Assignment, tray.assignment_id)
        if tray is not None and tray.assignment_id is not None
        else None
    )
    if assignment is not None and row is not None and assignment.piece == row.piece:
        return scheme_of(assignment.settings)
    return find_scheme(report["settings"]["scheme"])


def _newest(session: Session, take: int) -> TakeReport | None:
    body = session.scalar(
        select(Report.body).where(Report.take_id == take).order_by(Report.id.desc()).limit(1)
    )
    return _opened(body) if body is not None else None


def _opened(body: bytes) -> TakeReport:
    try:
        report: TakeReport = parse_json(zlib.decompress(body))
    except (zlib.error, ValueError) as error:
        raise LedgerError(_("A report in the library is damaged; check the take again.")) from error
    return report


def _remember(session: Session, text: str) -> None:
    phrase = session.scalar(select(Phrase).where(Phrase.text == text))
    if phrase is None:
        session.add(Phrase(text=text, used=1, last_at=now()))
    else:
        phrase.used += 1
        phrase.last_at = now()
