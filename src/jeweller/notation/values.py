"""Note values: names, lengths in quarters, dots and tuplets."""

from __future__ import annotations

import functools
from fractions import Fraction

TYPE_QUARTERS = {
    "long": Fraction(16),
    "breve": Fraction(8),
    "whole": Fraction(4),
    "half": Fraction(2),
    "quarter": Fraction(1),
    "eighth": Fraction(1, 2),
    "16th": Fraction(1, 4),
    "32nd": Fraction(1, 8),
    "64th": Fraction(1, 16),
    "128th": Fraction(1, 32),
    "256th": Fraction(1, 64),
}


@functools.lru_cache(maxsize=4096)
def guess_type(
    duration: Fraction, tuplet: tuple[int, int] | None = None
) -> tuple[str, int, tuple[int, int] | None]:
    """Note type, dots and tuplet for a duration in quarters; the nearest shorter plain type where none fits
    exactly.

    >>> from fractions import Fraction
    >>> guess_type(Fraction(3, 2))[:2]
    ('quarter', 1)
    """
    for ratio in (tuplet, None, (3, 2), (5, 4), (6, 4), (7, 4)):
        printed = duration * Fraction(*ratio) if ratio else duration
        for name, quarters in TYPE_QUARTERS.items():
            for dots, factor in ((0, Fraction(1)), (1, Fraction(3, 2)), (2, Fraction(7, 4))):
                if printed == quarters * factor:
                    return name, dots, ratio
    name = next((n for n, q in TYPE_QUARTERS.items() if q <= duration), "256th")
    return name, 0, None


def beat_unit(quarters: Fraction) -> str:
    """The printed unit of a metronome mark: "quarter", "quarter." for a dotted one; "quarter" where none
    fits.

    >>> from fractions import Fraction
    >>> beat_unit(Fraction(3, 2))
    'quarter.'
    """
    name, dots, tuplet = guess_type(quarters)
    return (
        name + "." * min(dots, 1)
        if tuplet is None and TYPE_QUARTERS[name] * (Fraction(3, 2) if dots else 1) == quarters
        else "quarter"
    )
