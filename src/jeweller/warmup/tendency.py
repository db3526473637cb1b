"""How a player's notes lie, each and as a whole, and what to move by how much.

Lengths of tube follow from the acoustics: an open tube of length L sounds at multiples of c / 2L, a closed
one (the clarinets) at odd multiples of c / 4L; a slide is pulled on both of its legs. Amounts are rough, as
hands and ears are: measure, move, measure again.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from statistics import median, pstdev

from jeweller.i18n import N_, _
from jeweller.instruments.table import TWELFTH, Instrument
from jeweller.notation.pitch import spell
from jeweller.warmup.settings import TENDENCY_LIMITS
from jeweller.warmup.tuner import PitchReading

REFERENCE = 440.0  # Hz
REFERENCES = 415.0, 446.0  # from a baroque A to a high one
MOUTH = ("reed", "bocal")  # nothing there is pulled: the mouth tunes
PULLED_ON_BOTH_LEGS = "tuning slide"


@dataclass(frozen=True)
class HeldTone:
    """A note that was held: its written name and sounding MIDI number, when, and how it lay.

    `cents`: from the tempered pitch, the middle of its settled part; `spread`: standard deviation there.
    """

    midi: int
    written: str
    begins_s: float
    seconds: float
    cents: float
    spread: float


@dataclass(frozen=True)
class NoteTendency:
    """How a note lies: the median of its held tones (cents), their steadiness, and how many there were."""

    midi: int
    written: str
    cents: float
    spread: float
    count: int


@dataclass(frozen=True)
class TuningMove:
    """What to move: `way` is out or in ("" where nothing is pulled), `millimetres` about how far, and how far
    from in tune the notes lie before and after it (cents, root of the mean square).
    """

    what: str
    way: str
    millimetres: float
    before: float
    after: float
    sentence: str


def cents_from(hz: float, reference: float = REFERENCE) -> tuple[int, float]:
    """The nearest tempered note (sounding MIDI number) and how many cents above it a tone lies.

    >>> cents_from(440.0), cents_from(466.16, 440.0)[0]
    ((69, 0.0), 70)
    """
    exact = 69.0 + 12.0 * math.log2(hz / reference)
    midi = round(exact)
    return midi, 100.0 * (exact - midi)


@dataclass
class ToneFollower:
    """Makes held tones of readings, as they come.

    A note is kept while its readings stay near it, so that whoever plays between two notes plays one.
    """

    instrument: Instrument
    reference: float = REFERENCE
    done: list[HeldTone] = field(default_factory=list)
    _midi: int | None = None
    _readings: list[tuple[float, float]] = field(default_factory=list)  # (second, cents)

    def push(self, reading: PitchReading) -> HeldTone | None:
        """The tone that is held now, None where there is none (long enough)."""
        if reading.hz is None:
            self._end()
            return None
        midi, cents = cents_from(reading.hz, self.reference)
        if self._midi is not None:
            from_held = cents + 100.0 * (midi - self._midi)
            if abs(from_held) <= TENDENCY_LIMITS.stays_cents:
                midi, cents = self._midi, from_held
            else:
                self._end()
        self._midi = midi
        self._readings.append((reading.at_s, cents))
        return self._tone()

    def finish(self) -> list[HeldTone]:
        """Ends what is held; all tones that were."""
        self._end()
        return self.done

    def _end(self) -> None:
        tone = self._tone()
        if tone is not None:
            self.done.append(tone)
        self._midi, self._readings = None, []

    def _tone(self) -> HeldTone | None:
        if self._midi is None or not self._readings:
            return None
        begins, until = self._readings[0][0], self._readings[-1][0]
        settled = [c for at, c in self._readings if at - begins >= TENDENCY_LIMITS.settles_s]
        if until - begins < TENDENCY_LIMITS.held_s or len(settled) < 2:
            return None
        written = spell(self._midi - self.instrument.chromatic, -1).name
        return HeldTone(self._midi, written, begins, until - begins, median(settled), pstdev(settled))


def tendencies(tones: Iterable[HeldTone]) -> list[NoteTendency]:
    """Each note's tendency, lowest first.

    >>> tones = [HeldTone(69, "B4", 0.0, 2.0, 8.0, 1.0), HeldTone(69, "B4", 3.0, 2.0, 12.0, 2.0)]
    >>> tendencies(tones)
    [NoteTendency(midi=69, written='B4', cents=10.0, spread=1.5, count=2)]
    """
    notes: dict[int, list[HeldTone]] = {}
    for tone in tones:
        notes.setdefault(tone.midi, []).append(tone)
    return [
        NoteTendency(
            midi, some[0].written, median(t.cents for t in some), median(t.spread for t in some), len(some)
        )
        for midi, some in sorted(notes.items())
    ]


def tube_length(instrument: Instrument, midi: int) -> float:
    """The length of tube (m) that sounds for a note (sounding MIDI number)."""
    if instrument.fundamental is not None:
        way = next(iter(instrument.ways(midi)), None)
        shift = dict(instrument.sides).get(way.side, 0) - way.drop if way is not None else 0
        return TENDENCY_LIMITS.sound_m_s / (2.0 * _hz(instrument.fundamental + shift))
    closed = TWELFTH in instrument.overblows
    over = instrument.overblows[0] if instrument.overblows else 0
    partial = 1
    if over and midi - instrument.low >= over:
        partial = 3 if closed else 2
    return partial * TENDENCY_LIMITS.sound_m_s / ((4.0 if closed else 2.0) * _hz(midi))


def _hz(midi: float) -> float:
    return REFERENCE * 2.0 ** ((midi - 69.0) / 12.0)


def after_move(notes: Sequence[NoteTendency], instrument: Instrument, metres: float) -> list[float]:
    """The cents of each note after the tube is so much longer (shorter where negative)."""
    return [t.cents - 1200.0 * math.log2(1.0 + metres / tube_length(instrument, t.midi)) for t in notes]


def advise(notes: Sequence[NoteTendency], instrument: Instrument) -> TuningMove | None:
    """The move that brings the notes nearest to in tune as a whole; None where none is called for, or the
    instrument has nothing to move.

    >>> from jeweller.instruments.table import require_instrument
    >>> move = advise([NoteTendency(70, "C5", 20.0, 1.0, 1)], require_instrument("trumpet"))
    >>> move.way, round(move.millimetres)
    ('out', 9)
    """
    from scipy.optimize import minimize_scalar  # takes a third of a second to load

    if not notes or not instrument.tuning:
        return None
    before = _root_mean_square([t.cents for t in notes])
    middle = median(t.cents for t in notes)
    if abs(middle) < TENDENCY_LIMITS.worth_cents:
        return None
    if instrument.tuning in MOUTH or instrument.tuning == "strings":
        message = _BY_MOUTH if instrument.tuning in MOUTH else _BY_STRINGS
        sentence = _(message[middle > 0]).format(cents=round(abs(middle)))
        return TuningMove(instrument.tuning, "", 0.0, before, before, sentence)
    reach = TENDENCY_LIMITS.reach_m
    best = float(
        minimize_scalar(
            lambda m: _root_mean_square(after_move(notes, instrument, m)),
            bounds=(-reach, reach),
            method="bounded",
            options={"xatol": 1e-5},
        ).x
    )
    after = _root_mean_square(after_move(notes, instrument, best))
    legs = 2.0 if instrument.tuning == PULLED_ON_BOTH_LEGS else 1.0
    millimetres = 1000.0 * abs(best) / legs
    way = "out" if best > 0 else "in"
    sentence = _(_BY_MOVE[way]).format(
        slide=_(instrument.tuning), mm=max(1, round(millimetres)), cents=round(abs(middle))
    )
    return TuningMove(instrument.tuning, way, millimetres, before, after, sentence)


def advise_valves(notes: Sequence[NoteTendency], instrument: Instrument) -> list[str]:
    """What to do about single valves whose notes lie otherwise than the open ones, a sentence each; [] where
    there are no valves or no such notes.

    >>> from jeweller.instruments.table import require_instrument
    >>> notes = [NoteTendency(58, "C4", 0.0, 1.0, 2), NoteTendency(63, "F4", 20.0, 1.0, 2)]
    >>> advise_valves(notes, require_instrument("trumpet"))
    ['With valve 1 it is 20 cents higher than open: pull the slide of valve 1 out by about 10 mm.']
    """
    if not instrument.valves:
        return []
    by_valves: dict[str, list[NoteTendency]] = {}
    for note in notes:
        way = next(iter(instrument.ways(note.midi)), None)
        if way is not None and not way.side:
            by_valves.setdefault(instrument.valve_drops[way.drop], []).append(note)
    plain = by_valves.get("open", [])
    if not plain:
        return []
    told, rest = [], median(t.cents for t in plain)
    for valve in "123":
        some = by_valves.get(valve, [])
        off = median(t.cents for t in some) - rest if some else 0.0
        if abs(off) < TENDENCY_LIMITS.valve_cents:
            continue
        longer = tube_length(instrument, some[0].midi) * (2.0 ** (abs(off) / 1200.0) - 1.0)
        message = _BY_VALVE[off > 0]
        millimetres = max(1, round(1000.0 * longer / 2.0))
        told.append(_(message).format(valve=valve, cents=round(abs(off)), mm=millimetres))
    return told


# by whether it is high
_BY_VALVE = {
    True: N_(
        "With valve {valve} it is {cents} cents higher than open: pull the slide of valve {valve} out by "
        "about {mm} mm."
    ),
    False: N_(
        "With valve {valve} it is {cents} cents lower than open: push the slide of valve {valve} in by about "
        "{mm} mm, if it is out; else lip it up."
    ),
}
_BY_MOVE = {
    "out": N_("{cents} cents high as a whole: pull the {slide} out by about {mm} mm, and measure again."),
    "in": N_("{cents} cents low as a whole: push the {slide} in by about {mm} mm, and measure again."),
}
# by whether it is high
_BY_MOUTH = {
    True: N_("{cents} cents high as a whole: a rounder mouth, less of the reed; then measure again."),
    False: N_("{cents} cents low as a whole: a firmer mouth, more of the reed; then measure again."),
}
_BY_STRINGS = {
    True: N_("{cents} cents high as a whole: let the strings down a little, and measure again."),
    False: N_("{cents} cents low as a whole: tighten the strings a little, and measure again."),
}


def _root_mean_square(values: Sequence[float]) -> float:
    return math.sqrt(sum(v * v for v in values) / len(values))
