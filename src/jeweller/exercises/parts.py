"""The same music written for another instrument: its own key and clef, the sound as it was, or moved by
octaves into its range where that is asked for.
"""

from __future__ import annotations

import dataclasses

from jeweller.exercises.request import LEVELS
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part
from jeweller.notation.transposition import diatonic_of, transpose_part

FEWEST_SIGNS = 6  # a key of more signs is written as its equal


def write_for_instrument(part: Part, instrument: Instrument, *, octaves: int = 0) -> Part:
    """A part as another instrument reads it: it sounds as before, or `octaves` higher. Nothing is moved
    silently to fit a range.
    """
    if part.percussion or instrument.clef == "percussion":
        return dataclasses.replace(part, name=instrument.name, instrument=instrument.name)
    up = part.chromatic - instrument.chromatic
    moved = transpose_part(part, up + 12 * octaves, diatonic_of(up) + 7 * octaves, most_signs=FEWEST_SIGNS)
    bars = tuple(dataclasses.replace(b, clef=instrument.clef_sign) for b in moved.bars)
    diatonic = diatonic_of(instrument.chromatic)
    return dataclasses.replace(
        moved,
        name=instrument.name,
        instrument=instrument.name,
        chromatic=instrument.chromatic,
        diatonic=diatonic,
        bars=bars,
    )


def to_concert_pitch(part: Part) -> Part:
    """A part as it sounds: written and sounding notes are the same."""
    moved = (
        transpose_part(part, part.chromatic, part.diatonic, most_signs=FEWEST_SIGNS)
        if part.chromatic
        else part
    )
    return dataclasses.replace(moved, chromatic=0, diatonic=0)


def best_octave(part: Part, instrument: Instrument) -> int:
    """By how many octaves a part would have to be moved to lie best on an instrument: most of it within what
    is easy, all of it within what is possible.
    """
    sounding = [
        n.pitch.midi + part.chromatic for b in part.bars for n in b.notes if n.pitch is not None and not n.cue
    ]
    if not sounding:
        return 0
    ranges = [r for level in LEVELS if (r := instrument.written_range(level)) is not None]
    if not ranges:
        return 0

    def outside(octaves: int) -> tuple[int, int]:
        written = [m - instrument.chromatic + 12 * octaves for m in sounding]
        counts = [sum(not low <= m <= high for m in written) for low, high in reversed(ranges)]
        return counts[0], sum(counts[1:])  # what cannot be played first

    return min(range(-3, 4), key=lambda o: (*outside(o), abs(o), o))
