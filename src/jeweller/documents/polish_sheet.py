"""The polish list on a page: each thing with its drill engraved, in the order of the minutes."""

from __future__ import annotations

from typing import Any

from jeweller.documents.engraving import engrave
from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.practice.polish import FUN, REST, PolishList

UNITS = 1700.0  # page units of an engraved line


def polish_page(made: PolishList, title: str, player: str, theme: Theme = PRINTED) -> str:
    """The page as HTML that stands alone."""
    things: list[dict[str, Any]] = []
    for k, item in enumerate(made.items):
        drill = item.drill
        things.append(
            {
                "why": item.why,
                "how": item.sentences,
                "drill": f"{drill.title}. {drill.how}" if drill is not None else "",
                "svg": engrave(drill.part, UNITS, rails=False).svg(theme) if drill is not None else "",
                "speed": _("Begin at {bpm:.0f} beats a minute.").format(bpm=item.bpm),
                "minutes": item.minutes,
                "rest": _(REST) if k in made.rests else "",
            }
        )
    return render_page(
        "polish.html",
        theme,
        title=title,
        player=player,
        made=made,
        things=things,
        fun=_(FUN),
    )


def polish_pdf(made: PolishList, title: str, player: str, theme: Theme = PRINTED) -> bytes:
    """The same on paper."""
    return html_to_pdf(polish_page(made, title, player, theme))
