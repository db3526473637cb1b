"""Swung eighths: printed even, played long and short. From the word that asks for it, the second eighth of a
beat comes at two thirds of it; beats with triplets or sixteenths, and compound metres, stay as they are.
"""

from __future__ import annotations

import dataclasses
from bisect import bisect_right
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import TypeVar

from jeweller.notation.performance import PerformedBar, PerformedNote, PerformedPart, PerformedRest

SWING_WORDS, STRAIGHT_WORDS = ("swing", "swung", "shuffle"), ("straight", "even")
Event = TypeVar("Event", PerformedNote, PerformedRest)
HALF, LATER = Fraction(1, 2), Fraction(1, 6)  # of a beat: where the second eighth is printed; how much later


def _stretches(bars: Sequence[PerformedBar]) -> list[tuple[Fraction, Fraction]]:
    """(begin, end), in quarters, of what is swung."""
    out: list[tuple[Fraction, Fraction]] = []
    begin: Fraction | None = None
    for bar in bars:
        for mark in sorted((m for m in bar.bar.marks if m.kind == "words"), key=lambda m: m.offset):
            text, at = mark.text.casefold(), bar.onset + mark.offset
            if begin is None and any(w in text for w in SWING_WORDS):
                begin = at
            elif begin is not None and text.startswith(STRAIGHT_WORDS):
                out.append((begin, at))
                begin = None
    if begin is not None:
        out.append((begin, bars[-1].onset + bars[-1].length))
    return out


def swung(line: PerformedPart) -> PerformedPart:
    """The line as it is played where it asks for swing; the line itself where it does not.

    >>> from jeweller.notation.performance import perform_part
    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc('T:A line\\nM:4/4\\nL:1/8\\nK:F\\n"^swing" F2 GA B4|')[0].parts[0]
    >>> [str(n.onset) for n in swung(perform_part("A line", part)).main_notes]
    ['0', '1', '5/3', '2']
    """
    stretches = _stretches(line.bars)
    if not stretches:
        return line
    begins = [b.onset for b in line.bars]

    def beat_of(at: Fraction) -> tuple[int, int, Fraction]:
        """The bar a place lies in, which of its quarters, and how far into that."""
        index = max(0, bisect_right(begins, at) - 1)
        bar = line.bars[index]
        short = bar.bar.metre.length - bar.length if bar.bar.implicit and not index else Fraction(0)
        place = at - bar.onset + short
        return index, int(place), place - int(place)

    events: list[PerformedNote | PerformedRest] = [*line.main_notes, *line.rests]
    places = [p for e in events for p in (e.onset, e.onset + e.duration)]
    straight = {beat_of(p)[:2] for p in places if beat_of(p)[2] not in (0, HALF)}
    compound = [k for k, b in enumerate(line.bars) if b.bar.beat_type == 8]
    straight |= {(k, q) for k in compound for q in range(int(line.bars[k].length) + 1)}

    def moved(at: Fraction) -> Fraction:
        index, quarter, within = beat_of(at)
        if within != HALF or (index, quarter) in straight or not any(a <= at < b for a, b in stretches):
            return at
        return at + LATER

    return dataclasses.replace(
        line,
        notes=tuple(_moved(n, moved) for n in line.notes),
        rests=tuple(_moved(r, moved) for r in line.rests),
    )


def _moved(event: Event, moved: Callable[[Fraction], Fraction]) -> Event:
    onset = moved(event.onset)
    return dataclasses.replace(event, onset=onset, duration=moved(event.onset + event.duration) - onset)
