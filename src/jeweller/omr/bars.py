"""A staff cut into bars: bar lines, clefs, key signatures, metres, repeats and endings."""

from __future__ import annotations

import re
from collections.abc import Sequence

from jeweller.omr.assemble import DOT_NEAR, accidental_height, repeat_dots
from jeweller.omr.line import ReadBar, ReadNote
from jeweller.omr.symbols import ACCIDENTALS, StaffSigns, Symbol

THICK = 0.28  # spaces: a bar line wider than that ends the music, or is a repeat's
TOGETHER = 1.3  # spaces: lines so near to one another are one bar line
KEY_NEAR = 1.9  # spaces between the signs of a key signature
# (sign, line, octave): the place of middle C
CLEFS: dict[str, tuple[str, int, int]] = {
    "clef_g": ("G", 2, 0),
    "clef_g_8": ("G", 2, -1),
    "clef_f": ("F", 4, 0),
    "clef_drum": ("percussion", 3, 0),
}
SHARPS = {
    "G": (8, 5, 9, 6, 3, 7, 4),
    "F": (6, 3, 7, 4, 1, 5, 2),
    "C3": (7, 4, 8, 5, 2, 6, 3),
    "C4": (2, 6, 3, 7, 4, 8, 5),
}
FLATS = {
    "G": (4, 7, 3, 6, 2, 5, 1),
    "F": (2, 5, 1, 4, 0, 3, -1),
    "C3": (3, 6, 2, 5, 1, 4, 0),
    "C4": (5, 8, 4, 7, 3, 6, 2),
}
ENDING = re.compile(r"^\s*(\d)(?:\s*[.,\u2013-]\s*(\d))*")


def cut_bars(signs: StaffSigns, notes: Sequence[ReadNote], used: set[int]) -> list[ReadBar]:
    """The bars of a staff with its notes in them. `used` grows by the symbols that are part of a bar's
    signatures.
    """
    staff, space = signs.staff, signs.staff.space
    groups: list[list[tuple[float, float]]] = []
    for line in sorted(signs.bar_lines, key=lambda v: v.x):
        if groups and line.x - groups[-1][-1][0] < TOGETHER * space:
            groups[-1].append((line.x, line.width))
        else:
            groups.append([(line.x, line.width)])
    dots = repeat_dots(signs)
    bars: list[ReadBar] = []
    left, begins = staff.left, False
    first = min((n.x for n in notes), default=staff.right)
    for group in groups:
        x = group[0][0]
        thick = any(width > THICK * space for _x, width in group)
        ends = any(-DOT_NEAR * space < d - group[0][0] < 0 for d, _k in dots)
        starts = any(0 < d - group[-1][0] < DOT_NEAR * space for d, _k in dots)
        for d, k in dots:
            if -DOT_NEAR * space < d - group[0][0] < 0 or 0 < d - group[-1][0] < DOT_NEAR * space:
                used.update(k)
        inside = [n for n in notes if left <= n.x < x]
        if not bars and not inside and x < first and not ends:
            # the line that opens the staff, or a repeat's beginning behind clef and key
            begins = begins or starts
            if x - staff.left > 1.5 * space and not starts:
                continue
            if not starts:
                left = x
            continue
        bar = ReadBar(left=left, right=x, notes=inside, repeat_start=begins, repeat_end=ends)
        bar.final = thick and not ends and not starts
        bar.double = len(group) > 1 and not thick and not ends and not starts
        bars.append(bar)
        left, begins = group[-1][0], starts
    rest = [n for n in notes if n.x >= left]
    if rest:
        bars.append(ReadBar(left=left, right=staff.right, notes=rest, repeat_start=begins))
    _signatures(signs, bars, groups[-1][-1][0] if groups else staff.left, used)
    return bars


def _signatures(signs: StaffSigns, bars: list[ReadBar], last: float, used: set[int]) -> None:
    space = signs.staff.space
    order = sorted((k for k in range(len(signs.symbols))), key=lambda k: signs.symbols[k].box.left)
    clef = ("G", 2, 0)
    for bar in bars:
        here = [k for k in order if bar.left - 0.5 * space <= signs.symbols[k].box.x < bar.right]
        first = min((n.box.left for n in bar.notes if not n.grace), default=bar.right)
        for k in here:
            found = _clef_of(signs, k)
            if found is not None:
                bar.clef, clef = (
                    (found if signs.symbols[k].box.x < first or bar.clef is None else bar.clef),
                    found,
                )
                used.add(k)
        metre = [
            k
            for k in here
            if signs.symbols[k].kind.startswith("metre_")
            and signs.symbols[k].box.x < first + space
            and k not in used
        ]
        read = _metre(staff_places(signs, metre))
        if read is not None:
            bar.metre = read
            used.update(metre)
        fifths, taken = _key(
            signs, [k for k in here if signs.symbols[k].kind in ACCIDENTALS], clef, bar, first
        )
        if fifths is not None:
            bar.fifths = fifths
            used.update(taken)


def _clef_of(signs: StaffSigns, k: int) -> tuple[str, int, int] | None:
    symbol = signs.symbols[k]
    if not symbol.kind.startswith("clef_"):
        return None
    if symbol.kind == "clef_c":
        line = round(signs.staff.place(symbol.box.y) / 2) + 1
        return ("C", min(max(line, 1), 5), 0)
    return CLEFS[symbol.kind]


def staff_places(signs: StaffSigns, which: Sequence[int]) -> list[tuple[str, float, float]]:
    """(kind, x, place) of some symbols."""
    return [
        (signs.symbols[k].kind, signs.symbols[k].box.x, signs.staff.place(signs.symbols[k].box.y))
        for k in which
    ]


def _metre(found: list[tuple[str, float, float]]) -> tuple[int, int] | None:
    """
    >>> _metre([("metre_1", 5.0, 6.0), ("metre_2", 7.0, 6.0), ("metre_8", 6.0, 2.0)])
    (12, 8)
    """
    for kind, _x, _place in found:
        if kind == "metre_common":
            return 4, 4
        if kind == "metre_cut":
            return 2, 2
    upper = "".join(kind[-1] for kind, x, place in sorted(found, key=lambda v: v[1]) if place > 4.0)
    lower = "".join(kind[-1] for kind, x, place in sorted(found, key=lambda v: v[1]) if place <= 4.0)
    if not upper or not lower or not (upper + lower).isdigit() or int(upper) == 0:
        return None
    return (int(upper), int(lower)) if int(lower) in (1, 2, 4, 8, 16, 32) else None


def _key(
    signs: StaffSigns, which: list[int], clef: tuple[str, int, int], bar: ReadBar, first: float
) -> tuple[int | None, list[int]]:
    """(how many sharps, or flats as a negative number; the symbols of the signature). Naturals that take an
    earlier one back belong to it.
    """
    space = signs.staff.space
    before = [k for k in which if signs.symbols[k].box.x < first]
    if not before:
        return None, []
    line = clef[0] if clef[0] != "C" else f"C{min(max(clef[1], 3), 4)}"
    if line not in SHARPS:
        return None, []
    taken: list[int] = []
    edge: float | None = None
    naturals = 0
    count, sign = 0, 0
    for k in sorted(before, key=lambda k: signs.symbols[k].box.left):
        symbol = signs.symbols[k]
        if edge is not None and symbol.box.left - edge > KEY_NEAR * space:
            break
        place = signs.staff.place(accidental_height(symbol))
        if symbol.kind == "natural" and not count:
            taken.append(k)
            naturals += 1
            edge = symbol.box.right
            continue
        kind = {"sharp": 1, "flat": -1}.get(symbol.kind, 0)
        order = SHARPS[line] if kind > 0 else FLATS[line]
        if not kind or (sign and kind != sign) or count >= 7:
            break
        if abs((place - order[count] + 3.5) % 7 - 3.5) > 0.9:
            break
        sign, count = kind, count + 1
        taken.append(k)
        edge = symbol.box.right
    if not count and naturals:
        # naturals alone: either a signature taken back, or the first note's own
        if naturals == 1 and first - (edge or first) < 1.2 * space:
            return None, []
        return 0, taken
    if count == 1 and not naturals:
        last = signs.symbols[taken[-1]]
        own = [
            n
            for n in bar.notes
            if not n.is_rest
            and 0 <= n.box.left - last.box.right < 1.0 * space
            and abs(signs.staff.place(accidental_height(last)) - (n.place or 0)) < 0.9
        ]
        if own and not _at_beginning(signs, last):
            return None, []
    return (sign * count if count else None), taken


def _at_beginning(signs: StaffSigns, sign: Symbol) -> bool:
    """Whether a clef stands right before a sign: then it is the key's."""
    return any(
        s.kind.startswith("clef_") and 0 <= sign.box.left - s.box.right < 2.0 * signs.staff.space
        for s in signs.symbols
    )
