"""What the loupe has to do with no widget: what is open in it, as what it is saved, and the part
engraved so that it fits."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from jeweller.documents.engraving import Engraving, engrave
from jeweller.i18n import N_

if TYPE_CHECKING:
    from jeweller.notation.model import Part, Score
    from jeweller.pipeline.check import Options
    from jeweller.pipeline.review import DecisionStore


# kind, words, ending
DOCUMENTS = (
    ("pdf", "PDF", ".pdf"),
    ("png", N_("Picture (PNG)"), ".png"),
    ("html", N_("Page for a browser (HTML)"), ".html"),
    ("midi", N_("Notes heard (MIDI)"), ".mid"),
    ("musicxml", N_("Score with the findings (MusicXML)"), ".musicxml"),
)


@dataclass(frozen=True, kw_only=True)
class OpenPair:
    """A score and a recording of it: what is open, or is to be once it is checked. `options` say how it is
    checked; decisions are kept in `store`, beside the take where it is None.
    """

    score: str = ""
    take: str = ""
    part: str = ""
    player: str = ""
    parts: tuple[str, ...] = ()
    options: Options | None = None
    store: DecisionStore | None = None


def choose_pair_part(pair: OpenPair, score: Score) -> OpenPair:
    """The pair with the parts there are in its score, and the one of them that is meant: by what was asked
    for, else by the name of the recording, else the first that has notes.
    """
    names = tuple(p.name for p in score.parts)
    asked, stem = pair.part.casefold(), Path(pair.take).stem.casefold()
    chosen = next((n for n in names if asked and asked in n.casefold()), "")
    if not chosen and pair.take:
        chosen = next((n for n in names if n.split(" ")[0].casefold() in stem), "")
    first = next((p.name for p in score.parts if p.note_count), names[0])
    return dataclasses.replace(pair, part=chosen or first, parts=names)


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
