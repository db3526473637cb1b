"""Lines that nobody has played before: seeded music of our own for one instrument, of the kind a method book
sets, to practise the ear on.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from jeweller.instruments.table import Instrument
from jeweller.notation.model import Bar, Mark, Note, Part, Score
from jeweller.notation.pitch import Pitch, key_alter
from jeweller.notation.values import guess_type

F = Fraction
SIGNS = {-2: "flat-flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double-sharp"}
STEPS = "CDEFGAB"
# Rhythm cells: quarters; a negative value is a rest. By the length they fill.
SIMPLE: dict[int, list[tuple[tuple[Fraction, ...], float]]] = {
    1: [
        ((F(1),), 4),
        ((F(1, 2), F(1, 2)), 3.5),
        ((F(3, 4), F(1, 4)), 1.6),
        ((F(1, 4),) * 4, 0.7),
        ((-F(1),), 0.8),
        ((F(1, 3),) * 3, 0.35),
        ((F(1, 2), F(1, 4), F(1, 4)), 0.5),
    ],
    2: [
        ((F(2),), 3),
        ((F(3, 2), F(1, 2)), 1.6),
        ((-F(2),), 0.6),
        ((F(1, 2), F(1), F(1, 2)), 0.5),
        ((F(1), -F(1)), 0.7),
    ],
    3: [((F(3),), 1)],
    4: [((F(4),), 0.7), ((F(3), -F(1)), 0.4), ((-F(4),), 0.15)],
}
COMPOUND: list[tuple[tuple[Fraction, ...], float]] = [
    ((F(3, 2),), 2),
    ((F(1), F(1, 2)), 3),
    ((F(1, 2),) * 3, 2.5),
    ((F(3, 4), F(1, 4), F(1, 2)), 1),
    ((-F(3, 2),), 0.6),
    ((F(1), -F(1, 2)), 0.4),
]
METRES = [(4, 4, 4.0), (3, 4, 2.5), (2, 4, 1.5), (6, 8, 1.5), (2, 2, 0.6)]


@dataclass(frozen=True, kw_only=True)
class Style:
    """How much of what a line holds: probabilities by note, bar or line."""

    bars: tuple[int, int] = (7, 12)
    altered: float = 0.05  # printed accidentals, by note
    slurs: float = 0.30  # by beat group
    staccato: float = 0.12  # by bar
    grace: float = 0.035
    trill: float = 0.12  # of notes of a beat and more
    turn: float = 0.03
    repeat: float = 0.12  # by line
    pickup: float = 0.2
    dynamics: float = 0.4
    fermata: float = 0.08
    plain: bool = False  # no slurs, ornaments, repeats or dynamics


def _choice(
    rng: np.random.Generator, cells: list[tuple[tuple[Fraction, ...], float]]
) -> tuple[Fraction, ...]:
    weights = np.array([w for _, w in cells])
    return cells[int(rng.choice(len(cells), p=weights / weights.sum()))][0]


def _bar_rhythm(rng: np.random.Generator, beats: int, beat_type: int) -> list[Fraction]:
    out: list[Fraction] = []
    if beat_type == 8:
        while sum(map(abs, out)) < F(beats, 2):
            out.extend(_choice(rng, COMPOUND))
        return out
    left = F(4 * beats, beat_type)
    total = left
    while left > 0:
        # Long cells begin on the first and third beat.
        free = [n for n in SIMPLE if n <= left and ((total - left) % 2 == 0 or n == 1)]
        weights = np.array([{1: 5.0, 2: 2.6, 3: 0.8, 4: 0.7}[n] for n in free])
        n = free[int(rng.choice(len(free), p=weights / weights.sum()))]
        out.extend(_choice(rng, SIMPLE[n]))
        left -= n
    return out


def _tempo(rng: np.random.Generator, beat_type: int, shortest: Fraction) -> float:
    """Quarters a minute at which the shortest note is still a student's."""
    top = {F(1, 4): 92.0, F(1, 3): 100.0, F(1, 2): 132.0}.get(shortest, 144.0)
    return float(round(rng.uniform(60, top) * (1.25 if beat_type in (2, 8) else 1.0)))


def compose(seed: int, instrument: Instrument, style: Style | None = None) -> Score:
    """A line for an instrument. The same seed gives the same music."""
    style = style or Style()
    rng = np.random.default_rng((seed, 71))
    weights = np.array([m[2] for m in METRES])
    beats, beat_type, _ = METRES[int(rng.choice(len(METRES), p=weights / weights.sum()))]
    fifths = int(rng.choice([-4, -3, -2, -1, 0, 1, 2, 3], p=[0.06, 0.16, 0.2, 0.18, 0.12, 0.14, 0.1, 0.04]))
    count = int(rng.integers(style.bars[0], style.bars[1] + 1)) * (2 if beats == 2 and beat_type == 4 else 1)
    rhythms = [_bar_rhythm(rng, beats, beat_type) for _ in range(count)]
    if count > 5 and rng.random() < 0.6:  # the opening comes back
        rhythms[count // 2] = rhythms[0]
    metre = F(4 * beats, beat_type)
    rhythms[-1] = [metre] if rng.random() < 0.7 else [metre - 1, -F(1)] if metre > 1 else [metre]
    if all(d < 0 for d in rhythms[0]):
        rhythms[0] = [metre]
    low, high = instrument.low - instrument.chromatic, instrument.high - instrument.chromatic
    span = int(rng.integers(9, 16))
    bottom = int(rng.integers(low + 2, max(low + 3, min(high - span - 3, low + 20))))
    walker = _Walker(rng, fifths, bottom, min(bottom + span, high))
    pickup = not style.plain and rng.random() < style.pickup and metre > 1
    bars: list[Bar] = []
    shortest = min(abs(d) for r in rhythms for d in r)
    if pickup:
        length = F(1, 2) if beat_type == 8 else F(1)
        rhythms.insert(0, [length])
    number = 0 if pickup else 1
    for k, rhythm in enumerate(rhythms):
        notes = _bar_notes(rng, walker, rhythm, fifths, k, style, beat_type, last=k == len(rhythms) - 1)
        marks: list[Mark] = []
        if k == 0:
            marks.append(
                Mark(kind="tempo", offset=F(0), value=_tempo(rng, beat_type, shortest), beat_unit="quarter")
            )
        length = sum(map(abs, rhythm), F(0))
        bars.append(
            Bar(
                number=str(number + k),
                length=length,
                beats=beats,
                beat_type=beat_type,
                fifths=fifths,
                mode="major",
                clef=(instrument.clef, 2 if instrument.clef == "G" else 4, 0),
                notes=tuple(notes),
                marks=tuple(marks),
                implicit=length < metre,
                final_bar=k == len(rhythms) - 1,
            )
        )
    if not style.plain:
        bars = _structure(rng, bars, style, pickup)
    part = Part(
        id="P1",
        name=instrument.name,
        instrument=instrument.name,
        diatonic=round(instrument.chromatic * 7 / 12),
        chromatic=instrument.chromatic,
        bars=tuple(bars),
    )
    return Score(f"Line {seed}", (part,), "Jeweller")


class _Walker:
    """A melody by small steps inside a range, leaning to its middle."""

    def __init__(self, rng: np.random.Generator, fifths: int, bottom: int, top: int) -> None:
        self.rng, self.fifths = rng, fifths
        every = [Pitch(s, key_alter(s, fifths), o) for o in range(9) for s in STEPS]
        self.scale = [p for p in every if bottom <= p.midi <= top]
        self.at = len(self.scale) // 2

    def next(self) -> Pitch:
        move = int(
            self.rng.choice(
                [-4, -3, -2, -1, 0, 1, 2, 3, 4], p=[0.03, 0.05, 0.12, 0.27, 0.08, 0.26, 0.11, 0.05, 0.03]
            )
        )
        middle = len(self.scale) / 2
        if (self.at - middle) * move > 0 and self.rng.random() < abs(self.at - middle) / middle * 0.6:
            move = -move
        self.at = int(np.clip(self.at + move, 0, len(self.scale) - 1))
        return self.scale[self.at]


def _bar_notes(
    rng: np.random.Generator,
    walker: _Walker,
    rhythm: list[Fraction],
    fifths: int,
    k: int,
    style: Style,
    beat_type: int,
    *,
    last: bool,
) -> list[Note]:
    notes: list[Note] = []
    state: dict[tuple[str, int], int] = {}
    at = F(0)
    staccato = not style.plain and rng.random() < style.staccato
    for d in rhythm:
        length = abs(d)
        kind, dots, tuplet = guess_type(length)
        name = f"b{k}.{at.numerator}-{at.denominator}"
        if d < 0:
            notes.append(
                Note(id=name, offset=at, duration=length, type=kind, dots=dots, whole_bar=len(rhythm) == 1)
            )
            at += length
            continue
        pitch = walker.next()
        if rng.random() < style.altered and not last:
            up = int(rng.choice([-1, 1]))
            if abs(pitch.alter + up) <= 1:
                pitch = Pitch(pitch.step, pitch.alter + up, pitch.octave)
        elif (pitch.step, pitch.octave) in state and rng.random() < 0.8:
            pitch = Pitch(pitch.step, state[pitch.step, pitch.octave], pitch.octave)
        grace = not style.plain and rng.random() < style.grace and length >= F(1, 2) and at > 0
        if grace:
            over = walker.scale[min(walker.at + 1, len(walker.scale) - 1)]
            if over != pitch:
                g_kind, _, _ = guess_type(F(1, 2))
                notes.append(
                    _note(f"{name}.g", at, F(0), over, fifths, state, type=g_kind, grace=True, slash=True)
                )
        ornament = None
        if not style.plain and length >= 1 and not last and not grace:
            draw = rng.random()
            ornament = "trill" if draw < style.trill else None
            if ornament is None and draw < style.trill + style.turn:
                ornament = str(rng.choice(["mordent", "inverted_mordent", "turn"]))
        short = staccato and length <= 1 and ornament is None
        notes.append(
            _note(
                name,
                at,
                length,
                pitch,
                fifths,
                state,
                type=kind,
                dots=dots,
                tuplet=tuplet,
                ornament=ornament,
                articulations=("staccato",) if short else (),
            )
        )
        at += length
    if not style.plain and not staccato:
        _slur(rng, notes, style.slurs)
    return notes


def _note(
    name: str,
    at: Fraction,
    length: Fraction,
    pitch: Pitch,
    fifths: int,
    state: dict[tuple[str, int], int],
    **more: object,
) -> Note:
    place = (pitch.step, pitch.octave)
    usual = state.get(place, key_alter(pitch.step, fifths))
    accidental = None
    if usual != pitch.alter:
        accidental = SIGNS[pitch.alter]
        state[place] = pitch.alter
    return Note(id=name, offset=at, duration=length, pitch=pitch, accidental=accidental, **more)  # type: ignore[arg-type]


def _slur(rng: np.random.Generator, notes: list[Note], chance: float) -> None:
    """Slurs over two to four neighbouring notes of one bar."""
    import dataclasses

    k = 0
    while k < len(notes) - 1:
        m = k
        while (
            m + 1 < len(notes)
            and not notes[m + 1].is_rest
            and not notes[m + 1].grace
            and not notes[m].is_rest
            and not notes[m].grace
            and m - k < 3
        ):
            here, following = notes[m].pitch, notes[m + 1].pitch
            same = here is not None and following is not None and here.midi == following.midi
            if same or notes[m].ornament or notes[m + 1].ornament:
                break
            m += 1
        if m > k and rng.random() < chance:
            notes[k] = dataclasses.replace(notes[k], slur_starts=("1",))
            notes[m] = dataclasses.replace(notes[m], slur_stops=("1",))
        k = m + 1


def _structure(rng: np.random.Generator, bars: list[Bar], style: Style, pickup: bool) -> list[Bar]:
    """Repeat, dynamics and fermata."""
    import dataclasses

    if rng.random() < style.repeat and len(bars) >= 8 and not pickup:
        half = len(bars) // 2 - 1
        bars[half] = dataclasses.replace(bars[half], repeat_times=2)
    if rng.random() < style.dynamics:
        levels = ["p", "mp", "mf", "f"]
        a, b = int(rng.integers(0, 2)), int(rng.integers(2, 4))
        if rng.random() < 0.5:
            a, b = b, a
        start = int(rng.integers(1, max(2, len(bars) - 5)))
        stop = min(start + int(rng.integers(2, 4)), len(bars) - 2)
        if stop > start:
            bars[0] = dataclasses.replace(
                bars[0],
                marks=(*bars[0].marks, Mark(kind="dynamics", offset=F(0), text=levels[a], above=False)),
            )
            wedge = Mark(kind="wedge", offset=F(0), text="crescendo" if b > a else "diminuendo", above=False)
            bars[start] = dataclasses.replace(bars[start], marks=(*bars[start].marks, wedge))
            bars[stop] = dataclasses.replace(
                bars[stop],
                marks=(
                    *bars[stop].marks,
                    Mark(kind="wedge", offset=F(0), text="stop", above=False),
                    Mark(kind="dynamics", offset=F(0), text=levels[b], above=False),
                ),
            )
    if rng.random() < style.fermata:
        k = int(rng.integers(2, max(3, len(bars) - 1)))
        notes = list(bars[k].notes)
        long = [
            i
            for i, n in enumerate(notes)
            if not n.is_rest and not n.grace and n.duration >= 1 and n.ornament is None
        ]
        if long:
            notes[long[-1]] = dataclasses.replace(notes[long[-1]], fermata=True)
            bars[k] = dataclasses.replace(bars[k], notes=tuple(notes))
    return bars
