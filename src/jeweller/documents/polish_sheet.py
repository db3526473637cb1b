"""The polish list on a page: each thing with its drill engraved, in the order of the minutes."""

from __future__ import annotations

from typing import Any

from jeweller.documents.drill_picture import draw_drill
from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.sound_clips import part_clip, sound_address
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.practice.polish import FUN, REST, WHOLE, PolishItem, PolishList

UNITS = 1700.0  # page units of an engraved line


def polish_page(
    made: PolishList, title: str, player: str, theme: Theme = PRINTED, *, sounds: bool = False
) -> str:
    """The page as HTML that stands alone; with `sounds` each drill can be heard in it."""
    things: list[dict[str, Any]] = []
    for k, item in enumerate(made.items):
        drill = item.drill
        things.append(
            {
                "why": item.why,
                "how": item.sentences,
                "drill": f"{drill.title}. {drill.how}" if drill is not None else "",
                "svg": draw_drill(drill, made.instrument, UNITS).svg(theme) if drill is not None else "",
                "speed": _("Begin at {bpm:.0f} beats a minute.").format(bpm=item.bpm),
                "minutes": item.minutes,
                "sound": _sound(item) if sounds else "",
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
        whole=_(WHOLE),
    )


def _sound(item: PolishItem) -> str:
    if item.drill is None:
        return ""
    beat = float(item.drill.part.bars[0].metre.beat)
    return sound_address(part_clip(item.drill.part, item.bpm * beat))


def polish_html(made: PolishList, title: str, player: str, theme: Theme = PRINTED) -> bytes:
    """A page for a screen, on which each drill can be heard."""
    return polish_page(made, title, player, theme, sounds=True).encode("utf-8")


def polish_pdf(made: PolishList, title: str, player: str, theme: Theme = PRINTED) -> bytes:
    """The same on paper."""
    return html_to_pdf(polish_page(made, title, player, theme))
