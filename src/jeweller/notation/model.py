"""What is understood of a notation file: `Score` → `Part` → `Bar` → `Note`, all frozen.

Times in a score are `Fraction` quarter notes. `Note` is what is printed (ties not merged, repeats not played
out); `jeweller.notation.performance.Line` is what is to be played.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

from jeweller.notation.metre import Metre
from jeweller.notation.pitch import Pitch


@dataclass(frozen=True, kw_only=True)
class Note:
    """One printed note, or a rest (no pitch and not unpitched)."""

    id: str
    offset: Fraction  # quarters from the start of the bar
    duration: Fraction  # quarters; 0 for grace notes
    pitch: Pitch | None = None
    unpitched: bool = False
    type: str = "quarter"
    dots: int = 0
    tuplet: tuple[int, int] | None = None  # (actual, normal): a triplet is (3, 2)
    tuplet_mark: str = ""  # "start", "stop" or ""
    grace: bool = False
    slash: bool = False
    cue: bool = False
    chord: bool = False
    voice: str = "1"
    tie_start: bool = False
    tie_stop: bool = False
    slur_starts: tuple[str, ...] = ()
    slur_stops: tuple[str, ...] = ()
    articulations: tuple[str, ...] = ()
    ornament: str | None = None
    fermata: bool = False
    breath_after: bool = False
    accidental: str | None = None  # as printed: "flat", "natural", "sharp", ...
    cautionary: bool = False
    beams: tuple[str, ...] = ()
    whole_bar: bool = False  # a rest printed for the whole bar
    # without pitch: what is struck, as "Bass drum", or the place on the staff, as "line F4", where nothing is
    # named
    stroke: str = ""
    display: str = ""  # without pitch: the place on the staff, as "F4"
    head: str = ""  # another notehead than the ordinary one: "x"

    @property
    def known_pitch(self) -> Pitch:
        """The pitch, of what is known to be no rest and no stroke. Raises LookupError."""
        if self.pitch is None:
            raise LookupError(f"note {self.id} has no pitch")
        return self.pitch

    @property
    def is_rest(self) -> bool:
        return self.pitch is None and not self.unpitched


@dataclass(frozen=True, kw_only=True)
class Mark:
    """A direction at a place in a bar: kind "tempo" (value = quarters per minute), "dynamics", "words" or
    "wedge" (text crescendo | diminuendo | stop).
    """

    kind: str
    offset: Fraction
    text: str = ""
    value: float | None = None
    above: bool = True
    beat_unit: str = ""  # for a printed metronome mark
    per_minute: str = ""


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One written bar with the signature that holds in it."""

    number: str
    length: Fraction  # what it holds, quarters
    beats: int
    beat_type: int
    fifths: int
    mode: str
    clef: tuple[str, int, int]  # sign, line, octave change
    notes: tuple[Note, ...]
    marks: tuple[Mark, ...] = ()
    implicit: bool = False  # a pickup: shorter than the metre on purpose
    repeat_start: bool = False
    repeat_times: int = 0  # 0: no backward repeat at its end
    ending: tuple[int, ...] = ()  # the passes this bar is played in
    ending_start: bool = False
    ending_stop: str = ""  # "stop", "discontinue" or ""
    segno: bool = False
    coda: bool = False
    fine: bool = False
    to_coda: bool = False
    dacapo: bool = False
    dalsegno: bool = False
    double_bar: bool = False
    to_fill: bool = False  # left empty for the player: no rest to be counted
    heading: str = ""  # an exercise begins here, on a line of its own
    final_bar: bool = False

    @property
    def metre(self) -> Metre:
        """The metre it is written in; a pickup is shorter than its `length`."""
        return Metre(self.beats, self.beat_type)


@dataclass(frozen=True, kw_only=True)
class Part:
    """One player's part. `chromatic` semitones added to the written pitch give the sounding one."""

    id: str
    name: str
    instrument: str
    diatonic: int
    chromatic: int
    bars: tuple[Bar, ...]
    percussion: bool = False
    voices_left_out: tuple[str, ...] = ()

    @property
    def has_chords(self) -> bool:
        return any(n.chord and not n.cue for b in self.bars for n in b.notes)

    @property
    def note_count(self) -> int:
        return sum(1 for b in self.bars for n in b.notes if not n.is_rest and not n.cue)


@dataclass(frozen=True)
class Score:
    """A notation file as understood, with a readable account of what was not."""

    title: str
    parts: tuple[Part, ...]
    composer: str = ""
    warnings: tuple[str, ...] = field(default=())
