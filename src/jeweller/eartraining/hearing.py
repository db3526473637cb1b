"""What somebody marked beside what was hidden and what the program heard; and how well each facet is heard
over time.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.assessment.finding import FACETS
from jeweller.assessment.messages import FACET_NAMES, kind_name, localized
from jeweller.booth.attempts import sure_findings
from jeweller.booth.own_view import OwnMark
from jeweller.eartraining.hidden import HiddenFault, HiddenTake
from jeweller.i18n import _
from jeweller.phrases import capitalized, name_bars
from jeweller.report_format import ReportFinding, TakeReport

LATELY = 10  # hidden faults of a facet that are "lately"


@dataclass(frozen=True)
class AnswerLine:
    """One thing of an answer: its facet, the bar to listen to, and what is said of it."""

    facet: str
    bar: str
    text: str


@dataclass(frozen=True)
class EarAnswer:
    """What was heard of what was hidden: bar and facet right; the bar alone; neither. `invented` are marks
    where nothing was hidden.
    """

    heard: tuple[HiddenFault, ...]
    bar_only: tuple[HiddenFault, ...]
    missed: tuple[HiddenFault, ...]
    invented: tuple[OwnMark, ...]

    def entry(self) -> dict[str, Any]:
        """What a journal keeps of it."""
        hidden = (*self.heard, *self.bar_only, *self.missed)
        return {
            "of": [f.facet for f in hidden],
            "heard": [f.facet for f in self.heard],
            "invented": [m.facet for m in self.invented],
        }


def answer(faults: Sequence[HiddenFault], marks: Sequence[OwnMark]) -> EarAnswer:
    """Holds marks against what was hidden.

    >>> hidden = [HiddenFault(kind="late", bars=("3",))]
    >>> answer(hidden, [OwnMark("3", "rhythm"), OwnMark("5")]).entry()
    {'of': ['rhythm'], 'heard': ['rhythm'], 'invented': ['']}
    """
    heard: list[HiddenFault] = []
    bar_only: list[HiddenFault] = []
    missed: list[HiddenFault] = []
    for f in faults:
        there = [m for m in marks if m.bar in f.bars]
        (heard if any(m.facet == f.facet for m in there) else bar_only if there else missed).append(f)
    bars = {b for f in faults for b in f.bars}
    invented = tuple(m for m in marks if m.bar not in bars)
    return EarAnswer(tuple(heard), tuple(bar_only), tuple(missed), invented)


def answer_lines(take: HiddenTake, marks: Sequence[OwnMark] | None) -> list[AnswerLine]:
    """The answer, thing by thing: what was hidden, whether it was heard (of `marks` None nothing is said),
    what the program says of it; then what was marked, or said by the program, where nothing was hidden.
    """
    held = answer(take.faults, marks or ())
    findings = sure_findings(take.report)
    out = []
    for f in take.faults:
        if marks is None:
            mine = ""
        elif f in held.heard:
            mine = _("You heard it.")
        elif f in held.bar_only:
            mine = _("You heard something there.")
        else:
            mine = _("You did not mark it.")
        found = _finding_of(f, findings) or _finding_of(f, take.report["findings"])
        if found is None:
            its = _("The program did not hear it.")
        else:
            told = _("The program: {text}") if found in findings else _("The program is not sure: {text}")
            its = told.format(text=localized(found)["text"])
        where = _("{bars}: {kind}.").format(bars=name_bars(f.bars[:4]), kind=kind_name(f.kind))
        text = " ".join(t for t in (capitalized(where), mine, its) if t)
        out.append(AnswerLine(f.facet, f.bars[0], text))
    for m in held.invented:
        text = _("Bar {bar}: you marked it, and nothing was hidden there.").format(bar=m.bar)
        out.append(AnswerLine(m.facet, m.bar, text))
    bars = {b for f in take.faults for b in f.bars}
    for found in findings:
        if found["bar"] not in bars and not bars & set(found["places"]):
            text = _("The program, where nothing was hidden: {text}").format(text=localized(found)["text"])
            out.append(AnswerLine(found["facet"], found["bar"], text))
    return out


def _finding_of(fault: HiddenFault, findings: Sequence[ReportFinding]) -> ReportFinding | None:
    """What the program says of a fault: of the same facet, else of its bar."""
    near = [f for f in findings if {f["bar"], *f["places"]} & set(fault.bars)]
    return next((f for f in near if f["facet"] == fault.facet), near[0] if near else None)


def findings_read(report: TakeReport) -> list[str]:
    """The findings of a take as sentences to be read before it is heard."""
    return [localized(f)["text"] for f in sure_findings(report)]


@dataclass(frozen=True)
class FacetScore:
    """Of one facet: how many hidden faults were heard of how many, lately and before."""

    facet: str
    lately: tuple[int, int]
    before: tuple[int, int]


def scores(entries: Iterable[Mapping[str, Any]]) -> list[FacetScore]:
    """How well each facet was heard, from the entries of a journal, oldest first; facets never hidden are
    left out.

    >>> scores([{"of": ["rhythm", "notes"], "heard": ["notes"]}])[0]
    FacetScore(facet='notes', lately=(1, 1), before=(0, 0))
    """
    tried: dict[str, list[bool]] = {}
    for entry in entries:
        heard = [str(f) for f in entry.get("heard", ())]
        for facet in map(str, entry.get("of", ())):
            right = facet in heard
            if right:
                heard.remove(facet)
            tried.setdefault(facet, []).append(right)

    def of(some: Sequence[bool]) -> tuple[int, int]:
        return sum(some), len(some)

    return [FacetScore(f, of(tried[f][-LATELY:]), of(tried[f][:-LATELY])) for f in FACETS if f in tried]


def score_words(score: FacetScore) -> str:
    """
    >>> score_words(FacetScore("rhythm", (7, 10), (4, 10)))
    'Rhythm: 7 of the last 10 heard, before 4 of 10.'
    """
    values = {
        "facet": _(FACET_NAMES[score.facet]),
        "heard": score.lately[0],
        "of": score.lately[1],
        "then": score.before[0],
        "of_then": score.before[1],
    }
    if score.before[1]:
        return _("{facet}: {heard} of the last {of} heard, before {then} of {of_then}.").format(**values)
    return _("{facet}: {heard} of {of} heard.").format(**values)
