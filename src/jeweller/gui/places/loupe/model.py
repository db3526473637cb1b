"""What the loupe computes without a widget: the part engraved so that it fits."""

from __future__ import annotations

from collections.abc import Sequence

from jeweller.documents.engraving import Engraving, engrave
from jeweller.notation.model import Part

LEAST_UNITS = 600.0  # page units: no narrower page is engraved


def page_units(width: int, zoom: float) -> float:
    """The width of a page, in page units, for a width in pixels; in steps, so that a small change of it
    changes nothing.

    >>> page_units(900, 0.62), page_units(905, 0.62)
    (1460.0, 1460.0)
    """
    return max(LEAST_UNITS, round(width / zoom / 20) * 20.0)


def engrave_to_fit(part: Part, width: int, height: int, zooms: Sequence[float]) -> tuple[float, Engraving]:
    """(zoom, engraving) of the largest of some zooms at which a part lies whole on a page of so many pixels;
    the smallest where it does at none.
    """
    for zoom in sorted(zooms, reverse=True):
        engraving = engrave(part, page_units(width, zoom))
        if engraving.height * width / engraving.width <= height:
            break
    return zoom, engraving
