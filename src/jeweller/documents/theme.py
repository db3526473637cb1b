"""How things are shown: colour and type tokens. The only place where a colour or a
typeface is named.

Contrast to their ground is at least 5.4 : 1.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from html import escape

from jeweller.i18n import N_

SANS = "Atkinson Hyperlegible Next"
SERIF = "Source Serif 4"
SIGNS = "Jeweller Signs"


@dataclass(frozen=True, kw_only=True)
class Theme:
    """One set of colours, and the words things are said in. `faint` is for rules and hair lines, `quiet` for
    secondary text, `wash` for the chosen place.
    """

    name: str
    paper: str
    desk: str
    ink: str
    quiet: str
    faint: str
    wash: str
    brass: str
    on_brass: str
    facets: dict[str, str]


LIGHT = Theme(
    name=N_("light"),
    paper="#FAF6EE",
    desk="#EFE8DA",
    ink="#1E2430",
    quiet="#565B66",
    faint="#C9C1B1",
    wash="#F0E3C4",
    brass="#7D5A12",
    on_brass="#FFFDF8",
    facets={
        "notes": "#6E3FA3",
        "accidentals": "#8F5200",
        "count": "#1F5FA8",
        "rhythm": "#0A6F6A",
        "ornaments": "#9C1F3F",
        "articulation": "#4E5967",
        "sound": "#6B645A",
    },
)
DARK = Theme(
    name=N_("dark"),
    paper="#1B1E24",
    desk="#131519",
    ink="#ECE7DC",
    quiet="#B0AB9F",
    faint="#4A4E57",
    wash="#3A3320",
    brass="#CDBB8E",
    on_brass="#1B1E24",
    facets={
        "notes": "#C3A0F0",
        "accidentals": "#F2A33A",
        "count": "#8DBBF5",
        "rhythm": "#63D1CB",
        "ornaments": "#F08AA0",
        "articulation": "#A9B4C2",
        "sound": "#9A958C",
    },
)
# Black on white, every word and shape at seven to one and more.
CONTRAST = Theme(
    name=N_("high contrast"),
    paper="#FFFFFF",
    desk="#FFFFFF",
    ink="#000000",
    quiet="#2B2B2B",
    faint="#5E5E5E",
    wash="#FFE680",
    brass="#4A3200",
    on_brass="#FFFFFF",
    facets={
        "notes": "#55208A",
        "accidentals": "#6B3A00",
        "count": "#0B4080",
        "rhythm": "#00504C",
        "ornaments": "#7F0026",
        "articulation": "#333A44",
        "sound": "#47403A",
    },
)
# What is printed stands on white paper: a tint is for the screen, and costs toner.
PRINTED = replace(LIGHT, name=N_("printed"), paper="#FFFFFF", desk="#FFFFFF", wash="#F5EFE0")
THEMES = {t.name: t for t in (LIGHT, DARK, CONTRAST)}

# Shapes in a box of -10..10: (path, filled). The same everywhere: score, lists, slips.
FACET_SHAPES = {
    "notes": "M -9 0 A 9 9 0 1 0 9 0 A 9 9 0 1 0 -9 0",
    "accidentals": "M 0 -10 L 8 0 L 0 10 L -8 0 Z",
    "count": "M -9 -7 L -9 6 L 9 6 L 9 -7",
    "rhythm": "M -6 9 L 6 -9",
    "ornaments": "M -9 6 Q 0 -14 9 6",
    "articulation": "M -9 0 L 9 0",
    "sound": "M -10 1 Q -5 -9 0 1 Q 5 11 10 1",
}
SHAPE_WIDTH = {"rhythm": 4.0, "articulation": 5.0}


SMALLEST = 25.5  # page units: 7 points on paper


def text_svg(
    x: float,
    y: float,
    content: str,
    size: float,
    colour: str,
    *,
    anchor: str = "middle",
    serif: bool = False,
    weight: int = 400,
    italic: bool = False,
) -> str:
    """Words as an SVG text, never smaller than SMALLEST. One family to a run: QtSvg reads no lists of
    families; the signs of music stand in a font of their own.
    """
    style = ' font-style="italic"' if italic else ""
    runs = "".join(
        f'<tspan font-family="{SIGNS if k % 2 else SERIF if serif else SANS}">{escape(piece)}</tspan>'
        for k, piece in enumerate(re.split("([♭♮♯♩♪]+)", content.replace("𝄫", "♭♭").replace("𝄪", "×")))
        if piece
    )
    style += f' font-size="{max(size, SMALLEST):g}" font-weight="{weight}"'
    return f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" fill="{colour}"{style}>{runs}</text>'


def shape_svg(
    facet: str,
    x: float,
    y: float,
    size: float,
    colour: str,
    *,
    width: float = 2.6,
    unsure: bool = False,
    fill: str = "none",
) -> str:
    """A facet's shape as an SVG path centred at (x, y), `size` units high."""
    scale = size / 20.0
    stroke = (1.2 if unsure else SHAPE_WIDTH.get(facet, width)) / scale * min(1.0, size / 20.0)
    return (
        f'<path d="{FACET_SHAPES[facet]}" transform="translate({x:.1f},{y:.1f}) scale({scale:.3f})" '
        f'fill="{fill}" stroke="{colour}" '
        f'stroke-width="{stroke:.2f}" stroke-linecap="round" stroke-linejoin="round"/>'
    )
