"""The care lists of an instrument on one page, with what to mind."""

from __future__ import annotations

from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.theme import PRINTED, Theme
from jeweller.i18n import _
from jeweller.instruments.care import LISTS, CareTable
from jeweller.instruments.table import Instrument


def care_page(care: CareTable, instrument: Instrument, theme: Theme = PRINTED) -> str:
    """The page as HTML that stands alone."""
    named = [(_(words), care.list_for(instrument, name)) for name, words in LISTS.items()]
    places = ("tone", "range", "buzz", "breath", "booth", "lists")
    cautions = [text for where in places for text in care.cautions_for(instrument, where)]
    return render_page(
        "care.html",
        theme,
        title=instrument.said,
        lists=[(words, rows) for words, rows in named if rows],
        cautions=cautions,
    )


def care_pdf(care: CareTable, instrument: Instrument, theme: Theme = PRINTED) -> bytes:
    """The same on paper."""
    return html_to_pdf(care_page(care, instrument, theme))
