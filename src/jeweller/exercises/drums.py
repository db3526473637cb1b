"""Drum patterns: snare drum, bass drum and cymbals, drawn by seed from figures of one bar."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from jeweller.exercises.request import ExerciseRequest
from jeweller.exercises.rhythms import draw_bar
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar
from jeweller.notation.pitch import Pitch

PLACES = {"Bass drum": "F4", "Snare drum": "C5", "Cymbals": "A5"}
CLEF = ("percussion", 2, 0)


def drum_bars(drill: ExerciseRequest, strokes: tuple[str, ...], prefix: str) -> tuple[Bar, ...]:
    """Bars of one line in which the strong beats are the lowest drum's, single strokes the others'."""
    rng = np.random.default_rng(drill.seed)
    beats, beat_type = drill.beats
    beat = Metre(beats, beat_type).beat
    sounds: list[UnbarredNote] = []
    now = Fraction(0)
    for k in range(drill.bars):
        last = k == drill.bars - 1
        for value in (
            [drill.bar_length] if last else draw_bar(rng, drill.bar_length, beat, frozenset(drill.uses))
        ):
            if value < 0:
                sounds.append(UnbarredNote(-value))
            else:
                strong = now % drill.bar_length == 0 or (
                    beats == 4 and now % (2 * beat) == 0 and rng.random() < 0.4
                )
                name = (
                    strokes[0]
                    if strong or len(strokes) == 1
                    else strokes[1 + int(rng.integers(len(strokes) - 1))]
                )
                # A stroke is as short as it is printed; what is left of a long one is rest.
                length = min(value, beat)
                sounds.append(
                    UnbarredNote(
                        length,
                        (Pitch("B", 0, 4),),
                        {"pitch": None, "unpitched": True, "stroke": name, "display": PLACES.get(name, "C5")},
                    )
                )
                if value > length:
                    sounds.append(UnbarredNote(value - length))
            now += abs(value)
    return lay_out_bars(
        sounds,
        [BarAttributes(beats=beats, beat_type=beat_type, fifths=0, mode="major", clef=CLEF)],
        prefix=prefix,
    )
