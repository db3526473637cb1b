"""A page as lines of music: every staff read, and lines of one piece told from the beginning of another."""

from __future__ import annotations

import re
from collections.abc import Sequence

from jeweller.omr.assemble import Assembly
from jeweller.omr.bars import cut_bars
from jeweller.omr.joins import join_curves, join_tuplets
from jeweller.omr.line import ReadBar, ReadLine, ReadNote
from jeweller.omr.primitives import Box, DrawnLine
from jeweller.omr.symbols import StaffSigns
from jeweller.omr.words import is_title, names_player, read_words

ENDING = re.compile(r"^\s*(\d)\s*(?:[.,]|$)(?:\s*(\d)\s*\.?)?")
MULTI_REST = 40  # bars: no more are left out at once


def read_line(signs: StaffSigns) -> ReadLine:
    """One staff, read."""
    assembly = Assembly(signs)
    notes = assembly.read()
    used = assembly.used
    bars = cut_bars(signs, notes, used)
    join_tuplets(signs, bars, used)
    join_curves(signs, bars)
    _endings(signs, bars)
    _long_rests(signs, bars)
    read_words(signs, bars, used)
    staff = signs.staff
    line = ReadLine(box=Box(staff.left, staff.top, staff.right, staff.bottom), space=staff.space, bars=bars)
    line.numbers, line.within = _numbers(signs), signs.within
    line.heading, line.player = _heading(signs)
    return line


def _heading(signs: StaffSigns) -> tuple[str, str]:
    """(the largest words well above a staff, those that name an instrument)."""
    staff = signs.staff
    above = [w for w in signs.words if w.box.bottom < staff.top - 3.0 * staff.space and len(w.text) > 2]
    player = next((w for w in above if names_player(w.text)), None)
    titles = [w for w in signs.words if w is not player and len(w.text) > 2 and is_title(w, staff)]
    title = max(titles, key=lambda w: w.size).text if titles else ""
    return title, names_player(player.text) if player is not None else ""


def _endings(signs: StaffSigns, bars: Sequence[ReadBar]) -> None:
    """Brackets above the staff with the number of the pass in them."""
    staff, space = signs.staff, signs.staff.space
    numbers = [(w.box, ENDING.match(w.text.strip())) for w in signs.words if w.box.bottom < staff.top]
    numbers += [
        (s.box, ENDING.match(s.kind[-1] + "."))
        for s in signs.symbols
        if s.kind.startswith(("metre_", "tuplet_"))
        and s.kind[-1].isdigit()
        and s.box.bottom < staff.top - 0.5 * space
    ]
    for line in signs.level:
        box = line.box
        if box.y > staff.top - 0.8 * space or box.width < 2.0 * space:
            continue
        inside = [m for b, m in numbers if m is not None and _begins_bracket(b, box, space)]
        hooked = any(_hook(s, box.left, box.y, space) for s in signs.stems)
        if not inside or not hooked:
            continue
        passes = tuple(sorted(int(g) for g in inside[0].groups() if g))
        over = [b for b in bars if b.right > box.left + space and b.left < box.right - space]
        if not over:
            continue
        for bar in over:
            bar.ending = passes
        over[0].ending_start = True
        closed = any(_hook(s, box.right, box.y, space) for s in signs.stems)
        over[-1].ending_stop = "stop" if closed or over[-1].repeat_end else "discontinue"


def _begins_bracket(number: Box, bracket: Box, space: float) -> bool:
    """Whether a number stands under the beginning of a bracket: it counts a pass."""
    return 0 <= number.left - bracket.left < 2.5 * space and -0.7 * space < number.y - bracket.y < 2.5 * space


def _hook(stroke: DrawnLine, x: float, y: float, space: float) -> bool:
    box = stroke.box
    return abs(box.x - x) < 0.3 * space and abs(box.top - y) < 0.4 * space


def _long_rests(signs: StaffSigns, bars: Sequence[ReadBar]) -> None:
    """A number above a bar that holds nothing but a rest says how many bars it stands for."""
    staff = signs.staff
    for bar in bars:
        if any(not n.is_rest for n in bar.notes):
            continue
        digits = sorted(
            (
                s
                for s in signs.symbols
                if s.kind.startswith("metre_")
                and s.kind[-1].isdigit()
                and bar.left < s.box.x < bar.right
                and s.box.bottom < staff.top + 0.5 * staff.space
            ),
            key=lambda s: s.box.left,
        )
        words = [
            w.text
            for w in signs.words
            if w.text.isdigit()
            and w.box.bottom < staff.top + 0.5 * staff.space
            and abs(w.box.x - 0.5 * (bar.left + bar.right)) < 0.2 * (bar.right - bar.left)
        ]
        if not digits and not words:
            continue
        count = int("".join(s.kind[-1] for s in digits) or words[0])
        if not 1 < count <= MULTI_REST:
            continue
        if not bar.notes:  # the sign that stands for them is none of the rests of one bar
            middle = Box(bar.left, staff.top, bar.right, staff.bottom)
            bar.notes.append(ReadNote(box=middle, place=None, type="whole"))
        bar.notes[0].bars, bar.notes[0].type = count, "whole"
        del bar.notes[1:]


def _numbers(signs: StaffSigns) -> list[str]:
    """The numbers before a staff, or above its beginning, as exercises and bars are numbered: first those
    with a full stop, then the larger ones.
    """
    staff = signs.staff
    heads = [s.box.right for s in signs.symbols if s.kind.startswith("head_") and s.box.left > staff.left]
    begun = max(staff.left + 9 * staff.space, min(heads, default=staff.left))
    found: list[tuple[bool, float, str]] = []
    for word in signs.words:
        m = re.match(r"^\s*(\d{1,3})\s*([.)]?)(?:\s|$)", word.text)
        before = word.box.right < staff.left + 2 * staff.space
        if m is None or not (before or (word.box.bottom < staff.top and word.box.left < begun)):
            continue
        if before or not any(_begins_bracket(word.box, line.box, staff.space) for line in signs.level):
            found.append((not m[2], -word.size, m[1]))
    return [number for _stop, _size, number in sorted(found)]
