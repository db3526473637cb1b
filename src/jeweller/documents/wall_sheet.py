"""The scale wall on a page."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.phrases import note_name
from jeweller.practice.wall import FORMS, Slot, Stone
from jeweller.practice.wall_words import CHECK_SIGN, EAR_SIGN, LOOSE_SIGN, stone_sign


def wall_page(keys: Sequence[str], stones: Mapping[Slot, Stone], player: str, theme: Theme = PRINTED) -> str:
    """The wall of one player as HTML that stands alone."""
    heads = [_(words) for words, _request in FORMS.values()]
    rows = [(note_name(k), [stone_sign(stones.get(Slot(k, f))) for f in FORMS]) for k in keys]
    return _page(player, heads, rows, theme)


def class_wall_page(
    keys: Sequence[str],
    rows: Sequence[tuple[str, Mapping[Slot, Stone]]],
    form: str,
    theme: Theme = PRINTED,
) -> str:
    """What stands in one form for each of a class, by name."""
    signs = [(name, [stone_sign(stones.get(Slot(k, form))) for k in keys]) for name, stones in rows]
    return _page(_(FORMS[form][0]), [note_name(k) for k in keys], signs, theme)


def _page(below: str, heads: list[str], rows: list[tuple[str, list[str]]], theme: Theme) -> str:
    return render_page(
        "wall.html",
        theme,
        title=_("The scale wall"),
        player=below,
        heads=heads,
        rows=rows,
        told=_("{check} by a check, {ear} by the teacher's ear, {loose} to be set again.").format(
            check=CHECK_SIGN, ear=EAR_SIGN, loose=LOOSE_SIGN
        ),
    )


def wall_pdf(keys: Sequence[str], stones: Mapping[Slot, Stone], player: str, theme: Theme = PRINTED) -> bytes:
    """The wall of one player on paper."""
    return html_to_pdf(wall_page(keys, stones, player, theme))


def class_wall_pdf(
    keys: Sequence[str],
    rows: Sequence[tuple[str, Mapping[Slot, Stone]]],
    form: str,
    theme: Theme = PRINTED,
) -> bytes:
    """That of a class on paper."""
    return html_to_pdf(class_wall_page(keys, rows, form, theme))
