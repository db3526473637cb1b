"""Lines of the first two years, composed for an instrument: few pitches, long notes, counted rests, and the
signs that lead through a part.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from jeweller.instruments.table import Instrument
from jeweller.notation.barring import BarAttributes, UnbarredNote, lay_out_bars
from jeweller.notation.model import Bar, Mark, Part, Score
from jeweller.notation.pitch import Pitch, key_alter

F = Fraction
STEPS = "CDEFGAB"
Row = list[tuple[int | None, Fraction]]  # (degree of the scale or None for a rest, quarters)


def scale_of(instrument: Instrument, fifths: int, rng: np.random.Generator) -> list[Pitch]:
    """Written pitches of a key in the comfortable middle of an instrument, lowest first."""
    low, high = instrument.low - instrument.chromatic, instrument.high - instrument.chromatic
    every = sorted((Pitch(s, key_alter(s, fifths), o) for o in range(9) for s in STEPS), key=lambda p: p.midi)
    bottom = low + int(rng.integers(4, 9))
    return [p for p in every if bottom <= p.midi <= min(high - 3, bottom + 19)]


def score_of(
    instrument: Instrument,
    row: Row,
    scale: Sequence[Pitch],
    *,
    fifths: int = 0,
    beats: int = 4,
    bpm: float = 84.0,
    ties: Sequence[int] = (),
    title: str = "Line",
) -> Score:
    """A score of one part. `ties`: entries of the row that are tied to the next one, of the same degree."""
    clef = (instrument.clef, 2 if instrument.clef == "G" else 4, 0)
    attributes = BarAttributes(beats=beats, beat_type=4, fifths=fifths, clef=clef)
    notes = []
    for degree, length in row:
        notes.append(UnbarredNote(length, (scale[degree],) if degree is not None else ()))
    if ties:
        merged: list[UnbarredNote] = []
        for k, note in enumerate(notes):
            if k - 1 in ties:
                merged[-1] = dataclasses.replace(merged[-1], duration=merged[-1].duration + note.duration)
            else:
                merged.append(note)
        notes = merged
    bars = lay_out_bars(notes, [attributes])
    return wrap(instrument, bars, bpm, title)


def wrap(instrument: Instrument, bars: Sequence[Bar], bpm: float, title: str) -> Score:
    """Bars as a score with its speed."""
    tempo = Mark(kind="tempo", offset=F(0), value=float(round(bpm)), beat_unit="quarter")
    first = dataclasses.replace(bars[0], marks=(*bars[0].marks, tempo))
    part = Part(
        id="P1",
        name=instrument.name,
        instrument=instrument.name,
        diatonic=round(instrument.chromatic * 7 / 12),
        chromatic=instrument.chromatic,
        bars=(first, *bars[1:]),
    )
    return Score(title, (part,), "Jeweller")


def few_pitches(rng: np.random.Generator) -> Row:
    """A beginner's line on one to three neighbouring pitches."""
    count = int(rng.integers(1, 4))
    home = int(rng.integers(0, 5))
    way = str(rng.choice(["wholes", "halves", "mixed", "shrinking", "rests", "eighths"]))
    bars = int(rng.integers(8, 17))

    def degree() -> int:
        return home + int(rng.integers(0, count))

    row: Row = []
    if way == "wholes":
        return [(degree(), F(4)) for _ in range(2 * bars if count == 1 else bars)]
    if way == "shrinking":
        d = home
        for length in (F(4), F(2), F(1), F(1, 2), F(1), F(2)):
            row += [(d, length)] * int(8 / length)
        return row
    cells = {
        "halves": [[F(2), F(2)], [F(2), -F(2)]],
        "mixed": [[F(1)] * 4, [F(2), F(1), F(1)], [F(2), F(2)], [F(4)], [F(1), F(1), F(2)]],
        "rests": [[F(1), -F(1), F(1), -F(1)], [F(1), F(1), F(1), -F(1)], [F(2), -F(2)], [F(1), F(1), -F(2)]],
        "eighths": [[F(1, 2)] * 4 + [F(1)] * 2, [F(1), F(1, 2), F(1, 2), F(2)], [F(1)] * 4, [F(2), F(2)]],
    }[way]
    for _ in range(bars):
        for length in cells[int(rng.integers(len(cells)))]:
            row.append((degree() if length > 0 else None, abs(length)))
    while row and row[-1][0] is None:
        row.pop()
    if row[0][0] is None:
        row.insert(0, (home, row.pop(0)[1]))
    return row


def tune(rng: np.random.Generator, size: int, bars: int, beats: int = 4, *, cells: str = "plain") -> Row:
    """A stepwise line of `bars` bars over `size` degrees of a scale."""
    tables: dict[tuple[str, int], list[list[Fraction]]] = {
        ("plain", 4): [
            [F(1)] * 4,
            [F(2), F(1), F(1)],
            [F(1), F(1), F(2)],
            [F(1), F(1, 2), F(1, 2), F(1), F(1)],
            [F(2), F(2)],
            [F(1), F(1), F(1), -F(1)],
        ],
        ("plain", 3): [[F(1)] * 3, [F(2), F(1)], [F(1), F(1, 2), F(1, 2), F(1)], [F(3)], [F(1), F(2)]],
        ("long", 4): [[F(2), F(2)], [F(4)], [F(3), F(1)], [F(1), F(1), F(2)], [F(3), F(1)]],
        ("three", 4): [[F(3), F(1)], [F(1)] * 4, [F(3), F(1)], [F(2), F(1), F(1)]],
        ("rests", 4): [[F(1), F(1), F(1), -F(1)], [F(2), F(1), -F(1)], [F(1)] * 4, [F(1), F(1), F(2)]],
    }
    table = tables[cells, beats]
    at, row = int(rng.integers(size // 3, 2 * size // 3 + 1)), list[tuple[int | None, Fraction]]()
    for k in range(bars):
        for length in [F(beats)] if k == bars - 1 else table[int(rng.integers(len(table)))]:
            if length < 0:
                row.append((None, -length))
                continue
            row.append((at, length))
            move = int(rng.choice([-2, -1, -1, 0, 1, 1, 2]))
            at = at + move if 0 <= at + move < size else at - move
            at = int(np.clip(at, 0, size - 1))
    return row
