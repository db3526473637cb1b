"""Drum patterns: lines of single strokes for snare drum, bass drum and cymbals, and grooves for the drum set,
drawn by seed.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from jeweller.exercises.request import ExerciseRequest
from jeweller.exercises.rhythms import draw_in
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.drums import DRUM_SET, DrumVoice
from jeweller.notation.metre import Metre
from jeweller.notation.model import Bar
from jeweller.notation.pitch import Pitch

CLEF = ("percussion", 2, 0)
FILL_EVERY = 4  # bars of a groove
PLACE = Pitch("B", 0, 4)  # a stroke has no pitch: this one is never printed


def drum_bars(drill: ExerciseRequest, strokes: tuple[str, ...], prefix: str) -> tuple[Bar, ...]:
    """The bars of a drum pattern. Of three strokes and more it is a groove of hands and feet together; else
    one line in which the strong beats are the lowest drum's, single strokes the others'.
    """
    rng = np.random.default_rng(drill.seed)
    sounds = _groove(drill, rng) if len(strokes) > 2 else _line(drill, strokes, rng)
    beats, beat_type = drill.beats
    return lay_out_bars(
        sounds,
        [BarAttributes(beats=beats, beat_type=beat_type, fifths=0, mode="major", clef=CLEF)],
        prefix=prefix,
    )


def struck(names: Sequence[str], length: Fraction) -> UnbarredNote:
    """Strokes together, highest first."""
    voices = sorted(
        (DRUM_SET.get(n) or DrumVoice(n, "C5") for n in names),
        key=lambda v: (v.place[1], "CDEFGAB".index(v.place[0])),
    )
    return UnbarredNote(
        length,
        (PLACE,) * len(names),
        {"strokes": tuple((v.name, v.place, v.head) for v in reversed(voices))},
    )


def _line(drill: ExerciseRequest, strokes: tuple[str, ...], rng: np.random.Generator) -> list[UnbarredNote]:
    metre = Metre(*drill.beats)
    sounds: list[UnbarredNote] = []
    now = Fraction(0)
    for k in range(drill.bars):
        last = k == drill.bars - 1
        for value in [drill.bar_length] if last else draw_in(rng, metre, frozenset(drill.uses)):
            if value < 0:
                sounds.append(UnbarredNote(-value))
            else:
                strong = now % drill.bar_length == 0 or (
                    metre.beats == 4 and now % (2 * metre.beat) == 0 and rng.random() < 0.4
                )
                name = strokes[0] if strong or len(strokes) == 1 else strokes[1]
                # A stroke is as short as it is printed; what is left of a long one is rest.
                length = min(value, metre.beat)
                sounds.append(struck((name,), length))
                if value > length:
                    sounds.append(UnbarredNote(value - length))
            now += abs(value)
    return sounds


def _groove(drill: ExerciseRequest, rng: np.random.Generator) -> list[UnbarredNote]:
    """A bar of eighths (the cymbal on each, the bass drum on the strong beats and where it is drawn, the
    snare drum on the others), repeated; every fourth bar ends in strokes on the toms.
    """
    metre = Metre(*drill.beats)
    eighth = Fraction(1, 2)
    groups = metre.beam_groups if metre.beam_group != 2 else (Fraction(1),) * int(metre.length)
    starts = [Fraction(0), *itertools.accumulate(groups)][:-1]
    over = str(rng.choice(["Hi-hat", "Ride cymbal"]))
    free = [k * eighth for k in range(1, int(metre.length / eighth)) if k * eighth not in starts[1::2]]
    extra = {at for at in free if at not in starts and rng.random() < 0.25} | {
        at for at in starts[2::2] if rng.random() < 0.7
    }
    bar: list[list[str]] = []
    for k in range(int(metre.length / eighth)):
        at = k * eighth
        here = [over]
        if at == 0 or at in extra:
            here.append("Bass drum")
        if at in starts[1::2] or (len(starts) == 1 and at == metre.length - eighth):
            here.append("Snare drum")
        bar.append(here)
    sounds: list[UnbarredNote] = []
    toms = [["High tom"], ["Middle tom"], ["Floor tom"]]
    for number in range(1, drill.bars):
        fill = number % FILL_EVERY == 0
        strokes = [*bar[:-3], *toms] if fill and len(bar) > 4 else list(bar)
        if number % FILL_EVERY == 1:
            strokes[0] = ["Cymbals", "Bass drum"]
        sounds += [struck(names, eighth) for names in strokes]
    end = min(metre.length, Fraction(1) if metre.beam_group.numerator != 3 else Fraction(3, 2))
    sounds.append(struck(("Cymbals", "Bass drum"), end))
    if metre.length > end:
        sounds.append(UnbarredNote(metre.length - end))
    return sounds
