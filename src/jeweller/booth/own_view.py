"""You first: where the player heard it go wrong, before the verdict shows; and how well both agree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from jeweller.assessment.messages import FACET_NAMES, localized
from jeweller.booth.attempts import sure_findings
from jeweller.i18n import _
from jeweller.report_format import TakeReport


@dataclass(frozen=True)
class OwnMark:
    """A bar in which the player heard something go wrong: of which facet ("" not said), and why."""

    bar: str
    facet: str = ""
    why: str = ""


@dataclass(frozen=True)
class OwnView:
    """All that the player marked, and what went well and how it was done."""

    marks: tuple[OwnMark, ...] = ()
    good: str = ""

    def as_dict(self) -> dict[str, Any]:
        return {"marks": [[m.bar, m.facet, m.why] for m in self.marks], "good": self.good}


@dataclass(frozen=True)
class Agreement:
    """Bars that both heard, that only the player heard, that only the check heard; `share`: 0..1, twice the
    bars of both by the bars of either; 1 where both heard nothing.
    """

    both: tuple[str, ...]
    player_only: tuple[str, ...]
    check_only: tuple[str, ...]
    lines: tuple[str, ...] = field(default=())

    @property
    def share(self) -> float:
        of = 2 * len(self.both) + len(self.player_only) + len(self.check_only)
        return 2 * len(self.both) / of if of else 1.0


def agree(view: OwnView, report: TakeReport) -> Agreement:
    """The player's marks beside those of the check."""
    found: dict[str, list[str]] = {}
    for f in sure_findings(report):
        for bar in dict.fromkeys(f["places"] or [f["bar"]]):
            found.setdefault(bar, []).append(localized(f)["text"])
    marked: dict[str, list[OwnMark]] = {}
    for m in view.marks:
        marked.setdefault(m.bar, []).append(m)
    both = tuple(b for b in found if b in marked)
    mine, its = tuple(b for b in marked if b not in found), tuple(b for b in found if b not in marked)
    lines = [_("Bar {bar}: both. {text}").format(bar=b, text=found[b][0]) for b in both]
    lines += [_("Bar {bar}: only the check. {text}").format(bar=b, text=found[b][0]) for b in its]
    for b in mine:
        facet = next((m.facet for m in marked[b] if m.facet), "")
        what = _(FACET_NAMES[facet]) if facet else _("something")
        lines.append(_("Bar {bar}: only you ({what}). Listen there.").format(bar=b, what=what))
    return Agreement(both, mine, its, tuple(lines) or (_("Neither of you heard anything go wrong."),))


def trend(shares: Sequence[tuple[str, float]]) -> str:
    """How well both agreed over the weeks, in a sentence; `shares` are (day, share), oldest first.

    >>> trend([("2026-09-01", 0.2), ("2026-09-08", 0.4), ("2026-09-15", 0.6), ("2026-09-22", 0.8)])
    'Your ear and the check agree more than before: 70 of 100, at first 30.'
    """
    if len(shares) < 4:
        return ""
    half = len(shares) // 2
    parts = shares[:half], shares[half:]
    before, now = (round(100 * sum(s for _d, s in part) / len(part)) for part in parts)
    if now >= before + 5:
        told = _("Your ear and the check agree more than before: {now} of 100, at first {before}.")
    elif now <= before - 5:
        told = _("Your ear and the check agree less than before: {now} of 100, at first {before}.")
    else:
        told = _("Your ear and the check agree as before: {now} of 100.")
    return told.format(now=now, before=before)
