"""A slip for a player: what was good, the two or three things to polish with their bars engraved and
sounding, how to practise them, what comes next.

Everything is said to the player: what to do first, what was heard after it. The mark is left out where the
teacher prefers. Nothing is loaded from elsewhere: pictures, fonts and sounds stand in the page itself.
"""

from __future__ import annotations

import dataclasses
import textwrap
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jeweller.assessment.messages import FACET_NAMES, localized
from jeweller.documents.engraving import engrave
from jeweller.documents.excerpt import excerpt
from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.plain_text import fingers_shown, good_sentence
from jeweller.documents.theme import PRINTED, Theme, shape_svg
from jeweller.i18n import N_, _
from jeweller.notation.performance import PerformedPart
from jeweller.phrases import name_bars, note_name
from jeweller.report.advice import choose_faults, plan_practice, praise
from jeweller.report.heard import heard_of, heard_sentence
from jeweller.report.localized import localized_report
from jeweller.report_format import ReportFinding, TakeReport

POLISHED = 3  # things to polish on one slip
SNIPPET_UNITS = 1250.0  # page units of an engraved line: a staff is 6 mm high in print


@dataclass(frozen=True)
class FeedbackSettings:
    """How slips are written: with the mark or without, one or two to a printed page, the words they begin and
    end with ({name}, {piece}).
    """

    with_mark: bool = True
    per_page: int = 1
    greeting: str = N_("{name}, this is what I heard in “{piece}”.")
    closing: str = ""


@dataclass(frozen=True)
class Clip:
    """What one bar sounded like and how it should go: compressed sound for a browser, each as a data address;
    "" where there is none.
    """

    played: str = ""
    model: str = ""


@dataclass(frozen=True, kw_only=True)
class FeedbackSheet:
    """One player's slip, as it is written."""

    player: str
    title: str
    part: str
    report: TakeReport
    line: PerformedPart
    findings: tuple[ReportFinding, ...]  # as they stand, most important first
    comment: str = ""
    comments: Mapping[str, str] = field(default_factory=dict)  # by the key of a finding
    mark: str = ""  # as it is told; "" where it is not
    clips: Mapping[str, Clip] = field(default_factory=dict)  # by the key of a finding
    asked: tuple[
        str, ...
    ] = ()  # the traps that were chosen, answered; else the altered notes of the report are


def choose_findings(slip: FeedbackSheet, most: int = POLISHED) -> list[ReportFinding]:
    """The two or three things to work at: sure findings that stand, most important first."""
    return choose_faults(slip.findings)[:most]


def format_advice(slip: FeedbackSheet) -> str:
    """How to practise: a speed to begin with, steps, minutes."""
    plan = plan_practice(slip.report, len(choose_findings(slip)))
    return plan.in_steps() if plan is not None else praise(slip.report)


def criteria(slip: FeedbackSheet) -> list[str]:
    """What was asked for, and how often it was right."""
    return list(slip.asked) or [
        _("{what}: {right} of {total}").format(what=note_name(t["what"]), right=t["right"], total=t["total"])
        for t in slip.report["traps"]
        if t["total"]
    ]


def next_step(slip: FeedbackSheet) -> str:
    """What comes after this."""
    things = choose_findings(slip)
    if not things:
        whole = heard_of(slip.report)["whole"]
        return _("The next line may come.") if whole else _("Record it again, all of it.")
    first = things[0]
    places = first["places"] if first["count"] > 1 and first["places"] else [first["bar"]]
    return _("Record it again when {bars} went right three times in a row.").format(bars=name_bars(places))


def render_feedback_html(
    slips: Sequence[FeedbackSheet], settings: FeedbackSettings, *, theme: Theme = PRINTED
) -> str:
    """All slips as one HTML page that stands alone; in print each begins a new page, or every second one
    does.
    """
    pages = [_shown(_worded(slip), settings, theme) for slip in slips]
    return render_page(
        "slip.html",
        theme,
        slips=pages,
        per_page=settings.per_page,
    )


def render_feedback_pdf(
    slips: Sequence[FeedbackSheet], settings: FeedbackSettings, *, theme: Theme = PRINTED
) -> bytes:
    """The same on paper."""
    return html_to_pdf(render_feedback_html(slips, settings, theme=theme))


def format_feedback_text(
    slip: FeedbackSheet, settings: FeedbackSettings, width: int = 76, *, theme: Theme = PRINTED
) -> str:
    """One slip as plain text, for mail."""
    slip = _worded(slip)
    out = [f"{slip.title} · {slip.part}", ""]
    paragraphs = [_greeted(_(settings.greeting), slip), heard_sentence(heard_of(slip.report))]
    good = good_sentence(slip.report)
    if good:
        paragraphs.append(_("Good: {good}").format(good=good))
    for k, f in enumerate(choose_findings(slip), 1):
        paragraphs.append(
            " ".join(filter(None, (f"{k}. {f['advice']} ({f['text']})", slip.comments.get(f["key"], ""))))
        )
    paragraphs += [
        format_advice(slip),
        *([_("Asked for: {criteria}.").format(criteria="; ".join(criteria(slip)))] if criteria(slip) else []),
        slip.comment,
        next_step(slip),
        f"{slip.mark}." if settings.with_mark and slip.mark else "",
        _greeted(settings.closing, slip),
    ]
    for paragraph in filter(None, paragraphs):
        out += [*textwrap.wrap(paragraph, width), ""]
    return "\n".join(out)


def _worded(slip: FeedbackSheet) -> FeedbackSheet:
    return dataclasses.replace(
        slip,
        report=localized_report(slip.report),
        findings=tuple(map(localized, slip.findings)),
    )


def _greeted(words: str, slip: FeedbackSheet) -> str:
    return words.replace("{name}", slip.player).replace("{piece}", slip.title)


def _shown(slip: FeedbackSheet, settings: FeedbackSettings, theme: Theme) -> dict[str, Any]:
    things = []
    engraving = engrave(slip.line.part, SNIPPET_UNITS)
    chosen = choose_findings(slip, POLISHED if settings.per_page == 1 else POLISHED - 1)
    for k, f in enumerate(chosen, 1):
        colour = theme.facets[f["facet"]]
        icon = (
            '<svg viewBox="-12 -12 24 24" width="16" '
            f'height="16">{shape_svg(f["facet"], 0, 0, 19, colour)}</svg>'
        )
        clip = slip.clips.get(f["key"], Clip())
        things.append(
            {
                "number": k,
                "colour": colour,
                "icon": icon,
                "facet": _(FACET_NAMES[f["facet"]]),
                "bar": f["bar"],
                "advice": f["advice"],
                "text": f["text"],
                "fingers": fingers_shown(f),
                "comment": slip.comments.get(f["key"], ""),
                "svg": excerpt(engraving, slip.line, slip.report, theme, chosen, f["key"]).svg,
                "played": clip.played,
                "model": clip.model,
            }
        )
    return {
        "player": slip.player,
        "title": slip.title,
        "part": slip.part,
        "greeting": _greeted(_(settings.greeting), slip),
        "heard": heard_sentence(heard_of(slip.report)),
        "good": good_sentence(slip.report),
        "things": things,
        "how": format_advice(slip),
        "criteria": criteria(slip),
        "comment": slip.comment,
        "next": next_step(slip),
        "mark": slip.mark if settings.with_mark else "",
        "closing": _greeted(settings.closing, slip),
    }
