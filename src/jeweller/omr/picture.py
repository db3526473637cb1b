"""Scans and photos of pages → lines of music. Runs in the child with limits only (`jeweller.omr.sandbox`)."""

from __future__ import annotations

import dataclasses
import io
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from jeweller.errors import PageError
from jeweller.i18n import _
from jeweller.omr.flat import (
    DARK,
    FoundStaff,
    find_flat_staves,
    ink_of,
    space_of,
    straighten,
    tilt_of,
)
from jeweller.omr.letters import tell_words
from jeweller.omr.line import ReadLine
from jeweller.omr.network import PIXELS, REACH, SIGNS, Array, Seen, look_at
from jeweller.omr.primitives import Box
from jeweller.omr.reading import read_line
from jeweller.omr.seen import UNIT, signs_of, straight_staff
from jeweller.omr.staves import place_in_systems
from jeweller.omr.symbols import StaffSigns

Grey = npt.NDArray[np.uint8]
LONGEST = 3600  # pixels: larger pictures are made smaller
MOST_PIXELS = 100_000_000
SURELY_STAVES = 60.0  # spaces of staff: the page is no accident
TILTED = 0.004  # radians: less is followed line by line
CLEFS = tuple(k for k, kind in enumerate(SIGNS) if kind.startswith("clef_"))
LEAST_NOTES = 6  # of a line without a clef
SHOWN = 2200  # pixels of the longer side of a page that is shown
CLEF_SPACES = 12  # from a picture's left edge: there the clef is
LOOKED_AT = 3  # staves that tell whether a page is upside down
POINTS = 72.0
AT_ONCE = 2  # staves
JOINED_FROM = 2.4  # spaces from the middle line of a staff: there what joins it to the next begins
JOINED_NEAR = 1.5  # spaces around a staff's left end
JOINED_LEANS = 0.15  # spaces, to each side
JOINED_SHARE = 0.95  # of the height between them that is ink


@dataclass(frozen=True)
class FlatPage:
    """The `ink` of the upright page, its staves, what was seen on each when straight; `turned` quarter turns
    to the right and `tilt` make the picture upright, `size` is (height, width) then.
    """

    ink: Array
    staves: tuple[FoundStaff, ...]
    seen: tuple[Seen, ...]
    widths: tuple[int, ...]
    turned: int
    tilt: float
    size: tuple[int, int]


@dataclass(frozen=True)
class ReadPicture:
    """The lines of a page, the upright picture made small, the page's size in points, whether its words could
    be read.
    """

    lines: list[ReadLine]
    upright: Grey
    width: float
    height: float
    worded: bool


def open_picture(data: bytes) -> Grey:
    """A picture file as grey values, (H, W), turned as its camera says. Raises PageError."""
    from PIL import Image, ImageOps

    Image.MAX_IMAGE_PIXELS = MOST_PIXELS
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "TIFF", "WEBP", "BMP")) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise PageError(_("The picture is too large; 100 million dots are the most."))
            picture.draft("L", (LONGEST, LONGEST))
            upright = ImageOps.exif_transpose(picture)
            if upright.mode in ("RGBA", "LA", "P"):
                ground = Image.new("RGBA", upright.size, "white")
                upright = Image.alpha_composite(ground, upright.convert("RGBA"))
            return made_small(np.asarray(upright.convert("L"), np.uint8))
    except PageError:
        raise
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PageError(_("The picture cannot be opened: it is damaged.")) from error


def made_small(grey: Grey, longest: int = LONGEST) -> Grey:
    """A picture, (H, W), with no side longer than so many pixels."""
    from PIL import Image

    small = Image.fromarray(grey)
    small.thumbnail((longest, longest), Image.Resampling.BOX)
    return np.asarray(small, np.uint8)


def flatten(grey: Grey) -> FlatPage:
    """The staves of a picture, whichever way up it lies."""
    plain, turned = ink_of(grey), 0
    ink, tilt, staves = _upright_staves(plain)
    if _length(staves) < SURELY_STAVES:  # it may lie on its side
        aside = _upright_staves(np.ascontiguousarray(np.rot90(plain, -1)))
        if _length(aside[2]) > _length(staves):
            (ink, tilt, staves), turned = aside, 1
    some = staves[:LOOKED_AT]
    straight = [straighten(ink, s) for s in some]
    if some and _likely_clefs(straight) < _likely_clefs(
        [np.ascontiguousarray(s[::-1, ::-1]) for s in straight]
    ):
        ink, turned = np.ascontiguousarray(ink[::-1, ::-1]), turned + 2
        staves = find_flat_staves(ink, space_of(ink))
    pictures = [straighten(ink, s) for s in staves]
    with ThreadPoolExecutor(AT_ONCE) as together:  # products of matrices let one another run
        seen = list(together.map(look_at, pictures))
    return FlatPage(
        ink,
        tuple(staves),
        tuple(seen),
        tuple(p.shape[1] for p in pictures),
        turned,
        tilt,
        (ink.shape[0], ink.shape[1]),
    )


def _upright_staves(ink: Array) -> tuple[Array, float, list[FoundStaff]]:
    """(the picture with its lines level, by which angle they fell, its staves)."""
    tilt = tilt_of(ink)
    if abs(tilt) > TILTED:
        ink = _rotated(ink, tilt)
    space = space_of(ink)
    return ink, tilt, find_flat_staves(ink, space) if space else []


def _length(staves: Sequence[FoundStaff]) -> float:
    """Of all staves together, in their spaces."""
    return sum(float(s.xs[-1] - s.xs[0]) / s.space for s in staves)


def _rotated(ink: Array, tilt: float) -> Array:
    return np.asarray(ndimage.rotate(ink, np.degrees(tilt), reshape=False, order=1), np.float32)


def _likely_clefs(pictures: Sequence[Array]) -> float:
    """How surely clefs stand at the beginning of some staves."""
    told = 0.0
    for picture in pictures:
        seen = look_at(np.ascontiguousarray(picture[:, : CLEF_SPACES * PIXELS])).signs
        told += float(seen[list(CLEFS)].max())
    return told


def read_picture(grey: Grey, dpi: float) -> ReadPicture:
    """The lines of a picture of a page; their boxes are in points of the upright page, so many of its dots an
    inch.
    """
    page = flatten(grey)
    points = POINTS / dpi
    lines = []
    every = [
        _mine(signs_of(page.seen[k], straight_staff(page.widths[k])), page.staves, k)
        for k in range(len(page.staves))
    ]
    within = place_in_systems(
        [(float(s.xs[0]), float(s.xs[-1]), float(s.middles.mean())) for s in page.staves],
        lambda a, b: _joined(page.ink, page.staves[a], page.staves[b]),
    )
    every = [dataclasses.replace(signs, within=k) for signs, k in zip(every, within, strict=True)]
    told, worded = tell_words(page.ink, page.staves, every)
    for staff, signs in zip(page.staves, told, strict=True):
        line = read_line(signs)
        if line.bars and _is_music(line):
            _move(line, _onto_page(staff, points))
            line.space = staff.space * points
            lines.append(line)
    high, wide = page.size
    return ReadPicture(lines, _upright(grey, page), wide * points, high * points, worded)


def _joined(ink: Array, upper: FoundStaff, lower: FoundStaff) -> bool:
    """Whether a line joins a staff, at its left end, to the next below: they sound together."""
    left, space = max(float(upper.xs[0]), float(lower.xs[0])), upper.space
    top = round(float(upper.middle_at(left)) + JOINED_FROM * space)
    bottom = round(float(lower.middle_at(left)) - JOINED_FROM * space)
    part = ink[
        max(top, 0) : bottom, max(0, round(left - JOINED_NEAR * space)) : round(left + JOINED_NEAR * space)
    ]
    if not part.size:
        return False
    # a line that leans a little is still one
    widened = ndimage.maximum_filter1d(part, 2 * round(JOINED_LEANS * space) + 1, axis=1)
    return bool((widened > DARK).mean(axis=0).max() > JOINED_SHARE)


def _is_music(line: ReadLine) -> bool:
    """Whether a line is one: it has a clef, or a few notes at least; lines of words and tables have none."""
    notes = sum(not n.is_rest for bar in line.bars for n in bar.notes)
    return notes >= (1 if any(bar.clef is not None for bar in line.bars[:1]) else LEAST_NOTES)


def _move(line: ReadLine, on_page: Callable[[Box], Box]) -> None:
    """Puts a line from its straight picture onto the page."""
    line.box = on_page(line.box)
    for bar in line.bars:
        edges = on_page(Box(bar.left, REACH * UNIT, bar.right, REACH * UNIT))
        bar.left, bar.right = edges.left, edges.right
        for mark in bar.marks:
            mark.x = on_page(Box(mark.x, REACH * UNIT, mark.x, REACH * UNIT)).left
        for note in bar.notes:
            note.box = on_page(note.box)


def _upright(grey: Grey, page: FlatPage) -> Grey:
    """The page as it is to be looked at, made small."""
    upright = made_small(np.ascontiguousarray(np.rot90(grey, -page.turned)), SHOWN)
    if abs(page.tilt) > TILTED:
        paper = int(np.percentile(upright, 80))
        upright = ndimage.rotate(upright, np.degrees(page.tilt), reshape=False, order=1, cval=paper)
    return upright


def _onto_page(staff: FoundStaff, points: float) -> Callable[[Box], Box]:
    def on_page(box: Box) -> Box:
        corners = [
            staff.on_page(x / UNIT, y / UNIT - REACH)
            for x in (box.left, box.right)
            for y in (box.top, box.bottom)
        ]
        xs, ys = [points * c[0] for c in corners], [points * c[1] for c in corners]
        return Box(min(xs), min(ys), max(xs), max(ys))

    return on_page


def _mine(signs: StaffSigns, staves: Sequence[FoundStaff], k: int) -> StaffSigns:
    """Without what belongs to the staff above or below: the nearer one has it."""
    own = staves[k]
    middle = float(own.middles.mean())
    others = [s for s in staves if s is not own and s.xs[0] < own.xs[-1] and s.xs[-1] > own.xs[0]]
    above = max((float(s.middles.mean()) for s in others if s.middles.mean() < middle), default=-1e9)
    below = min((float(s.middles.mean()) for s in others if s.middles.mean() > middle), default=1e9)
    top = max((above - middle) / 2 / own.space, -REACH) + REACH
    bottom = min((below - middle) / 2 / own.space, REACH) + REACH

    def inside(y: float) -> bool:
        return top * UNIT <= y <= bottom * UNIT

    return dataclasses.replace(
        signs,
        symbols=tuple(s for s in signs.symbols if inside(s.box.y)),
        stems=tuple(s for s in signs.stems if inside(s.box.y)),
        beams=tuple(b for b in signs.beams if inside(0.5 * (b.y0 + b.y1))),
        curves=tuple(c for c in signs.curves if inside(c.middle)),
        level=tuple(s for s in signs.level if inside(s.box.y)),
        slanted=tuple(s for s in signs.slanted if inside(s.box.y)),
        words=tuple(w for w in signs.words if inside(w.box.y)),
    )
