"""The words of scans and photos: where the network saw some, and over the first staff, they are cut out of
the page and read by Tesseract, a program of the system. Without it they are not read.

Runs in the child with limits only (`jeweller.omr.sandbox`): nothing is written, all goes through pipes.
"""

from __future__ import annotations

import dataclasses
import io
import re
import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jeweller.omr.flat import MARGIN, FoundStaff
from jeweller.omr.network import REACH
from jeweller.omr.primitives import Box, Word
from jeweller.omr.seen import UNIT
from jeweller.omr.symbols import StaffSigns

Ink = npt.NDArray[np.float32]
PROGRAM = "tesseract"
SECONDS = 20
SPACE = 24  # dots of a staff space in what is read: figures are misread where they are smaller
APART, EDGE = 24, 12  # dots between the strips
PAD = 0.6  # spaces around a word
GROWS, GAP = 8.0, 0.5  # spaces by which a word is longer at most, and between its letters
EDGE_LINE = 2.25  # spaces from the middle of a staff: there its outer lines end
BESIDE = 0.3  # spaces above or below a staff: its lines are no letters
INKED = 0.4  # of ink: a letter stands there
SURE = 55.0  # percent
MOST_STRIPS, WIDEST = 80, 3200
OVER, HIGHEST = 8.0, 34.0  # spaces above the middle of the first staff between which headings stand
LETTERS = 1.35  # of the height of a line of capitals: their size
NO_LETTER = re.compile(r"^(?:[^\w=(]|_)+|(?:[^\w=.)]|_)+$")


@dataclass(frozen=True)
class TextLine:
    """A line of text in a strip: where, in its dots."""

    text: str
    box: Box


@dataclass(frozen=True)
class Strip:
    """Ink that is cut out of a page: (H, W), 0..1; `scale`: by which it is made `SPACE` dots a space."""

    ink: Ink
    scale: float


def read_strips(strips: Sequence[Strip]) -> list[list[TextLine]] | None:
    """The lines of text in each strip; None where the program is not there, or fails.

    >>> read_strips([])
    []
    """
    from PIL import Image

    found: list[list[TextLine]] = [[] for _strip in strips]
    if not strips:
        return found
    program = shutil.which(PROGRAM)
    if program is None:
        return None
    pictures, at = [], []
    top = EDGE
    for strip in strips[:MOST_STRIPS]:
        high, wide = (max(1, round(side * strip.scale)) for side in strip.ink.shape)
        grey = Image.fromarray(np.asarray(255.0 * (1.0 - np.clip(strip.ink, 0.0, 1.0)), np.uint8))
        pictures.append(grey.resize((min(wide, WIDEST), high), Image.Resampling.LANCZOS))
        at.append(top)
        top += high + APART
    page = Image.new("L", (max(p.width for p in pictures) + 2 * EDGE, top), 255)
    for picture, y in zip(pictures, at, strict=True):
        page.paste(picture, (EDGE, y))
    held = io.BytesIO()
    page.save(held, "PNG", compress_level=1)
    command = [program, "stdin", "stdout", "--psm", "6", "--dpi", "200", "tsv"]
    try:
        run = subprocess.run(
            command,
            input=held.getvalue(),
            capture_output=True,
            timeout=SECONDS,
            check=True,
            env={"OMP_THREAD_LIMIT": "1"},
        )
    except (OSError, subprocess.SubprocessError):
        return None
    for text, box in _lines_of(run.stdout.decode("utf-8", "replace")):
        k = max(0, int(np.searchsorted(at, box.y + APART / 2, "right")) - 1)
        scale = strips[k].scale
        found[k].append(
            TextLine(
                text,
                Box(
                    (box.left - EDGE) / scale,
                    (box.top - at[k]) / scale,
                    (box.right - EDGE) / scale,
                    (box.bottom - at[k]) / scale,
                ),
            )
        )
    return found


def _lines_of(table: str) -> list[tuple[str, Box]]:
    """The lines of Tesseract's table of words that it is sure of."""
    lines: dict[tuple[str, ...], tuple[list[str], Box]] = {}
    for row in table.splitlines()[1:]:
        cells = row.split("\t")
        if len(cells) != 12 or float(cells[10]) < SURE:
            continue
        text = NO_LETTER.sub("", cells[11])
        left, top, wide, high = (float(cell) for cell in cells[6:10])
        box = Box(left, top, left + wide, top + high)
        if not text:
            continue
        key = tuple(cells[1:5])
        words, whole = lines.get(key, ([], box))
        lines[key] = [*words, text], whole.joined(box)
    return [(" ".join(words), box) for words, box in lines.values()]


def tell_words(
    ink: Ink, staves: Sequence[FoundStaff], signs: Sequence[StaffSigns]
) -> tuple[list[StaffSigns], bool]:
    """(what was seen on the staves of a page, with what its words say, and with the headings over the first
    staff; whether words could be read). `ink` is the upright page.
    """
    if not staves:
        return [], True
    whole = [_whole_words(ink, staff, mine) for staff, mine in zip(staves, signs, strict=True)]
    spots = [(k, n) for k, words in enumerate(whole) for n in range(len(words))]
    strips = [_cut(ink, staves[k], whole[k][n].box) for k, n in spots]
    first = int(np.argmin([float(s.middles.mean()) for s in staves]))
    head, corner = _head(ink, staves[first])
    told = read_strips([*([head] if head is not None else []), *strips])
    if told is None:
        return list(signs), False
    over = told.pop(0) if head is not None else []
    for (k, n), lines in zip(spots, told, strict=True):
        word = whole[k][n]
        text = " ".join(line.text for line in lines)
        if text:
            begun = word.text.startswith("=") and "=" not in text
            whole[k][n] = dataclasses.replace(word, text=f"= {text}" if begun else text)
    staff = staves[first]
    for line in over:
        whole[first].append(_heading(line, staff, corner))
    return [dataclasses.replace(s, words=tuple(words)) for s, words in zip(signs, whole, strict=True)], True


def _whole_words(ink: Ink, staff: FoundStaff, signs: StaffSigns) -> list[Word]:
    """The words around a staff, each as long as letters follow one another; those that touch then are one."""
    out: list[Word] = []
    above, below = signs.staff.top - BESIDE * UNIT, signs.staff.bottom + BESIDE * UNIT
    for word in sorted(signs.words, key=lambda w: w.box.left):
        box = word.box
        if box.bottom < above or box.top > below:
            box = _grown(ink, staff, box)
        for k, other in enumerate(out):
            if other.box.right > box.left and abs(other.box.y - box.y) < 0.7 * UNIT:
                out[k] = Word(other.text + word.text, other.box.joined(box), "", word.size)
                break
        else:
            out.append(dataclasses.replace(word, box=box))
    return out


def _grown(ink: Ink, staff: FoundStaff, box: Box) -> Box:
    """A box that is wider by the letters that go on beside it."""
    us = np.arange(box.left / UNIT - GROWS, box.right / UNIT + GROWS, 0.1)
    vs = np.arange(box.top / UNIT, box.bottom / UNIT, 0.1) - REACH
    xs = staff.xs[0] + (us - MARGIN) * staff.space
    ys = staff.middle_at(xs) + vs[:, None] * staff.space_at(xs)
    rows = np.clip(np.rint(ys).astype(np.int64), 0, ink.shape[0] - 1)
    columns = np.clip(np.rint(xs).astype(np.int64), 0, ink.shape[1] - 1)
    dark = ink[rows, np.broadcast_to(columns, rows.shape)].max(axis=0) > INKED
    begin, end = round(GROWS / 0.1), len(us) - round(GROWS / 0.1)
    gap = round(GAP / 0.1)
    while begin > 0 and (near := np.flatnonzero(dark[max(0, begin - gap) : begin])).size:
        begin = max(0, begin - gap) + int(near[0])
    while end < len(us) and (near := np.flatnonzero(dark[end : end + gap])).size:
        end += int(near[-1]) + 1
    return Box(float(us[begin]) * UNIT, box.top, float(us[end - 1]) * UNIT, box.bottom)


def _cut(ink: Ink, staff: FoundStaff, box: Box) -> Strip:
    """A word's strip of the page."""
    top, bottom = box.top / UNIT - REACH - PAD, box.bottom / UNIT - REACH + PAD
    if box.y / UNIT < REACH - EDGE_LINE:  # a line of the staff is no letter's
        bottom = min(bottom, -EDGE_LINE)
    elif box.y / UNIT > REACH + EDGE_LINE:
        top = max(top, EDGE_LINE)
    us = (box.left / UNIT - PAD, box.right / UNIT + PAD)
    corners = [staff.on_page(u, v) for u in us for v in (top, bottom)]
    (left, right), (top, bottom) = ((min(side), max(side)) for side in zip(*corners, strict=True))
    return _strip(ink, staff, left, top, right, bottom)


def _strip(ink: Ink, staff: FoundStaff, left: float, top: float, right: float, bottom: float) -> Strip:
    high, wide = ink.shape
    rows = slice(int(np.clip(top, 0, high - 1)), int(np.clip(bottom, 1, high)))
    columns = slice(int(np.clip(left, 0, wide - 1)), int(np.clip(right, 1, wide)))
    found = ink[rows, columns]
    return Strip(found if found.size else np.zeros((1, 1), np.float32), SPACE / staff.space)


def _head(ink: Ink, staff: FoundStaff) -> tuple[Strip | None, tuple[float, float]]:
    """(the headings over the first staff, where their left upper corner is on the page)."""
    middle, space = float(staff.middles.min()), staff.space
    top, bottom = max(0.0, middle - HIGHEST * space), middle - OVER * space
    left = max(0.0, float(staff.xs[0]) - 4.0 * space)
    if bottom - top < 2.0 * space:
        return None, (0.0, 0.0)
    return _strip(ink, staff, left, top, float(staff.xs[-1]) + 4.0 * space, bottom), (left, top)


def _heading(line: TextLine, staff: FoundStaff, corner: tuple[float, float]) -> Word:
    """A line over the first staff, in the coordinates of what was seen on it."""
    dots = UNIT / staff.space
    x0, y0 = corner[0] - float(staff.xs[0]), corner[1] - float(staff.middles.min())
    left, right = ((x + x0) * dots + MARGIN * UNIT for x in (line.box.left, line.box.right))
    top, bottom = ((y + y0) * dots + REACH * UNIT for y in (line.box.top, line.box.bottom))
    return Word(line.text, Box(left, top, right, bottom), "", LETTERS * (bottom - top))
