"""A drawn page as staves with their signs: what each outline and each sign of a font is, and which staff it
belongs to.
"""

from __future__ import annotations

import dataclasses

import numpy as np
import numpy.typing as npt

from jeweller.omr.primitives import Bitmap, Box, DrawnLine, Glyph, Outline, PageDrawing, Word
from jeweller.omr.shapes import name_shape
from jeweller.omr.staves import Staff, find_staves, place_in_systems
from jeweller.omr.symbols import HEADS, KINDS, BarLine, Beam, Curve, StaffSigns, Symbol
from jeweller.omr.words import join_letters

UPRIGHT = 0.06  # by which a line may lean, of its length
STEM = (1.2, 12.0)  # spaces: how long a stem may be
BEAM = (0.22, 0.9)  # spaces: how thick a beam may be
OUTLINE_PIXELS = 40.0
SMALL = (1.0, 0.7)  # signs may be drawn so small: grace notes, cues
LIKE = 0.41  # how far off a sign may be from what it is taken for
SURELY = 0.2  # and where it might be a curve
SIGN_WIDE = 2.6  # spaces: no sign that might be a curve is wider


def read_signs(drawing: PageDrawing) -> list[StaffSigns]:
    """The staves of a page with all that belongs to each, from the top down."""
    staves = find_staves(drawing.strokes, drawing.width)
    if not staves:
        return []
    space = float(np.median([s.space for s in staves]))
    symbols, letters = _signs_of(drawing, space)
    curves, beams = [], []
    rests, hooks = _drawn_rests(drawing, space)
    symbols += rests
    for outline in drawing.outlines:
        if id(outline) in hooks:
            continue
        found = _outline(outline, space)
        if isinstance(found, Symbol):
            symbols.append(found)
        elif isinstance(found, Curve):
            curves.append(found)
        elif isinstance(found, Beam):
            beams.append(found)
    digits = [g for g in letters if _metre_digit(g, staves)]
    symbols += [Symbol(f"metre_{chr(g.code)}", g.box) for g in digits]
    words = join_letters(g for g in letters if g not in digits)
    within = place_in_systems(
        [(s.left, s.right, s.top) for s in staves],
        lambda a, b: any(_joins(stroke, staves[a], staves[b]) for stroke in drawing.strokes),
    )
    every = [_of_staff(k, staves, drawing, symbols, beams, curves, words) for k in range(len(staves))]
    return [dataclasses.replace(signs, within=k) for signs, k in zip(every, within, strict=True)]


def _joins(stroke: DrawnLine, upper: Staff, lower: Staff) -> bool:
    """Whether an upright line leads from one staff to the next below."""
    box, near = stroke.box, 0.3 * upper.space
    upright = box.width <= UPRIGHT * box.height
    beside = max(upper.left, lower.left) - 2.0 * upper.space <= box.x <= min(upper.right, lower.right) + near
    return upright and beside and box.top <= upper.bottom + near and box.bottom >= lower.top - near


def _signs_of(drawing: PageDrawing, space: float) -> tuple[list[Symbol], list[Glyph]]:
    """(the signs of music, the letters)."""
    symbols: list[Symbol] = []
    letters: list[Glyph] = []
    named: dict[tuple[str, int, int], tuple[str, float] | None] = {}
    plain: dict[str, bool] = {}
    for glyph in drawing.glyphs:
        plain[glyph.font] = plain.get(glyph.font, True) and (0x20 <= glyph.code < 0xE000)
    for glyph in drawing.glyphs:
        if glyph.code in KINDS:
            symbols.append(Symbol(KINDS[glyph.code], glyph.box))
            continue
        if plain[glyph.font]:
            letters.append(glyph)
            continue
        key = (glyph.font, glyph.code, round(glyph.box.height / space * 20))
        if key not in named:
            named[key] = _named(glyph.bitmap, glyph.box, space)
        found = named[key]
        if found is not None:
            symbols.append(Symbol(found[0], glyph.box, found[1]))
        elif 0x20 <= glyph.code < 0xE000:
            letters.append(glyph)
    return symbols, letters


def _named(bitmap: Bitmap | None, box: Box, space: float, like: float = LIKE) -> tuple[str, float] | None:
    """(what a sign is, how sure); None where it is none of music."""
    if bitmap is None or not bitmap.size:
        return None
    best: tuple[float, str, float] | None = None
    for scale in SMALL:
        shape = name_shape(bitmap, box.width / space, box.height / space, scale)
        if shape is None:
            continue
        off = shape.distance + (0.04 if scale < 1.0 else 0.0)
        if best is None or off < best[0]:
            best = off, shape.kind, shape.sure
    if best is None or best[0] > like:
        return None
    return best[1], best[2]


def _drawn_rests(drawing: PageDrawing, space: float) -> tuple[list[Symbol], set[int]]:
    """(rests of an eighth and shorter that are drawn as a leaning line with hooks at its left, the hooks)."""
    found: list[Symbol] = []
    used: set[int] = set()
    for stroke in drawing.strokes:
        box = stroke.box
        leans = 0.15 * box.height < box.width < 0.7 * box.height
        if not leans or not 1.2 * space < box.height < 4.5 * space:
            continue
        (x0, y0), (x1, y1) = (stroke.x0, stroke.y0), (stroke.x1, stroke.y1)
        hooks: list[Outline] = []
        for outline in drawing.outlines:
            hook = outline.box
            if not (0.5 * space < hook.width < 1.6 * space and 0.3 * space < hook.height < 1.1 * space):
                continue
            at = x0 + (x1 - x0) * (hook.top - y0) / (y1 - y0)  # where the line is at the hook's height
            if abs(hook.right - at) < 0.3 * space and box.top - 0.3 * space < hook.top < box.bottom:
                hooks.append(outline)
        if 1 <= len(hooks) <= 3:
            used.update(id(hook) for hook in hooks)
            whole = box
            for outline in hooks:
                whole = whole.joined(outline.box)
            found.append(Symbol(f"rest_{8 * 2 ** (len(hooks) - 1)}", whole, 0.9))
    return found, used


def _metre_digit(glyph: Glyph, staves: list[Staff]) -> bool:
    """Whether an ordinary figure stands in a staff, two spaces high: a metre of figures of another font."""
    if not 0x30 <= glyph.code <= 0x39:
        return False
    box = glyph.box
    return any(
        s.top - 0.4 * s.space < box.top
        and box.bottom < s.bottom + 0.4 * s.space
        and 1.2 * s.space < box.height < 2.3 * s.space
        and s.left <= box.left < s.right
        for s in staves
    )


def _outline(outline: Outline, space: float) -> Symbol | Curve | Beam | None:
    box = outline.box
    wide, high = box.width / space, box.height / space
    beam = _beam(outline, space)
    if beam is not None:
        return beam
    if wide > 1.2 and outline.curved and not (wide < 2.2 and high > 1.5):
        # an accent and a stroke of a pen are thin and bent too
        known = _named(_drawn(outline), box, space, SURELY) if outline.filled and wide < SIGN_WIDE else None
        if known is not None:
            return Symbol(known[0], box, known[1])
        curve = _curve(outline, space)
        if curve is not None:
            return curve
    if not outline.filled or wide > 12 or high > 12 or max(wide, high) < 0.15:
        return None
    found = _named(_drawn(outline), box, space)
    return Symbol(found[0], box, found[1]) if found is not None else None


def _beam(outline: Outline, space: float) -> Beam | None:
    """A filled area with upright ends and level or slanted sides."""
    points = outline.points
    box = outline.box
    if not outline.filled or box.width < 0.5 * space or len(outline.starts) != 1:
        return None
    left = points[points[:, 0] < box.left + 0.12 * box.width + 1e-6]
    right = points[points[:, 0] > box.right - 0.12 * box.width - 1e-6]
    if not len(left) or not len(right) or len(left) + len(right) != len(points):
        return None
    thick = [float(np.ptp(side[:, 1])) + outline.width for side in (left, right)]
    if (
        not all(BEAM[0] * space <= t <= BEAM[1] * space for t in thick)
        or abs(thick[0] - thick[1]) > 0.2 * space
    ):
        return None
    return Beam(box.left, float(_middle(left)), box.right, float(_middle(right)), float(np.mean(thick)))


def _middle(side: npt.NDArray[np.float64]) -> float:
    return float(0.5 * (side[:, 1].min() + side[:, 1].max()))


def _curve(outline: Outline, space: float) -> Curve | None:
    """A slur or a tie: thin, and bent to one side."""
    points = outline.points
    left, right = points[points[:, 0].argmin()], points[points[:, 0].argmax()]
    wide = float(right[0] - left[0])
    if wide < 0.8 * space or float(np.ptp(points[:, 1])) < 0.22 * space:
        return None
    line = left[1] + (points[:, 0] - left[0]) / wide * (right[1] - left[1])
    off = points[:, 1] - line
    bend = float(off[np.abs(off).argmax()])
    other = float(off.min() if bend > 0 else off.max())
    if abs(other) > 0.35 * abs(bend) + 0.1 * space or abs(bend) < 0.08 * space:
        return None
    middle = off[np.abs(points[:, 0] - (left[0] + right[0]) / 2) < 0.2 * wide]
    if len(middle) and outline.filled and float(np.ptp(middle)) > 0.8 * space:
        return None
    return Curve(float(left[0]), float(left[1]), float(right[0]), float(right[1]), float(line.mean() + bend))


def _drawn(outline: Outline) -> Bitmap:
    """The picture of a filled area, where an even number of contours overlaps left out."""
    from PIL import Image, ImageChops, ImageDraw

    box = outline.box
    scale = OUTLINE_PIXELS / max(box.width, box.height, 1e-6)
    size = (max(2, round(box.width * scale)), max(2, round(box.height * scale)))
    whole = Image.new("1", size, 0)
    ends = [*outline.starts[1:], len(outline.points)]
    for begin, end in zip(outline.starts, ends, strict=True):
        contour = (outline.points[begin:end] - (box.left, box.top)) * scale
        if len(contour) < 3:
            continue
        layer = Image.new("1", size, 0)
        ImageDraw.Draw(layer).polygon([(float(x), float(y)) for x, y in contour], fill=1)
        whole = ImageChops.logical_xor(whole, layer)
    return np.asarray(whole, np.float32)


def _of_staff(
    k: int,
    staves: list[Staff],
    drawing: PageDrawing,
    symbols: list[Symbol],
    beams: list[Beam],
    curves: list[Curve],
    words: list[Word],
) -> StaffSigns:
    staff = staves[k]
    space = staff.space
    above = [s for s in staves if s.bottom < staff.top and _beside(s, staff)]
    below = [s for s in staves if s.top > staff.bottom and _beside(s, staff)]
    # what stands between two staves belongs to the nearer one
    top = 0.5 * (above[-1].bottom + staff.top) if above else staff.top - 30 * space
    bottom = 0.5 * (staff.bottom + below[0].top) if below else staff.bottom + 14 * space
    left, right = staff.left - 2.0 * space, staff.right + 2.0 * space

    def mine(x: float, y: float) -> bool:
        return top <= y < bottom and left <= x <= right

    heads = [x.box for x in symbols if x.kind in HEADS and mine(x.box.x, x.box.y)]
    stems: list[DrawnLine] = []
    bar_lines: list[BarLine] = []
    level: list[DrawnLine] = []
    slanted: list[DrawnLine] = []
    own_beams = [b for b in beams if mine(0.5 * (b.x0 + b.x1), 0.5 * (b.y0 + b.y1))]
    for stroke in drawing.strokes:
        box = stroke.box
        if not mine(box.x, box.y):
            continue
        if box.width <= UPRIGHT * box.height:
            whole = max(abs(box.top - staff.top), abs(box.bottom - staff.bottom)) < 0.35 * space
            if whole and not any(_touches(box, head, space) for head in heads):
                bar_lines.append(BarLine(box.x, stroke.width))
            elif STEM[0] * space <= box.height <= STEM[1] * space and stroke.width < 0.4 * space:
                stems.append(stroke)
        elif BEAM[0] * space <= stroke.width <= BEAM[1] * space and box.width > 0.4 * space:
            ends = ((stroke.x0, stroke.y0), (stroke.x1, stroke.y1))
            (x0, y0), (x1, y1) = sorted(ends)
            own_beams.append(Beam(x0, y0, x1, y1, stroke.width))
        elif box.height <= UPRIGHT * box.width and box.width > 0.8 * space:
            if not any(abs(box.y - y) < 0.15 * space and box.width > 6 * space for y in staff.lines):
                level.append(stroke)
        elif box.width > 1.5 * space and box.height < 2.5 * space:
            slanted.append(stroke)
    rests = [b for b in own_beams if _is_rest(b, stems, space)]
    own_beams = [b for b in own_beams if b not in rests]
    own = [s for s in symbols if mine(s.box.x, s.box.y)]
    own += [
        Symbol("rest_whole", Box(b.x0, b.y0 - 0.5 * b.thickness, b.x1, b.y0 + 0.5 * b.thickness))
        for b in rests
    ]
    return StaffSigns(
        staff=staff,
        symbols=tuple(sorted(own, key=lambda s: s.box.left)),
        stems=tuple(stems),
        beams=tuple(own_beams),
        bar_lines=tuple(bar_lines),
        curves=tuple(c for c in curves if mine(0.5 * (c.x0 + c.x1), c.middle)),
        level=tuple(level),
        slanted=tuple(slanted),
        words=tuple(w for w in words if mine(w.box.x, w.box.y)),
    )


def _is_rest(beam: Beam, stems: list[DrawnLine], space: float) -> bool:
    """Whether a level block stands by itself: a whole or a half rest, no beam."""
    wide = beam.x1 - beam.x0
    if not 0.8 * space <= wide <= 2.0 * space or abs(beam.y1 - beam.y0) > 0.05 * space:
        return False
    return not any(
        beam.x0 - 0.3 * space <= s.x0 <= beam.x1 + 0.3 * space
        and s.box.top - 0.6 * space <= beam.y0 <= s.box.bottom + 0.6 * space
        for s in stems
    )


def _touches(line: Box, head: Box, space: float) -> bool:
    """Whether an upright line is the stem of a head: it begins at its side."""
    beside = min(abs(line.x - head.left), abs(line.x - head.right)) < 0.3 * space
    return beside and min(abs(line.top - head.y), abs(line.bottom - head.y)) < 0.7 * space


def _beside(a: Staff, b: Staff) -> bool:
    return min(a.right, b.right) - max(a.left, b.left) > 0
