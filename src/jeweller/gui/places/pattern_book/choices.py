"""What can be chosen in the pattern book. The window's menus read it before anything is loaded."""

from __future__ import annotations

from fractions import Fraction

from jeweller.i18n import N_

# kind, words, ending
SHEETS = (
    ("pdf", "PDF", ".pdf"),
    ("musicxml", "MusicXML", ".musicxml"),
    ("mei", "MEI", ".mei"),
    ("midi", "MIDI", ".mid"),
    ("png", N_("Picture"), ".png"),
    ("html", N_("Page for a browser"), ".html"),
    ("wav", N_("Sound, with a count-in"), ".wav"),
)
PAGES = (".pdf", ".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp")  # what a page is read from
WAYS = (
    ("make", N_("Make")),
    ("type", N_("Type in")),
    ("open", N_("Open")),
    ("page", N_("From a page")),
    ("shelf", N_("Shelf")),
)
GRIDS: dict[str, Fraction | None] = {
    N_("chosen by fit"): None,
    N_("quarters"): Fraction(1),
    N_("eighths"): Fraction(1, 2),
    N_("sixteenths"): Fraction(1, 4),
    N_("triplets"): Fraction(1, 3),
}
