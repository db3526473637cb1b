"""A tray as it is worked through: its takes by need, the findings of each as they stand, and the doubtful
places one after another across all of them.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.assessment.finding import UNMARKED, is_sure
from jeweller.assessment.messages import localized
from jeweller.audio.decode import Recording, decode
from jeweller.decisions.records import Decision, DecisionAct, Decisions
from jeweller.decisions.standing import FindingState
from jeweller.i18n import N_, _
from jeweller.library.audit_log import DecisionState
from jeweller.library.checking import options_of
from jeweller.library.library import Library
from jeweller.library.states import DONE, ReviewState, TakeState
from jeweller.library.tables import Player, Take
from jeweller.notation.performance import PerformedPart
from jeweller.pipeline.check import open_line
from jeweller.pipeline.review import Shown
from jeweller.report.decided import standing_of
from jeweller.report_format import ReportFinding, TakeReport

EAR_WORDS = {
    TakeState.WAITING: N_("waiting"),
    TakeState.CHECKED: N_("checked"),
    TakeState.NOT_FOLLOWED: N_("not this piece"),
    TakeState.FAILED: N_("failed"),
    TakeState.STORED: N_("for the ear"),
}
STATE_WORDS = {
    ReviewState.UNHEARD: N_("to hear"),
    ReviewState.HEARD: N_("heard"),
    ReviewState.DECIDED: N_("decided"),
    ReviewState.RETURNED: N_("returned"),
}
UNKNOWN_BPM = 90.0  # quarters a minute, where no tempo was heard
RANK = {
    TakeState.NOT_FOLLOWED: 0,
    TakeState.FAILED: 0,
    TakeState.CHECKED: 1,
    TakeState.STORED: 2,
    TakeState.WAITING: 3,
}


@dataclass(frozen=True)
class TakeEntry:
    """One take as the tray lists it."""

    take: Take
    player: str  # or the name of the file
    title: str

    @property
    def state(self) -> str:
        """In a word: waiting, failed, not this piece, to hear, heard, decided, returned."""
        if self.take.state == TakeState.CHECKED:
            return STATE_WORDS[self.review]
        return EAR_WORDS[TakeState(self.take.state)]

    @property
    def review(self) -> ReviewState:
        return ReviewState(self.take.summary.get("state", ""))

    @property
    def clean(self) -> bool:
        """Whether all of it was heard and nothing is to be said of it, not even as a doubt."""
        told = self.take.summary
        return bool(
            self.take.state == TakeState.CHECKED
            and told.get("followed", True)
            and not told.get("sure")
            and not told.get("unsure")
            and (told.get("part_heard") or {}).get("whole", True)
        )

    @property
    def done(self) -> bool:
        return self.review in DONE


@dataclass(frozen=True)
class LibraryDecisions:
    """The decisions over a take of the library, for a review of it."""

    library: Library
    take: int

    def load(self) -> Decisions:
        return self.library.decisions_of(self.take).decisions

    def save(self, decisions: Decisions) -> None:
        self.library.decide(self.take, decisions)


def list_takes(library: Library, tray: int) -> list[TakeEntry]:
    """The takes of a tray, those that need an ear most first; what is decided last."""
    names = {i: p.name for i, p in library.players_in(tray).items()}
    titles = {p.id: p.title for p in library.shelf.pieces.values()}
    found = [
        TakeEntry(t, names.get(t.player_id or 0, t.name), titles.get(t.piece, ""))
        for t in library.takes(tray)
    ]
    return sorted(
        found,
        key=lambda line: (
            line.done,
            RANK[TakeState(line.take.state)],
            -float(line.take.summary.get("need", 0.0)),
            line.player.casefold(),
        ),
    )


@dataclass(frozen=True, kw_only=True)
class OpenTake:
    """A take that is being looked at: its report, what stands, and its findings as rows."""

    take: Take
    report: TakeReport | None
    standing: DecisionState
    shown: tuple[Shown, ...]
    changed: str = ""  # what the newest check says otherwise than the one before

    def doubtful(self) -> list[str]:
        """The keys of the findings that nobody decided yet, as the report orders them."""
        return [
            s.key for s in self.shown if s.state == FindingState.OPEN and s.finding["kind"] not in UNMARKED
        ]

    def span(self, key: str, lead_beats: float = 2.0) -> tuple[float, float]:
        """Seconds in the recording to hear for a finding: from two beats before it to a beat after."""
        finding = next(s.finding for s in self.shown if s.key == key)
        played = (self.report["tempo"]["played_bpm"] if self.report is not None else None) or UNKNOWN_BPM
        beat = (
            60.0 / played * ((self.report["score"]["beat_unit_q"] if self.report is not None else 1.0) or 1.0)
        )
        return max(0.0, finding["at_s"] - lead_beats * beat), max(
            finding["until_s"], finding["at_s"] + 0.3
        ) + beat


def open_take(library: Library, take: int) -> OpenTake:
    """One take with everything that is shown of it."""
    reports, now = library.reports(take, 2), library.decisions_of(take)
    report = reports[-1] if reports else None
    rows = shown_rows(report, now.decisions) if report is not None and report["followed"] else ()
    return OpenTake(
        take=library.take(take), report=report, standing=now, shown=rows, changed=changes(reports)
    )


def changes(reports: Sequence[TakeReport]) -> str:
    """What the second of two checks says otherwise than the first; "" where there are not two, or nothing
    changed.
    """
    if len(reports) < 2:
        return ""
    before, after = (
        {f["key"]: localized(f)["text"] for f in r["findings"] if is_sure(f["confidence"])} for r in reports
    )
    new, gone = (
        [t for k, t in after.items() if k not in before],
        [t for k, t in before.items() if k not in after],
    )
    told = [_("new: {sentences}").format(sentences=_first_two(new))] if new else []
    told += [_("no longer: {sentences}").format(sentences=_first_two(gone))] if gone else []
    return _("Since the check before · {told}").format(told=" · ".join(told)) if told else ""


def _first_two(sentences: Sequence[str]) -> str:
    return " ".join((*sentences[:2], *(["…"] if len(sentences) > 2 else [])))


def shown_rows(report: TakeReport, decisions: Decisions) -> tuple[Shown, ...]:
    """Findings as the margin shows them: sure ones that stand are numbered."""
    told = {f["key"]: f for f in report["findings"]}
    numbers = itertools.count(1)
    out = []
    for row in standing_of(report, decisions):
        f = row.finding
        base: ReportFinding = told.get(row.key) or {
            "key": f.key,
            "kind": f.kind,
            "facet": f.facet,
            "bar": f.bar,
            "pass": f.passing,
            "beat": f.beat,
            "at_s": f.at_s,
            "until_s": f.until_s,
            "notes": list(f.notes),
            "extras": [],
            "confidence": f.confidence,
            "severity": f.severity,
            "count": f.count,
            "places": list(f.places),
            "detail": f.detail,
            "cause": f.cause,
            "text": f.text,
            "advice": f.advice,
        }
        now: ReportFinding = {
            **base,
            "kind": f.kind,
            "facet": f.facet,
            "confidence": f.confidence,
            "cause": f.cause,
            "text": f.text,
        }
        out.append(Shown(now, row.state, next(numbers) if row.counts else 0))
    return tuple(out)


def next_place(
    library: Library, order: Sequence[Take], hand: OpenTake | None, key: str | None, step: int
) -> tuple[OpenTake, str] | None:
    """The doubtful place after (`step` 1) or before (-1) another (`key` of the take in `hand`), across takes
    in an order, with its take opened; or None. What is decided is passed over.
    """
    ids = [take.id for take in order]
    here = hand.take.id if hand is not None else None
    start = ids.index(here) if here in ids else (0 if step > 0 else len(ids) - 1)
    for take in order[start:] if step > 0 else order[start::-1]:
        if not take.summary.get("open") or take.summary["state"] in DONE:
            continue  # told without opening its report
        opened = hand if hand is not None and take.id == here else open_take(library, take.id)
        keys = opened.doubtful()
        if take.id == here and key is not None:
            everything = [s.key for s in opened.shown]
            at = everything.index(key) if key in everything else -1
            keys = [x for x in keys if (everything.index(x) - at) * step > 0]
        if keys:
            return opened, keys[0 if step > 0 else -1]
    return None


def dismiss_alike(library: Library, tray: int, kind: str, why: str) -> int:
    """Dismisses every undecided finding of a kind in a tray at once, with one reason; returns how many."""
    acts = []
    for take in library.takes(tray):
        acts += [
            (take.id, "decide", {"key": s.key, "act": "dismiss", "kind": "", "note": why})
            for s in open_take(library, take.id).shown
            if s.state == FindingState.OPEN and s.finding["kind"] == kind
        ]
    library.act(acts)
    return len(acts)


def decision(key: str, act: str, *, kind: str = "", note: str = "") -> dict[str, str]:
    """The body of an act "decide"."""
    made = Decision(key, DecisionAct(act), kind, note)
    return {"key": made.key, "act": made.act, "kind": made.kind, "note": made.note}


def player_of(library: Library, take: Take) -> Player | None:
    """Who played a take."""
    return library.player(take.player_id) if take.player_id is not None else None


def load_take(library: Library, take: int, rate: int) -> tuple[PerformedPart | None, Recording]:
    """The music and the sound of a take; no music where it is not known what it is of. Raises
    JewellerError.
    """
    row = library.take(take)
    sound = decode(library.recording(row), rate)
    return (music_of(library, row) if row.piece else None), sound


def music_of(library: Library, take: Take) -> PerformedPart:
    """The music a take is of, as it is played out. Raises JewellerError."""
    assignment = library.assignment_of(library.tray(take.tray_id))
    return open_line(library.score_path(take), options_of(take, assignment))[1]
