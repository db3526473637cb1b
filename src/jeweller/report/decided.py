"""A report as the teacher left it: verdicts, marks, good things and traps follow the decisions; what was
measured stays.
"""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import Finding
from jeweller.decisions.records import Decisions
from jeweller.decisions.standing import StandingFinding, apply_decisions
from jeweller.grading.scheme import Scheme, add_up_mark, facet_marks
from jeweller.notation.ids import ids_of
from jeweller.report.build import finding_dict, note_verdicts, wrong_by_facet
from jeweller.report.good import good_things
from jeweller.report.heard import heard_of, share_of
from jeweller.report.traps import answer_alterations
from jeweller.report_format import ReportFinding, ReportNote, TakeReport


def decided_report(
    report: TakeReport, case: AssessmentContext, findings: Sequence[Finding], scheme: Scheme
) -> TakeReport:
    """A copy of `report` for the findings that stand after the teacher's decisions.

    >>> from jeweller.grading.scheme import find_scheme
    >>> cleared = decided_report(checked.report, checked.case, (), find_scheme("even"))
    >>> checked.report["mark"]["value"], cleared["mark"]["value"]
    (14.0, 20.0)
    """
    judged = {n["id"] for n in report["notes"] if n["verdict"] != "not_heard"}
    verdicts = note_verdicts(case, findings, judged)
    notes = []
    for n in report["notes"]:
        verdict, unsure = verdicts[n["id"]]
        new: ReportNote = {**n, "verdict": verdict if n["id"] in judged else n["verdict"]}
        new.pop("unsure", None)
        if unsure:
            new["unsure"] = True
        notes.append(new)
    return {
        **remarked(report, findings, scheme),
        "notes": notes,
        "findings": [finding_dict(x, case) for x in findings],
        "good": good_things(case, findings),
        "traps": answer_alterations(case, verdicts),
    }


def remarked(report: TakeReport, findings: Sequence[Finding], scheme: Scheme) -> TakeReport:
    """A copy of a report with its facets and its mark for other findings.

    >>> from jeweller.grading.scheme import find_scheme
    >>> report = {"facets": {"notes": {"asked": 20}}, "mark": {"bars": 5}, "notes": [], "findings": []}
    >>> remarked(report, [], find_scheme("even"))["mark"]["value"]
    20.0
    """
    asked = {facet: f["asked"] for facet, f in report["facets"].items()}
    bars = report["mark"].get("bars") or len(
        {(n["bar"], n["pass"]) for n in report["notes"] if n["verdict"] != "not_heard"}
    )
    facets = facet_marks(findings, bars, asked, wrong_by_facet(findings), scheme.habit_share)
    return {
        **report,
        "facets": facets,
        "mark": add_up_mark(findings, scheme, bars, asked, share_of(heard_of(report))),
    }


def standing_of(report: TakeReport, decisions: Decisions) -> list[StandingFinding]:
    """Every finding of a stored report as it is after the decisions, then those the teacher added.

    >>> from jeweller.decisions.records import Decisions
    >>> standing_of({"findings": []}, Decisions())
    []
    """
    return apply_decisions((finding_of(f) for f in report["findings"]), decisions)


def finding_of(f: ReportFinding) -> Finding:
    """A finding of a report as the marks are added up from it.

    >>> sorted(finding_of(f).kind for f in checked.report["findings"])
    ['missed_accidental', 'rest_short', 'wrong_note']
    """
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
