"""Rhythms: named rows of values for scales, and cells of one beat from which rhythm lines are drawn."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from jeweller.i18n import N_
from jeweller.notation.metre import Metre

F = Fraction
# Values that a scale goes round in, quarters; a negative one is a rest.
ROWS: dict[str, tuple[Fraction, ...]] = {
    N_("wholes"): (F(4),),
    N_("halves"): (F(2),),
    N_("quarters"): (F(1),),
    N_("eighths"): (F(1, 2),),
    N_("triplets"): (F(1, 3),),
    N_("sixteenths"): (F(1, 4),),
    N_("dotted quarters"): (F(3, 2),),
    N_("half and quarters"): (F(2), F(1), F(1)),
    N_("quarter and eighths"): (F(1), F(1, 2), F(1, 2)),
    N_("eighths and quarter"): (F(1, 2), F(1, 2), F(1)),
    N_("dotted"): (F(3, 2), F(1, 2)),
    N_("sharp dotted"): (F(3, 4), F(1, 4)),
    N_("short first"): (F(1, 4), F(3, 4)),
    N_("off the beat"): (F(1, 2), F(1), F(1, 2)),
    N_("syncopated quarters"): (F(1), F(2), F(1)),
    N_("syncopated sixteenths"): (F(1, 4), F(1, 2), F(1, 4)),
    N_("held over the beat"): (F(1, 2), F(1), F(1), F(1), F(1, 2)),
    N_("ahead of three"): (F(3, 2), F(5, 2)),
    N_("quarter and rest"): (F(1), F(-1)),
    N_("swung six"): (F(1), F(1, 2)),
}


@dataclass(frozen=True)
class Cells:
    """Cells of one beat, by what they need; each a row of values in beats' quarters, negative for rests."""

    plain: tuple[tuple[Fraction, ...], ...]
    dots: tuple[tuple[Fraction, ...], ...]
    rests: tuple[tuple[Fraction, ...], ...]
    fast: tuple[tuple[Fraction, ...], ...]


# Of two beats or one, in metres whose beat is a quarter; and of one dotted quarter.
SIMPLE = Cells(
    plain=((F(1),), (F(1), F(1)), (F(2),), (F(1, 2), F(1, 2))),
    dots=((F(3, 2), F(1, 2)), (F(3, 4), F(1, 4)), (F(1, 2), F(1), F(1, 2))),
    rests=((F(-1),), (F(-1, 2), F(1, 2)), (F(1, 2), F(-1, 2))),
    fast=((F(1, 4),) * 4, (F(1, 2), F(1, 4), F(1, 4)), (F(1, 4), F(1, 4), F(1, 2)), (F(1, 3),) * 3),
)
COMPOUND = Cells(
    plain=((F(3, 2),), (F(1), F(1, 2)), (F(1, 2),) * 3),
    dots=((F(3, 4), F(1, 4), F(1, 2)), (F(1, 2), F(1))),
    rests=((F(-3, 2),), (F(1), F(-1, 2)), (F(-1, 2), F(1))),
    fast=((F(1, 2), F(1, 4), F(1, 4), F(1, 2)), (F(1, 2), F(1, 2), F(1, 4), F(1, 4))),
)


def draw_in(rng: np.random.Generator, metre: Metre, uses: frozenset[str]) -> list[Fraction]:
    """One bar of a metre: group by group where its groups are unequal, or three eighths are a whole bar.

    >>> import numpy as np
    >>> sum(abs(v) for v in draw_in(np.random.default_rng(1), Metre(7, 8), frozenset()))
    Fraction(7, 2)
    """
    groups = metre.beam_groups
    if metre.is_compound or (len(set(groups)) == 1 and groups[0].numerator != 3):
        return draw_bar(rng, metre.length, metre.beat, uses)
    # Thirds of a quarter are not counted in a metre of eighths.
    bar = [v for g in groups for v in draw_bar(rng, g, g, uses, thirds=False)]
    return bar if any(v > 0 for v in bar) else [metre.length]


def draw_bar(
    rng: np.random.Generator,
    length: Fraction,
    beat: Fraction,
    uses: frozenset[str],
    *,
    thirds: bool = True,
) -> list[Fraction]:
    """One bar of values that add up to `length`, from the cells that `uses` allows (dots, rests, fast)."""
    cells = COMPOUND if beat.numerator == 3 else SIMPLE
    scale = F(1) if beat.numerator == 3 else beat
    asked = [getattr(cells, name) for name in ("dots", "rests", "fast") if name in uses]
    choices = [
        c for group in (cells.plain, cells.plain, *asked) for c in group
    ]  # plain values twice as often
    out: list[Fraction] = []
    left = length
    while left > 0:
        fitting = [
            c
            for c in choices
            if sum(abs(v) for v in c) * scale <= left and (thirds or all(v.denominator != 3 for v in c))
        ]
        if not fitting:
            out.append(left)
            break
        cell = fitting[int(rng.integers(len(fitting)))]
        out += [v * scale for v in cell]
        left -= sum(abs(v) for v in cell) * scale
    if all(v < 0 for v in out):
        out[0] = -out[0]
    return out
