"""What was right and worth saying, and the answers to the part's traps. Only what is true and was asked."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from jeweller.assessment.context import AssessmentContext
from jeweller.assessment.finding import SKIPPED_KINDS, Finding, is_sure
from jeweller.i18n import _
from jeweller.phrases import joined_notes
from jeweller.report_format import GoodThing

EVEN_SPREAD = 0.10  # runs with a spread below this are worth a word
STEADY_CV = 0.05


def good_things(case: AssessmentContext, findings: Sequence[Finding]) -> list[GoodThing]:
    """Up to four things worth saying, of what was asked and was right.

    >>> good_things(checked.case, checked.findings)[0]["what"]
    'played through from the first bar to the last'
    """
    f = case.table
    sure = [x for x in findings if is_sure(x.confidence)]
    kinds = {x.kind for x in sure}
    facets = {x.facet for x in sure}
    notes = [case.notes[i] for i in range(f.first, f.last + 1)]
    out: list[GoodThing] = []
    if f.first == 0 and not f.ended_early and not f.jumps:
        out.append({"what": _("played through from the first bar to the last"), "places": []})
    if not facets & {"notes", "accidentals"} and not kinds & SKIPPED_KINDS and len(notes) >= 6:
        whole = f.first == 0 and not f.ended_early
        words = _("every note was right, all {n}") if whole else _("every note that was heard was right, {n}")
        out.append({"what": words.format(n=len(notes)), "places": []})
    altered = [n for n in notes if n.written.pitch is not None and n.written.pitch.alter]
    if "accidentals" not in facets and altered:
        letters = list(dict.fromkeys(n.written.pitch.letter for n in altered if n.written.pitch))
        out.append(
            {
                "what": _("{letters} remembered every time").format(letters=joined_notes(letters[:3])),
                "places": [],
            }
        )
    rests = [r for r in f.line.rests if notes and notes[0].onset <= r.onset < notes[-1].onset]
    if "count" not in facets and rests:
        out.append(
            {
                "what": _("all {n} rests counted").format(n=len(rests))
                if len(rests) > 2
                else _("both rests counted")
                if len(rests) == 2
                else _("the rest was counted"),
                "places": sorted({r.bar for r in rests})[:8],
            }
        )
    spread = run_spread(case)
    if spread is not None and spread < EVEN_SPREAD and "uneven" not in kinds:
        out.append(
            {
                "what": _("even short notes all the way (spread {value:.0f} %)").format(value=100 * spread),
                "places": [],
            }
        )
    logs = np.log(np.array(f.seconds_per_quarter[f.first : f.last + 1]))
    if len(logs) >= 8 and float(np.std(logs)) < STEADY_CV and not kinds & {"rushing", "dragging"}:
        bpm = 60 / f.take_spq / float(f.line.beat)
        out.append({"what": _("tempo steady at {value:.0f}").format(value=bpm), "places": []})
    if f.line.bars[0].bar.implicit and f.first == 0 and not {"early", "late"} & kinds:
        out.append({"what": _("the pickup came in right"), "places": [f.line.bars[0].number]})
    return out[:4]


def run_spread(case: AssessmentContext) -> float | None:
    """Spread (standard deviation of log lengths) of neighbouring equal short notes; None where there are
    fewer than six.

    >>> run_spread(checked.case) is None
    True
    """
    intervals = [
        v
        for v in case.intervals
        if v.quarters <= 0.5 * case.beat_q + 1e-6 and v.rest_quarters == 0 and v.j == v.i + 1
    ]
    ratios = [
        math.log(a.seconds / b.seconds)
        for a, b in zip(intervals, intervals[1:], strict=False)
        if a.j == b.i and a.quarters == b.quarters
    ]
    return float(np.std(ratios)) / math.sqrt(2.0) if len(ratios) >= 6 else None
