#!/usr/bin/env python3
"""Gives the sans-serif fonts that ship an open zero, where theirs is slashed: among bar numbers and marks a
slashed one reads like a sign of its own. The counter is that of the letter O, drawn into the zero's place.

.venv/bin/python tools/plain_zero.py src/jeweller/assets/fonts/AtkinsonHyperlegibleNext-*.ttf
"""

from __future__ import annotations

import sys

from fontTools.ttLib import TTFont
from fontTools.ttLib.tables import ttProgram
from fontTools.ttLib.tables._g_l_y_f import Glyph, GlyphCoordinates

Box = tuple[float, float, float, float]


def contours(glyph: Glyph) -> list[tuple[list[tuple[float, float]], list[int]]]:
    """The points of each contour and which of them lie on it."""
    out, start = [], 0
    for end in glyph.endPtsOfContours:
        out.append((list(glyph.coordinates[start : end + 1]), list(glyph.flags[start : end + 1])))
        start = end + 1
    return out


def box(points: list[tuple[float, float]]) -> Box:
    xs, ys = zip(*points, strict=True)
    return min(xs), max(xs), min(ys), max(ys)


def open_zero(path: str) -> bool:
    """Whether the zero of a font had to be opened; it is written back."""
    font = TTFont(path)
    table = font["glyf"]
    outer, *inner = contours(table["zero"])
    if len(inner) < 2:
        return False
    left, right, low, high = box([p for points, _unused in inner for p in points])
    points, flags = contours(table["O"])[1]
    x0, x1, y0, y1 = box(points)
    placed = [
        (
            round(left + (x - x0) * (right - left) / (x1 - x0)),
            round(low + (y - y0) * (high - low) / (y1 - y0)),
        )
        for x, y in points
    ]
    glyph = Glyph()
    glyph.numberOfContours = 2
    glyph.coordinates = GlyphCoordinates([*outer[0], *placed])
    glyph.flags = bytearray([*outer[1], *flags])
    glyph.endPtsOfContours = [len(outer[0]) - 1, len(outer[0]) + len(placed) - 1]
    glyph.program = ttProgram.Program()
    glyph.program.fromBytecode([])
    table["zero"] = glyph
    glyph.recalcBounds(table)
    font.save(path)
    return True


if __name__ == "__main__":
    for name in sys.argv[1:]:
        print(name, "opened" if open_zero(name) else "is open")
