"""A report as the teacher left it: verdicts, marks, good things and traps follow the decisions; what was
measured stays.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding
from jeweller.decisions.records import Decisions, added_finding
from jeweller.grading.scheme import Scheme, add_up_mark, facet_marks
from jeweller.notation.ids import ids_of
from jeweller.report.build import finding_dict, note_verdicts, wrong_by_facet
from jeweller.report.good import good_things, trap_answers


def decided_report(
    report: dict[str, Any], case: AssessmentContext, findings: Sequence[Finding], scheme: Scheme
) -> dict[str, Any]:
    """A copy of `report` for the findings that stand after the teacher's decisions."""
    judged = {n["id"] for n in report["notes"] if n["verdict"] != "not_heard"}
    verdicts = note_verdicts(case, findings, judged)
    notes = []
    for n in report["notes"]:
        verdict, unsure = verdicts[n["id"]]
        new = {k: v for k, v in n.items() if k != "unsure"} | {
            "verdict": verdict if n["id"] in judged else n["verdict"]
        }
        if unsure:
            new["unsure"] = True
        notes.append(new)
    return {
        **remarked(report, findings, scheme),
        "notes": notes,
        "findings": [finding_dict(x, case) for x in findings],
        "good": good_things(case, findings),
        "traps": trap_answers(case, verdicts),
    }


def remarked(report: dict[str, Any], findings: Sequence[Finding], scheme: Scheme) -> dict[str, Any]:
    """A copy of a report with its facets and its mark for other findings."""
    asked = {facet: f["asked"] for facet, f in report["facets"].items()}
    bars = report["mark"].get("bars") or len(
        {(n["bar"], n["pass"]) for n in report["notes"] if n["verdict"] != "not_heard"}
    )
    facets = facet_marks(findings, bars, asked, wrong_by_facet(findings), scheme.habit_share)
    return {**report, "facets": facets, "mark": add_up_mark(findings, scheme, bars, asked)}


@dataclass(frozen=True)
class StandingFinding:
    """A finding of a report as it stands after the teacher's decisions: state open, kept, dismissed, changed
    or added.
    """

    finding: Finding
    state: str
    original: dict[str, Any] | None  # as the report has it

    @property
    def key(self) -> str:
        """The key the report knows it by."""
        return str(self.original["key"]) if self.original is not None else self.finding.key

    @property
    def stands(self) -> bool:
        return self.state != "dismissed"


STATES = {"dismiss": "dismissed", "change": "changed", "keep": "kept"}


def rows_of(report: dict[str, Any], decisions: Decisions) -> list[StandingFinding]:
    """Every finding of a report, then those the teacher added."""
    rows = []
    for f in report["findings"]:
        finding, decision = finding_of(f), decisions.of(f["key"])
        if decision is not None and decision.act == "change":
            text = (
                f"{_place(f)}: {decision.kind.replace('_', ' ')} (changed by the teacher from "
                f"{f['kind'].replace('_', ' ')})."
            )
            finding = finding.replace(kind=decision.kind, confidence=1.0, cause=None, text=text)
        elif decision is not None and decision.act == "keep":
            finding = finding.replace(confidence=1.0)
        rows.append(StandingFinding(finding, STATES[decision.act] if decision is not None else "open", f))
    return rows + [StandingFinding(added_finding(a), "added", None) for a in decisions.added]


def finding_of(f: dict[str, Any]) -> Finding:
    """A finding of a report as the marks are added up from it."""
    return Finding(
        kind=f["kind"],
        bar=f["bar"],
        passing=f["pass"],
        beat=f["beat"],
        at_s=f["at_s"],
        until_s=f["until_s"],
        notes=tuple(f["notes"]),
        score_ids=tuple(ids_of(f)),
        confidence=f["confidence"],
        severity=f["severity"],
        extras=tuple(f["extras"]),
        count=f["count"],
        places=tuple(f["places"]),
        detail=f["detail"],
        cause=f["cause"],
        text=f["text"],
        advice=f["advice"],
    )


def _place(f: dict[str, Any]) -> str:
    return f"Bar {f['bar']}, beat {f['beat']:g}"
