"""A week of practice on a page, with a line for a signature."""

from __future__ import annotations

from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.practice.log import LogWeek
from jeweller.practice.log_words import day_name, rule_words, week_words


def week_page(week: LogWeek, player: str, theme: Theme = PRINTED) -> str:
    """The page as HTML that stands alone."""
    first, last = (week.days[k].date.isoformat() for k in (0, -1))
    days = [
        {
            "name": day_name(d.date),
            "minutes": d.minutes or "",
            "notes": " ".join(e.note for e in d.entries if e.note),
            "well": " ".join(t for e in d.entries for t in (e.well, e.did) if t),
        }
        for d in week.days
    ]
    return render_page(
        "week.html",
        theme,
        title=_("Practised from {first} to {last}").format(first=first, last=last),
        player=player,
        rule=rule_words(week.rule),
        days=days,
        told=week_words(week),
    )


def week_pdf(week: LogWeek, player: str, theme: Theme = PRINTED) -> bytes:
    """The same on paper."""
    return html_to_pdf(week_page(week, player, theme))
