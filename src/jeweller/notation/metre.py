"""Metres: how long a bar is, what its beat is, and what is beamed together. The one place that decides it."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True)
class Metre:
    """A metre as it is printed. Lengths are quarter notes.

    >>> Metre(6, 8).beat, Metre(3, 8).beat, Metre(2, 2).length
    (Fraction(3, 2), Fraction(1, 2), Fraction(4, 1))
    """

    beats: int
    beat_type: int

    @property
    def length(self) -> Fraction:
        """A full bar.

        >>> Metre(7, 8).length
        Fraction(7, 2)
        """
        return Fraction(4 * self.beats, self.beat_type)

    @property
    def is_compound(self) -> bool:
        """Whether the beats are dotted: 6/8, 9/8, 12/8. 3/8 is not: its three eighths count as three, as
        beginners are taught.
        """
        return self.beat_type >= 8 and self.beats % 3 == 0 and self.beats > 3

    @property
    def beat(self) -> Fraction:
        """What is counted as one."""
        return Fraction(12 if self.is_compound else 4, self.beat_type)

    @property
    def beam_group(self) -> Fraction:
        """What short notes are beamed in: the beat; a whole bar of 3/8, as it is printed by custom; a quarter
        where the beat is shorter.

        >>> Metre(3, 8).beam_group, Metre(2, 2).beam_group
        (Fraction(3, 2), Fraction(2, 1))
        """
        if self.beat_type >= 8 and self.beats % 3 == 0:
            return Fraction(12, self.beat_type)
        return Fraction(4, min(self.beat_type, 4))

    @property
    def beam_groups(self) -> tuple[Fraction, ...]:
        """The groups of a bar in their order; of unequal ones the long one is last, as it is mostly felt.

        >>> [str(g) for g in Metre(7, 8).beam_groups], [str(g) for g in Metre(5, 8).beam_groups]
        (['1', '1', '3/2'], ['1', '3/2'])
        """
        if self.beat_type == 8 and self.beats % 2 and self.beats % 3:
            return (*[Fraction(1)] * ((self.beats - 3) // 2), Fraction(3, 2))
        return (self.beam_group,) * max(1, int(self.length / self.beam_group))

    def __str__(self) -> str:
        return f"{self.beats}/{self.beat_type}"
