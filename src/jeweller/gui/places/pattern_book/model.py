"""What the pattern book has to say with no widget: as what a sheet can be saved."""

from __future__ import annotations

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
