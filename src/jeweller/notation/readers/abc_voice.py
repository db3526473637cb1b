"""What of an ABC tune holds for all of it, and a voice as it grows while it is read."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from jeweller.notation.model import Bar, Mark, Note


@dataclass(kw_only=True)
class AbcTune:
    """What holds for a whole tune."""

    titles: list[str] = field(default_factory=list)
    composer: str = ""
    origin: str = ""
    beats: int = 4
    beat_type: int = 4
    free: bool = False  # M:none
    unit: Fraction | None = None
    tempo: Mark | None = None
    fifths: int = 0
    mode: str = "major"
    altered: dict[str, int] = field(default_factory=dict)  # letters the key alters otherwise
    clef: tuple[str, int, int] = ("G", 2, 0)
    chromatic: int = 0


class AbcVoice:
    """One voice as it grows: bars done, and the bar in hand."""

    def __init__(self, name: str, tune: AbcTune) -> None:
        self.id, self.name, self.tune = name, "", tune
        self.beats, self.beat_type, self.free = tune.beats, tune.beat_type, tune.free
        self.fifths, self.mode, self.altered, self.clef, self.chromatic = (
            tune.fifths,
            tune.mode,
            dict(tune.altered),
            tune.clef,
            tune.chromatic,
        )
        self.octave = 0
        self.unit = tune.unit
        self.bars: list[Bar] = []
        self.flags: dict[str, Any] = {}
        self.ending: tuple[int, ...] = ()
        self.begin_bar()
        self.slurs: list[int] = []
        self.decorations: list[str] = []
        self.opened: list[int] = []
        self.graces: list[Note] = []
        self.ties: set[tuple[str, int]] = set()  # what is tied to the next note or chord
        self.arriving: set[tuple[str, int]] = set()  # what was tied to the last one
        self.text, self.text_from = "", 0  # the line of the bar in hand, and where it begins
        self.first_place = (1, 1)
        self.broken: tuple[Fraction, Fraction] | None = None
        self.tuplet: tuple[int, int, int] | None = None  # (actual, normal, notes left)
        self.tuplet_begins = False
        if tune.tempo is not None:
            self.marks.append(tune.tempo)

    def begin_bar(self) -> None:
        self.now = Fraction(0)
        self.notes: list[Note] = []
        self.marks: list[Mark] = []
        self.state: dict[tuple[str, int], int] = {}
        self.place = (1, 1)

    def default_unit(self) -> Fraction:
        if self.unit is not None:
            return self.unit
        return Fraction(1, 4) if Fraction(self.beats, self.beat_type) < Fraction(3, 4) else Fraction(1, 2)
