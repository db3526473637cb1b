"""Everything that leaves as a document, and the marked part itself: engraving, marks, pages (SVG, HTML, PDF,
PNG), MIDI, MusicXML, text.
"""
