"""What goes over several notes: ties, slurs and tuplets."""

from __future__ import annotations

import re
from collections.abc import Sequence

from jeweller.omr.line import ReadBar, ReadNote
from jeweller.omr.symbols import Curve, StaffSigns

END_ACROSS = 2.0  # spaces between a curve's end and the middle of its head
END_FAR = 5.5  # and up or down
TIE_FAR = 1.9  # spaces from a tie's end to the height of its head
TUPLET_FAR = 8.0  # spaces from the staff's middle to a tuplet's number


def join_curves(signs: StaffSigns, bars: Sequence[ReadBar]) -> None:
    """Ties and slurs, by the heads that the ends of each curve are nearest to."""
    notes = [n for bar in bars for n in bar.notes if not n.is_rest and not n.chord]
    space = signs.staff.space
    for curve in sorted(signs.curves, key=lambda c: c.x0):
        first = _nearest(notes, curve.x0, curve.y0, space, left=True)
        last = _nearest(notes, curve.x1, curve.y1, space, left=False)
        if curve.x0 <= signs.staff.left + _head_end(signs, notes) and first is not None and last is first:
            first = None  # it comes from the line before
        if last is not None and first is last:
            last = None
        if first is None and last is None:
            continue
        if first is not None and last is not None:
            k, j = notes.index(first), notes.index(last)
            if k >= j:
                continue
            if _is_tie(curve, first, last, k, j, space):
                first.tie_start = last.tie_stop = True
            else:
                first.slur_starts += 1
                last.slur_stops += 1
        elif first is not None and curve.x1 > signs.staff.right - 3.0 * space:
            # it goes on in the next line: what it is shows there
            first.slur_starts += 1
        elif last is not None and curve.x0 < notes[0].box.left:
            last.slur_stops += 1


def _head_end(signs: StaffSigns, notes: Sequence[ReadNote]) -> float:
    return (notes[0].box.left if notes else signs.staff.right) - signs.staff.left


def _nearest(notes: Sequence[ReadNote], x: float, y: float, space: float, *, left: bool) -> ReadNote | None:
    best: tuple[float, ReadNote] | None = None
    for note in notes:
        # a curve begins at the middle of a head or right of it, and ends at its middle or left of it
        across = (x - note.box.x) / space * (1.0 if left else -1.0)
        if not -0.9 <= across <= END_ACROSS:
            continue
        far = abs(y - note.box.y) / space
        if far > END_FAR + 2.0:
            continue
        worth = abs(across) + 0.12 * far
        if best is None or worth < best[0]:
            best = worth, note
    return best[1] if best is not None else None


def _is_tie(curve: Curve, first: ReadNote, last: ReadNote, k: int, j: int, space: float) -> bool:
    near = all(abs(y - note.box.y) < TIE_FAR * space for y, note in ((curve.y0, first), (curve.y1, last)))
    return j == k + 1 and first.place == last.place and near and not last.accidental and not last.grace


def join_tuplets(signs: StaffSigns, bars: Sequence[ReadBar], used: set[int]) -> None:
    """Tuplets by their numbers: the notes under a bracket, else those of the beam that the number is at, else
    as many as make it full.
    """
    space = signs.staff.space
    numbers: list[tuple[int, float, float]] = []
    for k, symbol in enumerate(signs.symbols):
        if symbol.kind.startswith("tuplet_"):
            numbers.append((int(symbol.kind[-1]), symbol.box.x, symbol.box.y))
            used.add(k)
    for word in signs.words:
        if re.fullmatch(r"[2-9]", word.text.strip()) and word.italic:
            numbers.append((int(word.text), word.box.x, word.box.y))
    for number, x, y in sorted(numbers, key=lambda v: v[1]):
        bar = next((b for b in bars if b.left <= x < b.right), None)
        if bar is None or x < signs.staff.left + 2.0 * space:  # the number of a bar, or of an exercise
            continue
        row = [n for n in bar.notes if not n.grace and not n.chord and not n.tuplet]
        span = _bracket(signs, x, y)
        if span is not None:
            members = [n for n in row if span[0] - 0.8 * space <= n.x <= span[1] + 0.8 * space]
        else:
            members = _beamed(row, x, number, space) or _filled(row, x, number)
        if len(members) < 2:
            continue
        for note in members:
            note.tuplet = number
        members[0].tuplet_begins = members[-1].tuplet_ends = True


def _bracket(signs: StaffSigns, x: float, y: float) -> tuple[float, float] | None:
    """The ends of the bracket that a number interrupts, or stands at."""
    space = signs.staff.space
    left = right = None
    for line in signs.level:
        box = line.box
        if abs(box.y - y) > 1.6 * space:
            continue
        if box.left - 0.2 * space <= x <= box.right + 0.2 * space and box.width > 2.0 * space:
            return box.left, box.right
        if box.right <= x and x - box.right < 1.6 * space:
            left = box.left
        if box.left >= x and box.left - x < 1.6 * space:
            right = box.right
    return (left, right) if left is not None and right is not None else None


def _beamed(row: Sequence[ReadNote], x: float, number: int, space: float) -> list[ReadNote]:
    """The notes of the beam above or below which a number stands."""
    groups: dict[int, list[ReadNote]] = {}
    for note in row:
        if note.group >= 0:
            groups.setdefault(note.group, []).append(note)
    best: tuple[float, list[ReadNote]] | None = None
    for members in groups.values():
        middle = 0.5 * (members[0].x + members[-1].x)
        if members[0].x - space <= x <= members[-1].x + space:
            worth = abs(middle - x)
            if best is None or worth < best[0]:
                best = worth, members
    if best is None:
        return []
    members = best[1]
    if len(members) > number and number > 2:
        # two tuplets under one beam, each with its number
        by_distance = sorted(range(len(members)), key=lambda k: abs(members[k].x - x))[:number]
        members = members[min(by_distance) : max(by_distance) + 1]
    return members


def _filled(row: Sequence[ReadNote], x: float, number: int) -> list[ReadNote]:
    """As many neighbours around a number as make up so many of the shortest of them."""
    best: tuple[float, list[ReadNote]] | None = None
    for k in range(len(row)):
        for j in range(k + 2, min(len(row), k + number + 1) + 1):
            members = list(row[k:j])
            shortest = min(n.quarters for n in members)
            if sum(n.quarters for n in members) == number * shortest:
                worth = abs(0.5 * (members[0].x + members[-1].x) - x)
                if best is None or worth < best[0]:
                    best = worth, members
    return best[1] if best is not None else []
