"""What a teacher did with a take, as a row of acts that only grows, and what stands after all of them."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from jeweller.decisions.records import Added, Decision, Decisions, added_finding

WHOLE = ""  # the key of a comment on the take as a whole


class Act(NamedTuple):
    """A row of what a teacher did, without its time."""

    take_id: int
    step: int
    kind: str
    body: dict[str, Any]


@dataclass(frozen=True)
class DecisionState:
    """What stands: decisions over findings, comments by the key of a finding, a mark the teacher typed, how
    far the take is.
    """

    decisions: Decisions = field(default_factory=Decisions)
    comments: dict[str, str] = field(default_factory=dict)
    mark: str = ""
    state: str = ""


def find_undone(acts: Iterable[Act]) -> set[int]:
    """The steps that were taken back and not restored."""
    out: set[int] = set()
    for act in acts:
        if act.kind == "undo":
            out.add(int(act.body["step"]))
        elif act.kind == "redo":
            out.discard(int(act.body["step"]))
    return out


def read_decisions(acts: list[Act]) -> DecisionState:
    """What stands after these acts of one take, in their order."""
    gone = find_undone(acts)
    now = DecisionState()
    for act in acts:
        if act.step not in gone and act.kind not in ("undo", "redo"):
            now = _after(now, act.kind, act.body)
    return now


def _after(now: DecisionState, kind: str, body: dict[str, Any]) -> DecisionState:
    if kind == "decide":
        return dataclasses.replace(now, decisions=now.decisions.decide(Decision(**body)))
    if kind == "restore":
        return dataclasses.replace(now, decisions=now.decisions.restore(body["key"]))
    if kind == "add":
        return dataclasses.replace(now, decisions=now.decisions.add(Added(**body)))
    if kind == "comment":
        comments = {**now.comments, body["key"]: body["text"]}
        return dataclasses.replace(now, comments={k: v for k, v in comments.items() if v})
    if kind == "mark":
        return dataclasses.replace(now, mark=body["text"])
    if kind == "state":
        return dataclasses.replace(now, state=body["state"])
    return now  # of a kind that a newer version knows


def difference(before: Decisions, after: Decisions) -> list[tuple[str, dict[str, Any]]]:
    """The acts (kind, body) that lead from some decisions to others."""
    acts: list[tuple[str, dict[str, Any]]] = []
    kept = {added_finding(a).key for a in after.added}
    acts += [("restore", {"key": d.key}) for d in before.decisions if after.of(d.key) is None]
    acts += [
        ("restore", {"key": added_finding(a).key}) for a in before.added if added_finding(a).key not in kept
    ]
    acts += [("decide", dataclasses.asdict(d)) for d in after.decisions if before.of(d.key) != d]
    acts += [("add", dataclasses.asdict(a)) for a in after.added if a not in before.added]
    return acts
