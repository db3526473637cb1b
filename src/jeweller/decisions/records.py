"""The teacher's decisions over findings: dismissed, restored, changed in kind, added. They hang on stable
keys and survive a new check.

A `Decisions` is immutable; every act gives a new one, so undo and redo are a list of them.
"""

from __future__ import annotations

import dataclasses
import json
import os
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any

from jeweller.assessment.finding import FACET_OF, Finding
from jeweller.assessment.messages import kind_name
from jeweller.errors import JewellerError
from jeweller.files import parse_json, write_bytes
from jeweller.i18n import _
from jeweller.serialization import from_plain

SCHEMA = "jeweller.decisions/1"


class DecisionAct(StrEnum):
    """What a teacher can do with a finding."""

    DISMISS = "dismiss"
    KEEP = "keep"
    CHANGE = "change"


@dataclass(frozen=True)
class Decision:
    """One decision over the finding `key`; a change is to `kind`, `note` is the teacher's reason. Raises
    ValueError for an act or a kind that there is not.
    """

    key: str
    act: DecisionAct
    kind: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "act", DecisionAct(self.act))
        if self.kind and self.kind not in FACET_OF:
            raise ValueError(_("an unknown kind of finding, {kind}").format(kind=self.kind))
        if self.act == DecisionAct.CHANGE and not self.kind:
            raise ValueError(_("a change to no kind"))


@dataclass(frozen=True, kw_only=True)
class Added:
    """A finding the teacher put at a note."""

    kind: str
    note_id: str
    score_id: str
    bar: str
    passing: int
    beat: float
    at_s: float
    until_s: float
    text: str = ""

    def __post_init__(self) -> None:
        if self.kind not in FACET_OF:
            raise ValueError(_("an unknown kind of finding, {kind}").format(kind=self.kind))


@dataclass(frozen=True)
class Decisions:
    decisions: tuple[Decision, ...] = ()
    added: tuple[Added, ...] = ()

    def of(self, key: str) -> Decision | None:
        return next((d for d in self.decisions if d.key == key), None)

    def decide(self, decision: Decision) -> Decisions:
        """With this decision in the place of an earlier one over the same finding."""
        return dataclasses.replace(
            self, decisions=(*(d for d in self.decisions if d.key != decision.key), decision)
        )

    def restore(self, key: str) -> Decisions:
        """Without any decision over `key`; an added finding of that key is taken away."""
        return Decisions(
            tuple(d for d in self.decisions if d.key != key),
            tuple(a for a in self.added if added_finding(a).key != key),
        )

    def add(self, added: Added) -> Decisions:
        key = added_finding(added).key
        return dataclasses.replace(
            self, added=(*(a for a in self.added if added_finding(a).key != key), added)
        )


def added_finding(a: Added) -> Finding:
    text = a.text or _("Bar {bar}, beat {beat:g}: {kind} (teacher).").format(
        bar=a.bar, beat=a.beat, kind=kind_name(a.kind)
    )
    return Finding(
        kind=a.kind,
        bar=a.bar,
        passing=a.passing,
        beat=a.beat,
        at_s=a.at_s,
        until_s=a.until_s,
        notes=(a.note_id,),
        score_ids=(a.score_id,),
        confidence=1.0,
        severity=0.5,
        detail={"by": "teacher"},
        text=text,
        advice=_("Listen to this place once more, slowly."),
    )


def decisions_path(take: str | os.PathLike[str], score: str | os.PathLike[str]) -> Path:
    """Where the decisions over a take of a score are kept: beside the take."""
    return Path(take).with_name(f"{Path(take).name}.{Path(score).stem}.decisions.json")


def save(decisions: Decisions, path: Path) -> None:
    """Writes to a temporary name, then renames: a power cut leaves the old file or the new one."""
    data = {
        "schema": SCHEMA,
        "decisions": [dataclasses.asdict(d) for d in decisions.decisions],
        "added": [dataclasses.asdict(a) for a in decisions.added],
    }
    write_bytes(
        path,
        json.dumps(data, indent=1, ensure_ascii=False).encode("utf-8"),
        _(" The decisions are kept while the window is open."),
    )


def load(path: Path) -> Decisions:
    """The decisions at `path`, none where there is no file. Raises JewellerError where it cannot be read."""
    if not path.exists():
        return Decisions()
    try:
        data: Any = parse_json(path.read_text(encoding="utf-8"))
        if not isinstance(data, dict) or data.get("schema") != SCHEMA:
            raise ValueError(_("it is no file of decisions"))
        for name, kind in (("decisions", Decision), ("added", Added)):
            known = {f.name for f in dataclasses.fields(kind)}
            if any(row.keys() - known for row in data[name]):  # a newer version's: nothing of it is lost
                raise ValueError(_("it says more than is known here"))
        return from_plain(Decisions, {name: data[name] for name in ("decisions", "added")})
    except (OSError, ValueError, KeyError, TypeError, AttributeError, OverflowError) as error:
        ours = str(error) if type(error) is ValueError else getattr(error, "strerror", "")
        raise JewellerError(
            _(
                "The decisions in {name} cannot be read ({error}); the file was left as it is and "
                "is not used."
            ).format(name=path.name, error=ours or _("it is damaged"))
        ) from error
