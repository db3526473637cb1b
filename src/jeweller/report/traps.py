"""The answers to what could trip a player: how often each was right, by a report or by the verdicts it is
made of.
"""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import is_sure
from jeweller.difficulty.trap import Trap
from jeweller.notation.ids import ids_of
from jeweller.notation.performance import PerformedPart
from jeweller.report_format import ReportTrap, TakeReport


def answer_traps(
    traps: Sequence[Trap], report: TakeReport, line: PerformedPart | None = None
) -> list[tuple[Trap, int, int]]:
    """(trap, notes right, notes played) for each trap that lies on notes, by a report's verdicts and
    findings; with the line rests are answered too.

    >>> answer_traps([], {"notes": [], "findings": []})
    []
    """
    verdicts: dict[str, list[bool]] = {}
    for n in report["notes"]:
        verdicts.setdefault(n["score_id"], []).append(n["verdict"] == "ok")
    printed = {n["id"]: n["score_id"] for n in report["notes"]}
    faulty = {
        printed[i] for f in report["findings"] if is_sure(f["confidence"]) for i in f["notes"] if i in printed
    }
    out = []
    rests = _rests(report, line) if line is not None else {}
    for trap in traps:
        if trap.kind == "rest":
            played = [right for note in trap.notes for right in rests.get(note, ())]
        else:
            played = [right and note not in faulty for note in trap.notes for right in verdicts.get(note, ())]
        if played:
            out.append((trap, sum(played), len(played)))
    return out


def _rests(report: TakeReport, line: PerformedPart) -> dict[str, list[bool]]:
    """By the id of a printed rest, for each time it was come to, whether nothing was found in it."""
    reached = {n["id"] for n in report["notes"] if n["verdict"] != "not_heard"}
    miscounted = {(i, f["pass"]) for f in report["findings"] if is_sure(f["confidence"]) for i in ids_of(f)}
    out: dict[str, list[bool]] = {}
    for rest in line.rests:
        before = next((n for n in reversed(line.main_notes) if n.onset < rest.onset), None)
        after = next((n for n in line.main_notes if n.onset > rest.onset), None)
        if before is not None and after is not None and {before.id, after.id} <= reached:
            out.setdefault(rest.score_id, []).append((rest.score_id, rest.passing) not in miscounted)
    return out


def answer_alterations(case: AssessmentContext, verdicts: dict[str, tuple[str, bool]]) -> list[ReportTrap]:
    """The altered notes one by one: "E♭: 4 of 6".

    >>> from jeweller.report.build import note_verdicts
    >>> traps = answer_alterations(checked.case, note_verdicts(checked.case, checked.findings))
    >>> [(trap["what"], trap["right"], trap["total"]) for trap in traps]
    [('B♭', 3, 3), ('E♭', 1, 3)]
    """
    groups: dict[str, list[str]] = {}
    for note in case.notes:
        if note.written.pitch is not None and (
            note.written.pitch.alter or note.written.accidental == "natural"
        ):
            letter = note.written.pitch.letter if note.written.pitch.alter else f"{note.written.pitch.step}♮"
            if verdicts[note.id][0] != "not_heard":
                groups.setdefault(letter, []).append(note.id)
    return [
        {
            "kind": "accidental",
            "bar": None,
            "what": letter,
            "total": len(ids),
            "right": sum(verdicts[i][0] == "ok" for i in ids),
        }
        for letter, ids in groups.items()
    ]
