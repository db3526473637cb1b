"""What was read of one line: notes with what belongs to each, between bar lines. Not yet music: no bar needs
to add up.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from jeweller.omr.primitives import Box

TYPES = ("whole", "half", "quarter", "eighth", "16th", "32nd", "64th")


@dataclass(kw_only=True)
class ReadNote:
    """One note or rest. `place` counts steps of the staff from its lowest line, None for a rest; `sure` 0..1
    is the least of all that was read of it.
    """

    box: Box
    place: int | None
    type: str
    dots: int = 0
    accidental: str = ""
    cautionary: bool = False
    grace: bool = False
    slash: bool = False
    chord: bool = False
    beams: int = 0
    group: int = -1  # of the notes under one beam
    tuplet: int = 0
    tuplet_begins: bool = False
    tuplet_ends: bool = False
    tie_start: bool = False
    tie_stop: bool = False
    slur_starts: int = 0
    slur_stops: int = 0
    articulations: list[str] = field(default_factory=list)
    ornament: str = ""
    fermata: bool = False
    breath_after: bool = False
    head: str = ""
    bars: int = 0  # a rest of so many bars
    sure: float = 1.0
    doubts: list[str] = field(default_factory=list)

    @property
    def x(self) -> float:
        return self.box.x

    @property
    def is_rest(self) -> bool:
        return self.place is None

    @property
    def quarters(self) -> Fraction:
        """How long it is, as printed; nothing for a grace note."""
        return Fraction(0) if self.grace else quarters_of(self.type, self.dots, self.tuplet)

    def doubt(self, why: str, sure: float) -> None:
        """Lowers how sure it is, and says why."""
        if sure < 1.0:
            self.sure = min(self.sure, sure)
            self.doubts.append(why)

    def settle(self, reasons: frozenset[str]) -> None:
        """Takes back the doubts for some reasons; it is sure where none are left."""
        self.doubts = [why for why in self.doubts if why not in reasons]
        if not self.doubts:
            self.sure = 1.0


def quarters_of(kind: str, dots: int, tuplet: int) -> Fraction:
    """How long a note of a type is; what is none of TYPES is a breve.

    >>> quarters_of("quarter", 1, 0), quarters_of("eighth", 0, 3)
    (Fraction(3, 2), Fraction(1, 3))
    """
    plain = Fraction(4) / 2 ** TYPES.index(kind) if kind in TYPES else Fraction(8)
    whole = plain * (2 - Fraction(1, 2**dots))
    return whole * Fraction(normal_of(tuplet), tuplet) if tuplet else whole


def normal_of(actual: int) -> int:
    """In the time of how many a tuplet is played.

    >>> normal_of(3), normal_of(5), normal_of(6), normal_of(2)
    (2, 4, 4, 3)
    """
    return {2: 3, 3: 2, 4: 3, 5: 4, 6: 4, 7: 4, 9: 8}.get(actual, 2)


@dataclass(kw_only=True)
class ReadMark:
    """Words, a dynamic or a hairpin's end at a place in a bar."""

    kind: str  # "words", "dynamics", "wedge", "tempo"
    x: float
    text: str
    above: bool
    unit: str = ""


@dataclass(kw_only=True)
class ReadBar:
    """What stands between two bar lines."""

    left: float
    right: float
    notes: list[ReadNote] = field(default_factory=list)
    marks: list[ReadMark] = field(default_factory=list)
    clef: tuple[str, int, int] | None = None  # where one is printed
    fifths: int | None = None
    metre: tuple[int, int] | None = None
    repeat_start: bool = False
    repeat_end: bool = False
    double: bool = False
    final: bool = False
    ending: tuple[int, ...] = ()
    ending_start: bool = False
    ending_stop: str = ""
    signs: list[str] = field(default_factory=list)  # segno, coda, fine, dacapo, dalsegno, to_coda
    repeats_before: bool = False  # the sign for "the bar before once more"


@dataclass(kw_only=True)
class ReadLine:
    """One staff, read."""

    box: Box
    space: float
    bars: list[ReadBar]
    page: int = 0
    within: int = 0  # which it is of staves that sound together, from the top; 0 for one alone
    drawn: bool = False  # by what a file says is drawn; else by a picture
    heading: str = ""  # the largest words over the first staff of a page
    player: str = ""  # whose part it is, where a word says so
    numbers: list[str] = field(default_factory=list)  # before it or above its beginning; its first bar's too
    doubts: list[str] = field(default_factory=list)
