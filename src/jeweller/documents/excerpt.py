"""The system that a finding stands in, with its marks and its bar washed: what one looks at while one
listens, on the bench and in a slip.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from jeweller.documents.annotations import draw_marks
from jeweller.documents.engraving import RAIL_HEIGHT, Engraving
from jeweller.documents.mark_canvas import View
from jeweller.documents.theme import Theme
from jeweller.notation.performance import PerformedPart
from jeweller.report_format import ReportFinding, TakeReport

ABOVE, BELOW = 36.0, 28.0  # page units above the highest ink, and below the rail


@dataclass(frozen=True)
class Excerpt:
    """One system as an SVG document, and its height in page units."""

    svg: str
    height: float


def excerpt(
    engraving: Engraving,
    line: PerformedPart,
    report: TakeReport,
    theme: Theme,
    findings: Sequence[ReportFinding],
    key: str | None,
) -> Excerpt:
    """The system of the finding `key` among `findings` (None: the first system, nothing washed), all of which
    are marked on it.
    """
    finding = next((f for f in findings if f["key"] == key), None)
    bar = next(
        (
            b
            for b in engraving.bars
            if finding is not None and line.part.bars[b.index].number == finding["bar"]
        ),
        engraving.bars[0],
    )
    overlay = draw_marks(engraving, line, report, theme, View(chosen=key, system=bar.system), findings)
    system = engraving.systems[bar.system]
    top = max(0.0, system.highest - ABOVE)
    height = system.rail + RAIL_HEIGHT + BELOW - top
    place = f'x="{bar.left:.0f}" y="{top:.0f}" width="{bar.right - bar.left:.0f}" height="{height:.0f}"'
    wash = f'<rect {place} fill="{theme.wash}"/>' if finding is not None else ""
    return Excerpt(
        engraving.svg(
            theme, overlay.svg, under=wash + overlay.under, top=top, height=height, system=bar.system
        ),
        height,
    )
