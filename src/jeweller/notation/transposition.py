"""A part moved to another pitch: notes keep their place in the scale, the key signature moves along."""

from __future__ import annotations

import dataclasses

from jeweller.notation.barring import add_accidentals
from jeweller.notation.model import Bar, Note, Part
from jeweller.notation.pitch import STEP_SEMITONE, STEPS, Pitch, spell

MOST_SIGNS = 7


def diatonic_of(chromatic: int) -> int:
    """The staff steps of an interval of so many semitones, by its usual name: 2 is a second, 3 a (minor)
    third, 6 a fourth.

    >>> diatonic_of(-2), diatonic_of(-9), diatonic_of(12)
    (-1, -5, 7)
    """
    octaves, rest = divmod(abs(chromatic), 12)
    steps = 7 * octaves + (0, 1, 1, 2, 2, 3, 3, 4, 5, 5, 6, 6)[rest]
    return steps if chromatic >= 0 else -steps


def fifths_of(chromatic: int, diatonic: int) -> int:
    """How many sharps (negative: flats) an interval adds to a key.

    >>> fifths_of(-2, -1)
    -2
    """
    return 7 * chromatic - 12 * diatonic


def transpose_pitch(pitch: Pitch, chromatic: int, diatonic: int, fifths: int = 0) -> Pitch:
    """A pitch moved by an interval; written otherwise where it would need more than a double sign.

    >>> from jeweller.notation.pitch import Pitch
    >>> transpose_pitch(Pitch("C", 0, 5), -2, -1).name
    'B♭4'
    """
    octave, index = divmod(pitch.octave * 7 + STEPS.index(pitch.step) + diatonic, 7)
    midi = pitch.midi + chromatic
    alter = midi - (12 * (octave + 1) + STEP_SEMITONE[STEPS[index]])
    return Pitch(STEPS[index], alter, octave) if abs(alter) <= 2 else spell(midi, fifths)


def transpose_part(
    part: Part, chromatic: int, diatonic: int | None = None, *, most_signs: int = MOST_SIGNS
) -> Part:
    """The written notes moved by an interval, accidentals printed anew. What sounds moves with them:
    `Part.chromatic` stays.

    Where a key would have more than `most_signs` signs its enharmonic equal is written.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> part = read_abc("T:A line\\nM:4/4\\nL:1/4\\nK:F\\nF G A B|c2 z2|")[0].parts[0]
    >>> [n.pitch.name for n in transpose_part(part, 2).bars[0].notes]
    ['G4', 'A4', 'B4', 'C5']
    """
    steps = diatonic_of(chromatic) if diatonic is None else diatonic
    fifths = [b.fifths + fifths_of(chromatic, steps) for b in part.bars]
    if fifths and max(fifths) > most_signs and min(fifths) - 12 >= -MOST_SIGNS:
        steps += 1
    elif fifths and min(fifths) < -most_signs and max(fifths) + 12 <= MOST_SIGNS:
        steps -= 1
    bars = [move_bar(b, chromatic, steps) for b in part.bars]
    return dataclasses.replace(part, bars=add_accidentals(bars))


def move_bar(bar: Bar, chromatic: int, diatonic: int) -> Bar:
    """The written notes of a bar and its key moved by an interval; printed accidentals are as they were.

    >>> from jeweller.notation.readers.abc import read_abc
    >>> bar = read_abc("M:2/4\\nL:1/4\\nK:C\\nC E|")[0].parts[0].bars[0]
    >>> moved = move_bar(bar, 2, 1)
    >>> moved.fifths, [n.known_pitch.name for n in moved.notes]
    (2, ['D4', 'F♯4'])
    """
    fifths = bar.fifths + fifths_of(chromatic, diatonic)
    while fifths > MOST_SIGNS:
        fifths -= 12
    while fifths < -MOST_SIGNS:
        fifths += 12

    def note(n: Note) -> Note:
        return (
            n
            if n.pitch is None
            else dataclasses.replace(n, pitch=transpose_pitch(n.pitch, chromatic, diatonic, fifths))
        )

    return dataclasses.replace(bar, fifths=fifths, notes=tuple(note(n) for n in bar.notes))
