"""What stands of a check after the teacher's decisions: the one place that says it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from jeweller.assessment.finding import UNMARKED, Finding, is_sure
from jeweller.assessment.messages import kind_name
from jeweller.assessment.sentence import describe_place
from jeweller.decisions.records import Decision, DecisionAct, Decisions, added_finding
from jeweller.i18n import _


class FindingState(StrEnum):
    """What a teacher did with a finding."""

    OPEN = "open"
    KEPT = "kept"
    DISMISSED = "dismissed"
    CHANGED = "changed"
    ADDED = "added"


STATE_AFTER = {
    DecisionAct.DISMISS: FindingState.DISMISSED,
    DecisionAct.KEEP: FindingState.KEPT,
    DecisionAct.CHANGE: FindingState.CHANGED,
}


@dataclass(frozen=True)
class StandingFinding:
    """A finding as it is after the decisions over it; `key` is the one the check gave it."""

    key: str
    finding: Finding
    state: FindingState = FindingState.OPEN

    @property
    def stands(self) -> bool:
        """Whether it is still said."""
        return self.state != FindingState.DISMISSED

    @property
    def counts(self) -> bool:
        """Whether it is said surely and counts for the mark: such findings are numbered."""
        return self.stands and is_sure(self.finding.confidence) and self.finding.kind not in UNMARKED


def apply_decisions(findings: Iterable[Finding], decisions: Decisions) -> list[StandingFinding]:
    """Every finding of a check as it is after the decisions, in its order, then those the teacher added.

    A kept one is sure, a changed one has its new kind, no cause, and says so; a dismissed one no longer
    stands.
    """
    rows = [_decided(f, decisions.of(f.key)) for f in findings]
    added = (added_finding(a) for a in decisions.added)
    return rows + [StandingFinding(f.key, f, FindingState.ADDED) for f in added]


def _decided(finding: Finding, decision: Decision | None) -> StandingFinding:
    if decision is None:
        return StandingFinding(finding.key, finding)
    changed = finding
    if decision.act == DecisionAct.CHANGE:
        place = describe_place(finding)
        text = _("{place}: {new} (changed by the teacher from {old}).").format(
            place=place[0].upper() + place[1:], new=kind_name(decision.kind), old=kind_name(finding.kind)
        )
        changed = finding.replace(kind=decision.kind, confidence=1.0, cause=None, text=text)
    elif decision.act == DecisionAct.KEEP:
        changed = finding.replace(confidence=1.0)
    return StandingFinding(finding.key, changed, STATE_AFTER[decision.act])
