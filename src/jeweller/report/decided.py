"""A report as the teacher left it: verdicts, marks, good things and traps follow the decisions; what was measured stays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from jeweller.judge.case import Case
from jeweller.judge.finding import Finding
from jeweller.mark.scheme import Scheme, add_up, facet_marks
from jeweller.report.build import asked_and_wrong, finding_dict, note_verdicts
from jeweller.report.good import good_things, trap_answers


def decided_report(report: dict[str, Any], case: Case, findings: Sequence[Finding], scheme: Scheme) -> dict[str, Any]:
    """A copy of `report` for the findings that stand after the teacher's decisions."""
    judged = {n["id"] for n in report["notes"] if n["verdict"] != "not_heard"}
    verdicts = note_verdicts(case, findings, judged)
    notes = []
    for n in report["notes"]:
        verdict, unsure = verdicts[n["id"]]
        new = {k: v for k, v in n.items() if k != "unsure"} | {"verdict": verdict if n["id"] in judged else n["verdict"]}
        if unsure:
            new["unsure"] = True
        notes.append(new)
    asked, wrong = asked_and_wrong(case, findings)
    f = case.following
    played = len({case.notes[i].bar_index for i in range(f.first, f.last + 1)})
    return {**report, "notes": notes, "findings": [finding_dict(x, case) for x in findings], "good": good_things(case, findings),
            "traps": trap_answers(case, verdicts), "facets": facet_marks(findings, played, asked, wrong),
            "mark": add_up(findings, scheme, played, asked)}  # fmt: skip
