"""What the pattern book has to say with no widget: as what a sheet can be saved."""

from __future__ import annotations

# kind, words, ending
SHEETS = (
    ("pdf", "PDF", ".pdf"),
    ("musicxml", "MusicXML", ".musicxml"),
    ("mei", "MEI", ".mei"),
    ("midi", "MIDI", ".mid"),
    ("png", "Picture", ".png"),
    ("html", "Page for a browser", ".html"),
    ("wav", "Sound, with a count-in", ".wav"),
)
