"""Exercises in chords: inversions, the chords of a key, and chords and chorales that the band shares."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import DrillError
from jeweller.exercises.request import CHORDS, ExerciseRequest
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.barring import UnbarredNote
from jeweller.notation.pitch import Pitch

TRIAD = (0, 2, 4)
VOICES = ("soprano", "alto", "tenor", "bass")
# Where the middle of what beginners play sounds (MIDI), from which an instrument takes the next higher voice.
VOICE_FROM = {"soprano": 67.0, "alto": 58.0, "tenor": 48.5}
# Where the voices of a chorale lie at first, in steps above the lowest tonic, and how far each may go.
BEGIN = {"soprano": 21, "alto": 18, "tenor": 14}
REACH = {"soprano": (17, 25), "alto": (14, 22), "tenor": (9, 18)}
# A chord to tune by is built up: the degree (0 the tonic) that each voice has, step by step.
BUILT_UP = (
    (N_("all in unison"), {"soprano": 0, "alto": 0, "tenor": 0, "bass": 0}),
    (N_("with the fifth"), {"soprano": 0, "alto": 0, "tenor": 4, "bass": 0}),
    (N_("with the third"), {"soprano": 0, "alto": 2, "tenor": 4, "bass": 0}),
)
MOST_CHORDS = 32


@dataclass(frozen=True)
class VoiceLine:
    """A voice of the band: steps of the scale above a tonic, each with a length in quarters; None: a rest."""

    steps: tuple[tuple[int | None, Fraction], ...]
    words: tuple[tuple[Fraction, str], ...] = ()


def chord_members(drill: ExerciseRequest, notes: Sequence[Pitch], octave: int, tonic: int) -> list[Pitch]:
    """Of the notes of a scale those of the chord on its tonic; of a chord's own notes all."""
    if drill.named_chord:
        return list(notes)
    return [p for k, p in enumerate(notes) if (k - tonic) % octave in CHORDS[drill.chord]]


def progression_of(drill: ExerciseRequest) -> tuple[int, ...]:
    """The degrees that the chords stand on, 0 the tonic. Raises DrillError."""
    degrees = drill.progression.split()
    if not 1 <= len(degrees) <= MOST_CHORDS or not all(d.isdigit() and 1 <= int(d) <= 7 for d in degrees):
        raise DrillError(
            _(
                "The chords are named by their degrees, from 1 to 7, as in “1 4 5 1”, not “{progression}”."
            ).format(progression=drill.progression)
        )
    return tuple(int(d) - 1 for d in degrees)


def broken_chords(drill: ExerciseRequest, values: Sequence[Fraction]) -> list[tuple[int, Fraction]]:
    """(step of the scale, quarters): a bar of each chord, broken low, middle, high, middle, within the
    octave; at the end the tonic.
    """
    out: list[tuple[int, Fraction]] = []
    for degree in progression_of(drill):
        low, middle, high = sorted((degree + t) % 7 for t in TRIAD)
        tones = itertools.cycle((low, middle, high, middle))
        now, k = Fraction(0), 0
        while now < drill.bar_length:
            value = min(abs(values[k % len(values)]), drill.bar_length - now)
            out.append((next(tones), value))
            now, k = now + value, k + 1
    return [*out, (0, drill.bar_length)]


def voice_of(instrument: Instrument) -> str:
    """The voice that an instrument has in the band's chords, by where it sounds."""
    easy = instrument.written_range("beginner")
    low, high = easy or (instrument.low - instrument.chromatic, instrument.high - instrument.chromatic)
    middle = (low + high) / 2 + instrument.chromatic
    return next((voice for voice, least in VOICE_FROM.items() if middle >= least), "bass")


def voice_line(drill: ExerciseRequest, voice: str) -> VoiceLine:
    """What a voice plays in a chorale, or while chords to tune by are built up."""
    beat = Fraction(4, drill.beats[1])
    if drill.kind == "chorale":
        length = drill.bar_length / 2 if drill.beats[0] % 2 == 0 else drill.bar_length
        steps = [(chord[voice], length) for chord in _chorale(progression_of(drill))]
        before = length * (len(steps) - 1)
        return VoiceLine((*steps[:-1], (steps[-1][0], drill.bar_length - before % drill.bar_length)))
    line: list[tuple[int | None, Fraction]] = []
    words: list[tuple[Fraction, str]] = []
    now = Fraction(0)
    for degree in progression_of(drill):
        for said, degrees in BUILT_UP:
            words.append((now, _(said)))
            line.append((degree + degrees[voice], drill.counts * beat))
            now += drill.counts * beat
            if drill.rest:
                line.append((None, drill.rest * beat))
                now += drill.rest * beat
    return VoiceLine(tuple(line[:-1] if drill.rest else line), tuple(words))


def place_line(
    line: VoiceLine, notes: Sequence[Pitch], tonic: Pitch, middle: float
) -> list[UnbarredNote] | None:
    """The line on the notes of the scale that an instrument has, in the octave nearest its middle; where no
    octave holds all of it, single notes go to where they can be played. None where a note is nowhere.
    """
    tonics = [k for k, p in enumerate(notes) if (p.midi - tonic.midi) % 12 == 0]
    steps = [s for s, _unused in line.steps if s is not None]
    octaves = sorted({t - 7 * k for t in tonics for k in range(-4, 5)})

    def cost(shift: int) -> tuple[int, float]:
        places = [shift + s for s in steps]
        inside = [notes[p].midi for p in places if 0 <= p < len(notes)]
        mean = sum(inside) / len(inside) if inside else -999.0
        return len(places) - len(inside), abs(mean - middle)

    if not octaves:
        return None
    shift = min(octaves, key=cost)
    out = []
    for step, length in line.steps:
        if step is None:
            out.append(UnbarredNote(length))
            continue
        place = next((p for k in (0, -7, 7, -14, 14) if 0 <= (p := shift + step + k) < len(notes)), None)
        if place is None:
            return None
        out.append(UnbarredNote(length, (notes[place],)))
    return out


@functools.cache
def _chorale(progression: tuple[int, ...]) -> tuple[dict[str, int], ...]:
    """The four voices of chords in root position: each chord whole, the upper voices moving as little as they
    can, no fifths or octaves side by side. Steps of the scale above the lowest tonic.
    """
    out: list[dict[str, int]] = []
    for degree in progression:
        bass = degree if degree < 5 else degree - 7
        best = min(_voicings(degree), key=lambda v: _movement(v, bass, out[-1] if out else None))
        out.append({**best, "bass": bass})
    return tuple(out)


def _voicings(degree: int) -> list[dict[str, int]]:
    """Every way to lay the three notes of a chord into the upper voices."""
    tones = {(degree + t) % 7 for t in TRIAD}
    rows = [
        [s for s in range(REACH[v][0], REACH[v][1] + 1) if s % 7 in tones]
        for v in ("soprano", "alto", "tenor")
    ]
    return [
        dict(zip(("soprano", "alto", "tenor"), row, strict=True))
        for row in itertools.product(*rows)
        if 0 < row[0] - row[1] <= 7 and 0 < row[1] - row[2] <= 7 and {s % 7 for s in row} == tones
    ]


def _movement(voicing: dict[str, int], bass: int, before: dict[str, int] | None) -> float:
    """How much a voicing asks of the voices after the one before it; none goes far from where it began."""
    home = sum(abs(voicing[v] - BEGIN[v]) for v in voicing)
    if before is None:
        return float(home)
    moved = 0.5 * home + sum(abs(voicing[v] - before[v]) ** 1.5 for v in voicing)
    now = {**voicing, "bass": bass}
    alike = sum(
        1
        for a, b in itertools.combinations(VOICES, 2)
        if before[a] != now[a]
        and (before[a] - before[b]) % 7 in (0, 4)
        and (now[a] - now[b]) % 7 == (before[a] - before[b]) % 7
        and (now[a] - before[a]) * (now[b] - before[b]) > 0
    )
    return float(moved + 20 * alike)
