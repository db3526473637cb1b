"""A take under the loupe: the check, the teacher's decisions over it with undo and redo, and what stands now.
No interface code.
"""

from __future__ import annotations

import bisect
import itertools
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from jeweller.assessment.finding import FACET_OF
from jeweller.decisions.records import Added, Decision, DecisionAct, Decisions, added_finding, load, save
from jeweller.decisions.standing import FindingState, StandingFinding, apply_decisions
from jeweller.grading.scheme import find_scheme
from jeweller.report.build import finding_dict
from jeweller.report.decided import decided_report
from jeweller.report_format import ReportFinding, ReportNote, TakeReport

if TYPE_CHECKING:
    from jeweller.pipeline.check import Checked


class DecisionStore(Protocol):
    """Where decisions are kept. Both raise JewellerError."""

    def load(self) -> Decisions: ...

    def save(self, decisions: Decisions) -> None: ...


@dataclass(frozen=True)
class BesideTake:
    """Decisions in a file beside the take."""

    path: Path

    def load(self) -> Decisions:
        return load(self.path)

    def save(self, decisions: Decisions) -> None:
        save(decisions, self.path)


@dataclass(frozen=True)
class Shown:
    """One row of the margin: a finding as it stands, and what the teacher did with it."""

    finding: ReportFinding
    state: FindingState
    number: int  # 1, 2, 3 ... for sure ones that stand; 0 else

    @property
    def key(self) -> str:
        return str(self.finding["key"])


class Review:
    """The decisions over one check. Every act is undoable, and kept at once in `store`."""

    def __init__(self, checked: Checked, store: DecisionStore | None = None) -> None:
        self.checked = checked
        self.store = store
        self._history: list[Decisions] = [store.load() if store is not None else Decisions()]
        self._at = 0
        self._times = [
            (n["heard"]["on_s"], i) for i, n in enumerate(checked.report["notes"]) if n["heard"] is not None
        ]
        self._refresh()

    # ---- what stands

    @property
    def decisions(self) -> Decisions:
        return self._history[self._at]

    def _refresh(self) -> None:
        rows = apply_decisions(self.checked.findings, self.decisions)
        report = self.checked.report
        if report["followed"]:
            standing = [row.finding for row in rows if row.stands]
            scheme = find_scheme(report["settings"]["scheme"])
            report = decided_report(report, self.checked.case, standing, scheme)
        self.report: TakeReport = report
        self.shown = self._rows(rows)

    def _rows(self, rows: list[StandingFinding]) -> list[Shown]:
        numbers = itertools.count(1)
        return [
            Shown(
                finding_dict(row.finding, self.checked.case) | {"key": row.key},
                row.state,
                next(numbers) if row.counts else 0,
            )
            for row in rows
        ]

    # ---- acts

    def _do(self, decisions: Decisions) -> None:
        if decisions == self.decisions:
            return
        del self._history[self._at + 1 :]
        self._history.append(decisions)
        self._at += 1
        self._changed()

    def _changed(self) -> None:
        self._refresh()
        if self.store is not None:
            self.store.save(self.decisions)

    def dismiss(self, key: str, note: str = "") -> None:
        if any(added_finding(a).key == key for a in self.decisions.added):
            self._do(self.decisions.restore(key))
        else:
            self._do(self.decisions.decide(Decision(key, DecisionAct.DISMISS, note=note)))

    def keep(self, key: str) -> None:
        if any(f.key == key for f in self.checked.findings):
            self._do(self.decisions.decide(Decision(key, DecisionAct.KEEP)))

    def restore(self, key: str) -> None:
        self._do(self.decisions.restore(key))

    def change(self, key: str, kind: str) -> None:
        if kind not in FACET_OF:
            raise ValueError(kind)
        self._do(self.decisions.decide(Decision(key, DecisionAct.CHANGE, kind)))

    def add(self, kind: str, note_id: str, text: str = "") -> str:
        """A finding of the teacher's own at a note; returns its key."""
        n = next(n for n in self.report["notes"] if n["id"] == note_id)
        line = self.checked.line
        note = next(x for x in line.notes if x.id == note_id)
        at = n["heard"]["on_s"] if n["heard"] else self.time_of(note_id)
        until = n["heard"]["off_s"] if n["heard"] else at + 0.5
        added = Added(
            kind=kind,
            note_id=note_id,
            score_id=n["score_id"],
            bar=n["bar"],
            passing=n["pass"],
            beat=line.beat_in_bar(note.bar_index, note.offset),
            at_s=at,
            until_s=until,
            text=text,
        )
        self._do(self.decisions.add(added))
        return added_finding(added).key

    @property
    def can_undo(self) -> bool:
        return self._at > 0

    @property
    def can_redo(self) -> bool:
        return self._at + 1 < len(self._history)

    def undo(self) -> bool:
        if not self.can_undo:
            return False
        self._at -= 1
        self._changed()
        return True

    def redo(self) -> bool:
        if not self.can_redo:
            return False
        self._at += 1
        self._changed()
        return True

    # ---- time and place

    def note_at(self, seconds: float) -> ReportNote | None:
        """The heard note sounding at (or last before) a time in the take."""
        k = bisect.bisect_right(self._times, (seconds + 0.02, 1 << 30)) - 1
        return (
            self.report["notes"][self._times[k][1]]
            if k >= 0
            else (self.report["notes"][self._times[0][1]] if self._times else None)
        )

    def time_of(self, note_id: str) -> float:
        """Where a note sounded, or would have: seconds in the take."""
        notes = self.report["notes"]
        index = next(i for i, n in enumerate(notes) if n["id"] == note_id)
        here = notes[index]["heard"]
        if here is not None:
            return here["on_s"]
        before = next((h for n in reversed(notes[:index]) if (h := n["heard"]) is not None), None)
        after = next((h for n in notes[index + 1 :] if (h := n["heard"]) is not None), None)
        if before is not None:
            return before["off_s"]
        return after["on_s"] if after is not None else 0.0

    def places(self, finding: ReportFinding) -> list[tuple[float, float]]:
        """Seconds in the take where a finding is heard: each place of a habit, else from its beginning to its
        end.
        """
        if finding["count"] > 1:
            heard = [
                n["heard"]
                for n in self.report["notes"]
                if n["id"] in finding["notes"] and n["heard"] is not None
            ]
            if heard:
                return [(float(h["on_s"]), float(h["off_s"])) for h in heard]
        return [(float(finding["at_s"]), float(max(finding["until_s"], finding["at_s"] + 0.05)))]

    def beat_seconds(self) -> float:
        """The take's own beat, seconds."""
        played = self.report["tempo"]["played_bpm"] or 90.0
        return float(60.0 / played * float(self.checked.line.beat))

    def score_clock(self) -> list[tuple[float, float]]:
        """(seconds in the take, quarters in the line) of every heard note, ascending in both within the last
        try: what a cursor follows.
        """
        by_id = {n.id: float(n.onset) for n in self.checked.line.notes}
        points: list[tuple[float, float]] = []
        for n in self.checked.report["notes"]:
            heard = n["heard"]
            if heard is not None and not n["grace"] and (not points or heard["on_s"] > points[-1][0] + 1e-3):
                points.append((heard["on_s"], by_id[n["id"]]))
        return points

    def bar_span(self, note_id: str) -> tuple[float, float]:
        """Seconds in the take from the beginning of a note's bar to its end."""
        notes = self.report["notes"]
        n = next(x for x in notes if x["id"] == note_id)
        mine = [
            h
            for x in notes
            if x["bar"] == n["bar"] and x["pass"] == n["pass"] and (h := x["heard"]) is not None
        ]
        if not mine:
            at = self.time_of(note_id)
            return max(0.0, at - self.beat_seconds()), at + self.beat_seconds()
        start, last = min(h["on_s"] for h in mine), max(h["on_s"] for h in mine)
        later = [h["on_s"] for x in notes if (h := x["heard"]) is not None and h["on_s"] > last]
        return start, min(later, default=max(h["off_s"] for h in mine))
