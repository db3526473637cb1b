"""What the signs of a line of music are called, and the parts that a line is read from: signs, stems, beams,
bar lines, curves and words, on one staff.
"""

from __future__ import annotations

from dataclasses import dataclass

from jeweller.omr.primitives import Box, DrawnLine, Word
from jeweller.omr.staves import Staff

# Code of the standard music font layout → kind
KINDS: dict[int, str] = {
    0xE0A0: "head_breve",
    0xE0A2: "head_whole",
    0xE0A3: "head_half",
    0xE0A4: "head_black",
    0xE0A9: "head_x",
    0xE240: "flag_8_up",
    0xE241: "flag_8_down",
    0xE242: "flag_16_up",
    0xE243: "flag_16_down",
    0xE244: "flag_32_up",
    0xE245: "flag_32_down",
    0xE4E2: "rest_breve",
    0xE4E3: "rest_whole",
    0xE4E4: "rest_half",
    0xE4E5: "rest_quarter",
    0xE4E6: "rest_8",
    0xE4E7: "rest_16",
    0xE4E8: "rest_32",
    0xE260: "flat",
    0xE261: "natural",
    0xE262: "sharp",
    0xE263: "double_sharp",
    0xE264: "double_flat",
    0xE050: "clef_g",
    0xE052: "clef_g_8",
    0xE05C: "clef_c",
    0xE062: "clef_f",
    0xE069: "clef_drum",
    0xE08A: "metre_common",
    0xE08B: "metre_cut",
    **{0xE080 + k: f"metre_{k}" for k in range(10)},
    **{0xE880 + k: f"tuplet_{k}" for k in range(10)},
    0xE1E7: "dot",
    0xE4A0: "accent",
    0xE4A2: "staccato",
    0xE4A4: "tenuto",
    0xE4A6: "staccatissimo_above",
    0xE4A7: "staccatissimo_below",
    0xE4AC: "marcato_above",
    0xE4AD: "marcato_below",
    0xE4C0: "fermata_above",
    0xE4C1: "fermata_below",
    0xE4CE: "breath",
    0xE4D1: "caesura",
    0xE566: "trill",
    0xE567: "turn",
    0xE56C: "short_trill",
    0xE56D: "mordent",
    0xE52B: "dynamic_pp",
    0xE52A: "dynamic_ppp",
    0xE52C: "dynamic_mp",
    0xE52D: "dynamic_mf",
    0xE52F: "dynamic_ff",
    0xE530: "dynamic_fff",
    0xE534: "dynamic_fp",
    0xE536: "dynamic_sf",
    0xE539: "dynamic_sfz",
    0xE520: "dynamic_p",
    0xE521: "dynamic_m",
    0xE522: "dynamic_f",
    0xE523: "dynamic_r",
    0xE524: "dynamic_s",
    0xE525: "dynamic_z",
    0xE047: "segno",
    0xE048: "coda",
    0xE044: "dot",
    0xE500: "repeat_bar",
    0xE1D5: "unit_quarter",
    0xE1D3: "unit_half",
    0xE1D7: "unit_eighth",
}
# The same below a note as above it
KINDS.update({0xE4A1: "accent", 0xE4A3: "staccato", 0xE4A5: "tenuto"})
ACCIDENTALS = {"flat": -1, "natural": 0, "sharp": 1, "double_sharp": 2, "double_flat": -2}
HEADS = ("head_black", "head_half", "head_whole", "head_breve", "head_x")


@dataclass(frozen=True)
class Symbol:
    """A sign on a staff; `sure` 0..1 is how well it is told from the sign it is most like otherwise."""

    kind: str
    box: Box
    sure: float = 1.0


@dataclass(frozen=True)
class Beam:
    """A beam from its left to its right end, along its middle."""

    x0: float
    y0: float
    x1: float
    y1: float
    thickness: float

    def height_at(self, x: float) -> float:
        if self.x1 <= self.x0:
            return self.y0
        share = min(max((x - self.x0) / (self.x1 - self.x0), 0.0), 1.0)
        return self.y0 + share * (self.y1 - self.y0)


@dataclass(frozen=True)
class BarLine:
    """One line across the staff."""

    x: float
    width: float


@dataclass(frozen=True)
class Curve:
    """A slur or a tie: its two ends, and the height of its middle."""

    x0: float
    y0: float
    x1: float
    y1: float
    middle: float


@dataclass(frozen=True, kw_only=True)
class StaffSigns:
    """All that belongs to one staff."""

    staff: Staff
    symbols: tuple[Symbol, ...]
    stems: tuple[DrawnLine, ...]
    beams: tuple[Beam, ...]
    bar_lines: tuple[BarLine, ...]
    curves: tuple[Curve, ...]
    level: tuple[DrawnLine, ...]  # lines along the staff, above or below it: brackets
    slanted: tuple[DrawnLine, ...]  # hairpins
    words: tuple[Word, ...]
    within: int = 0  # which it is of staves that sound together, from the top; 0 for one alone
