"""Laying notes out in bars: one long row of durations becomes printed bars, with ties over bar lines, values
that can be read, tuplets and accidentals.

Used wherever music does not come with its own bars: MIDI files, generated exercises.
"""

from __future__ import annotations

import dataclasses
import functools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar, Mark, Note
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.values import TYPE_QUARTERS, guess_type

ACCIDENTAL = {2: "double-sharp", 1: "sharp", 0: "natural", -1: "flat", -2: "flat-flat"}
PLAIN = sorted(
    (
        (q * f, d)
        for q in TYPE_QUARTERS.values()
        if Fraction(1, 16) <= q <= 4
        for d, f in ((0, Fraction(1)), (1, Fraction(3, 2)))
    ),
    reverse=True,
)


@dataclass(frozen=True)
class UnbarredNote:
    """A note, chord (highest first) or rest (no pitches) of the row. `marks` are fields of the `Note` it
    becomes; "strokes" are a name, a place and a notehead for each, of what has no pitch.
    """

    duration: Fraction
    pitches: tuple[Pitch, ...] = ()
    marks: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class BarAttributes:
    """What holds in a bar."""

    beats: int = 4
    beat_type: int = 4
    fifths: int = 0
    mode: str = "major"
    clef: tuple[str, int, int] = ("G", 2, 0)

    @property
    def metre(self) -> Metre:
        return Metre(self.beats, self.beat_type)


class _Layout:
    """Bars that are filled from the left, each closed as soon as it is full."""

    def __init__(self, signatures: Sequence[BarAttributes], pickup: Fraction, prefix: str) -> None:
        self._signatures, self._pickup, self._prefix = signatures, pickup, prefix
        self._bars: list[Bar] = []
        self._notes: list[Note] = []  # of the bar that is being filled
        self._now = Fraction(0)  # how far it is filled, in quarters

    @property
    def _signature(self) -> BarAttributes:
        return self._signatures[min(len(self._bars), len(self._signatures) - 1)]

    @property
    def _in_pickup(self) -> bool:
        return bool(self._pickup) and not self._bars

    @property
    def _length(self) -> Fraction:
        return self._pickup if self._in_pickup else self._signature.metre.length

    def add(self, sound: UnbarredNote) -> None:
        """One note, chord or rest, tied over as many bars as it lasts."""
        left, tied = sound.duration, False
        while left > 0:
            here = min(left, self._length - self._now)
            lead = self._signature.metre.length - self._length
            if sound.pitches or here < self._length or lead:
                pieces = split(self._now + lead, here, self._signature, rest=not sound.pitches)
            else:
                pieces = (here,)
            for k, piece in enumerate(pieces):
                self._add_piece(sound, piece, first=not tied, last=left == here and k == len(pieces) - 1)
                tied = True
            left -= here
            if self._now == self._length:
                self._close()

    def _add_piece(self, sound: UnbarredNote, piece: Fraction, *, first: bool, last: bool) -> None:
        """One printed value of a note; what is printed once stands at its first or its last."""
        if first:
            self._notes += [_grace(p, self._now) for p in sound.marks.get("graces", ())]
        kind, dots, tuplet = guess_type(piece)
        marks = {
            m: v
            for m, v in sound.marks.items()
            if m not in ("graces", "strokes")
            and (first or m not in FIRST_ONLY)
            and (last or m not in LAST_ONLY)
        }
        strokes = sound.marks.get("strokes", ())
        for c, pitch in enumerate(sound.pitches or (None,)):
            note = Note(
                id="",
                offset=self._now,
                duration=piece,
                pitch=pitch,
                type=kind,
                dots=dots,
                tuplet=tuplet,
                chord=c > 0,
                tie_stop=not first and pitch is not None,
                tie_start=not last and pitch is not None,
            )
            if strokes:
                name, place, head = strokes[c]
                note = dataclasses.replace(
                    note,
                    pitch=None,
                    unpitched=True,
                    tie_start=False,
                    tie_stop=False,
                    stroke=name,
                    display=place,
                    head=head,
                )
            self._notes.append(dataclasses.replace(note, **(marks if c == 0 else {})))
        self._now += piece

    def _close(self) -> None:
        s, bars, notes = self._signature, self._bars, self._notes
        whole = len(notes) == 1 and notes[0].is_rest and not self._in_pickup
        done = [dataclasses.replace(notes[0], whole_bar=True)] if whole else bracket_tuplets(notes)
        id_start = f"{self._prefix}.m{len(bars) + 1}.n"
        bars.append(
            Bar(
                number=str(len(bars) + (0 if self._pickup else 1)),
                length=self._length,
                beats=s.beats,
                beat_type=s.beat_type,
                fifths=s.fifths,
                mode=s.mode,
                clef=s.clef,
                notes=tuple(dataclasses.replace(n, id=f"{id_start}{k}") for k, n in enumerate(done, 1)),
                implicit=self._in_pickup,
            )
        )
        self._notes, self._now = [], Fraction(0)

    def finish(self) -> list[Bar]:
        """All bars; the last one is filled with rests."""
        if self._notes:
            for piece in split(self._now, self._length - self._now, self._signature, rest=True):
                self._add_piece(UnbarredNote(piece, ()), piece, first=True, last=True)
            self._close()
        return self._bars


def lay_out_bars(
    row: Iterable[UnbarredNote],
    signatures: Sequence[BarAttributes],
    *,
    pickup: Fraction = Fraction(0),
    courtesy: bool = True,
    prefix: str = "p1",
) -> tuple[Bar, ...]:
    """Bars of a row; `signatures` holds for one bar after another, the last for all that follow. A last bar
    that is not full ends in rests.

    >>> from fractions import Fraction as F
    >>> from jeweller.notation.pitch import Pitch
    >>> row = [UnbarredNote(F(3), (Pitch("C", 0, 5),)), UnbarredNote(F(2), (Pitch("E", 0, 5),))]
    >>> bars = lay_out_bars(row, [BarAttributes()])
    >>> [[(n.pitch.letter if n.pitch else "rest", str(n.duration)) for n in b.notes] for b in bars]
    [[('C', '3'), ('E', '1')], [('E', '1'), ('rest', '1'), ('rest', '2')]]
    """
    layout = _Layout(signatures, pickup, prefix)
    for sound in row:
        layout.add(sound)
    bars = layout.finish()
    if bars:
        bars[-1] = dataclasses.replace(bars[-1], final_bar=True)
    return add_accidentals(bars, courtesy=courtesy)


FIRST_ONLY = frozenset({"ornament", "articulations", "slur_starts"})
LAST_ONLY = frozenset({"fermata", "breath_after", "slur_stops"})


def _grace(pitch: Pitch, at: Fraction) -> Note:
    return Note(id="", offset=at, duration=Fraction(0), pitch=pitch, type="eighth", grace=True, slash=True)


@functools.lru_cache(maxsize=4096)
def split(at: Fraction, duration: Fraction, s: BarAttributes, *, rest: bool) -> tuple[Fraction, ...]:
    """The printed values of a note or rest of `duration` that begins at `at` quarters in its bar: as few as
    can be read at sight.

    >>> from fractions import Fraction as F
    >>> [str(v) for v in split(F(1, 2), F(2), BarAttributes(), rest=False)]
    ['1/2', '3/2']
    """
    out: list[Fraction] = []
    while duration > 0:
        value = next(
            (v for v, dots in PLAIN if v <= duration and _fits(at, v, dots, duration, s, rest)), None
        )
        if value is None:
            # Off every grid of plain values (tuplets, very short ones): to the end of the beat, or all of it.
            to_beat = s.metre.beat - at % s.metre.beat
            value = min(duration, to_beat)
        out.append(value)
        at, duration = at + value, duration - value
    return tuple(out)


def _fits(at: Fraction, value: Fraction, dots: int, duration: Fraction, s: BarAttributes, rest: bool) -> bool:
    end, beat = at + value, s.metre.beat
    compound = beat.numerator == 3
    if at % value.limit_denominator(64) and (at % beat).denominator % 3 == 0:
        return False
    if rest:
        if at % beat == 0 and end % beat == 0:
            whole = value >= s.metre.length
            half = s.beats == 4 and value == 2 * beat and at % (2 * beat) == 0
            return whole or half or value == beat
        if dots and not compound:
            return False
        base = value if not dots else value * 2 / 3
        return at // beat == (end - Fraction(1, 64)) // beat and at % base == 0
    if value == duration and (at % beat == 0 or at // beat == (end - Fraction(1, 64)) // beat):
        return True
    if at % beat == 0:
        return end % beat == 0
    # From off the beat: to the next beat, or a plain syncopation of a beat and no more.
    if end % beat == 0 and end - at < beat:
        return True
    plain = value == duration and not compound and not dots and value == beat and (at % beat) * 2 == beat
    # The middle of a bar of four is shown.
    return plain and not (s.beats == 4 and at < 2 * beat < end)


def bracket_tuplets(notes: Sequence[Note]) -> list[Note]:
    """The notes of a bar with brackets on its groups of tuplets.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> bar = read_abc("M:2/4\\nL:1/8\\nK:C\\n(3CDE F2|")[0].parts[0].bars[0]
    >>> [n.tuplet for n in bracket_tuplets(bar.notes)][:2]
    [(3, 2), (3, 2)]
    """
    out = list(notes)
    k = 0
    while k < len(out):
        tuplet = out[k].tuplet
        if tuplet is None or out[k].grace:
            k += 1
            continue
        begin, total = k, Fraction(0)
        group = tuplet[1] * TYPE_QUARTERS.get(out[k].type, Fraction(1))
        while k < len(out) and (out[k].tuplet == tuplet or out[k].grace):
            total += 0 if out[k].chord else out[k].duration
            k += 1
            if total > 0 and (total % 1 == 0 or total == group) and (k >= len(out) or not out[k].chord):
                break
        last = max(i for i in range(begin, k) if not out[i].chord and not out[i].grace)
        if last > begin:
            out[begin] = dataclasses.replace(out[begin], tuplet_mark="start")
            out[last] = dataclasses.replace(out[last], tuplet_mark="stop")
    return out


def add_accidentals(bars: Sequence[Bar], *, courtesy: bool = True) -> tuple[Bar, ...]:
    """The bars with the accidentals that must be printed, and in brackets those that remind of the key after
    an alteration in the bar before.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> bars = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF B =B B|B4|")[0].parts[0].bars
    >>> [[(n.accidental, n.cautionary) for n in b.notes] for b in add_accidentals(bars)]
    [[(None, False), (None, False), ('natural', False), (None, False)], [('flat', True)]]
    """
    out: list[Bar] = []
    altered_before: set[tuple[str, int]] = set()
    for bar in bars:
        state: dict[tuple[str, int], int] = {}
        shown: set[tuple[str, int]] = set()
        notes = []
        for note in bar.notes:
            accidental, cautionary = None, False
            if note.pitch is not None:
                key = (note.pitch.step, note.pitch.octave)
                now = state.get(key, key_alter(note.pitch.step, bar.fifths))
                if note.tie_stop:
                    pass
                elif note.pitch.alter != now:
                    accidental = ACCIDENTAL[note.pitch.alter]
                    state[key] = note.pitch.alter
                elif courtesy and key in altered_before and key not in shown and key not in state:
                    accidental, cautionary = ACCIDENTAL[note.pitch.alter], True
                shown.add(key)
            notes.append(dataclasses.replace(note, accidental=accidental, cautionary=cautionary))
        altered_before = {k for k, alter in state.items() if alter != key_alter(k[0], bar.fifths)}
        out.append(dataclasses.replace(bar, notes=tuple(notes)))
    return tuple(out)


def add_marks(bars: Sequence[Bar], marks: Iterable[tuple[Fraction, Mark]]) -> tuple[Bar, ...]:
    """The bars with directions set at places counted in quarters from the beginning.

    >>> from fractions import Fraction as F
    >>> from jeweller.notation.model import Mark
    >>> from jeweller.notation.readers.abc import read_abc
    >>> bars = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c4|")[0].parts[0].bars
    >>> [len(b.marks) for b in add_marks(bars, [(F(4), Mark(kind="words", offset=F(0), text="slower"))])]
    [0, 1]
    """
    starts, now = [], Fraction(0)
    for bar in bars:
        starts.append(now)
        now += bar.length
    out = list(bars)
    for at, mark in marks:
        k = max((i for i, s in enumerate(starts) if s <= at), default=0)
        out[k] = dataclasses.replace(
            out[k], marks=(*out[k].marks, dataclasses.replace(mark, offset=at - starts[k]))
        )
    return tuple(out)
