"""A drill engraved, with what helps to play it under its notes: the fingerings of the notes to switch
between, the counts of what is counted.
"""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

from jeweller.documents.engraving import Engraving, engrave
from jeweller.documents.text_lines import TextLineSettings, draw_text_below, rows_height
from jeweller.documents.theme import Theme
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Note, Part
from jeweller.practice.drills import Drill

FINGERED = ("switch", "from_safe", "octaves", "trill_slow")
COUNTED = ("one_note", "count_clap")


@dataclass(frozen=True)
class DrillPicture:
    """`width` and `height` in page units; `lines` stand under the notes of `told`."""

    engraving: Engraving
    told: Part
    lines: TextLineSettings
    instrument: Instrument

    @property
    def width(self) -> float:
        return self.engraving.width

    @property
    def height(self) -> float:
        return self.engraving.height

    def svg(self, theme: Theme) -> str:
        """As one SVG document."""
        below = draw_text_below(self.engraving, self.told, self.lines, self.instrument, theme)
        return self.engraving.svg(theme, below)


def draw_drill(drill: Drill, instrument: Instrument, units: float) -> DrillPicture:
    """The picture of a drill, `units` wide."""
    line = "fingerings" if drill.kind in FINGERED else "counts" if drill.kind in COUNTED else ""
    lines = TextLineSettings((line,)) if line else TextLineSettings()
    told = _each_once(drill.part) if line == "fingerings" else drill.part
    room = rows_height(lines, instrument)
    return DrillPicture(engrave(drill.part, units, rails=False, room=room), told, lines, instrument)


def _each_once(part: Part) -> Part:
    """A part of which each pitch is left once: its fingering is shown where it comes first."""
    seen: set[int] = set()

    def first(n: Note) -> bool:
        if n.pitch is None or n.pitch.midi in seen:
            return False
        seen.add(n.pitch.midi)
        return True

    bars = tuple(dataclasses.replace(b, notes=tuple(n for n in b.notes if first(n))) for b in part.bars)
    return dataclasses.replace(part, bars=bars)
