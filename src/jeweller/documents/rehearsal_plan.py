"""The rehearsal plan on one page: the places in order, with minutes, the drill for each, and for whom."""

from __future__ import annotations

from jeweller.documents.page import html_to_pdf, render_page
from jeweller.documents.theme import PRINTED, Theme
from jeweller.library.class_view import ClassView


def plan_page(view: ClassView, theme: Theme = PRINTED) -> str:
    """The page as HTML that stands alone."""
    return render_page(
        "plan.html",
        theme,
        view=view,
        minutes=sum(i.minutes for i in view.plan),
    )


def plan_pdf(view: ClassView, theme: Theme = PRINTED) -> bytes:
    """The same on paper."""
    return html_to_pdf(plan_page(view, theme))
