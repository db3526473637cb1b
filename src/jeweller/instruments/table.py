"""The instrument table: lookup by name, and which notes share a fingering.

Source: the acoustics of the instruments. A brass instrument's harmonics of one valve or slide setting share
that setting; woodwinds overblow at the octave, the clarinet at the twelfth. MIDI numbers are sounding
pitches.
"""

from __future__ import annotations

import difflib
import functools
import math
import re
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from jeweller.errors import ScoreError
from jeweller.files import parse_json
from jeweller.i18n import _
from jeweller.instruments.fingerings import by_habit, note_midi, one_finger_apart

# Semitones that valve combinations and slide positions lower the tube by, in the usual order of preference.
VALVE_DROPS = {0: "open", 2: "1", 1: "2", 3: "1-2", 4: "2-3", 5: "1-3", 6: "1-2-3"}
# What a fourth valve adds: it is used in place of 1-3, whose tube is too short.
FOURTH_DROPS = {5: "4", 6: "2-4", 7: "1-4", 8: "1-2-4", 9: "2-3-4", 10: "1-3-4", 11: "1-2-3-4"}
# The seventh, eleventh, thirteenth, fourteenth and fifteenth are too far out of tune to be played, but the
# seventh where a slide makes it good.
PARTIALS = 2, 3, 4, 5, 6, 8, 9, 10, 12, 16
FLAT_PARTIAL = 7
TRIGGER = 4.5  # semitones of the slide that a trigger must save


TWELFTH = 19  # semitones
SMALL_AND_LARGE = "piccolo sopranino soprano descant alto tenor baritone bass contra contrabass double"
SIZES = frozenset(SMALL_AND_LARGE.split())
KEY = r"[a-g]b?"


@dataclass(frozen=True)
class FingeringWay:
    """One way to play a pitch on brass: the side of the tube ("" the main one), semitones that valves or
    slide lower it by, the partial.
    """

    side: str
    drop: int
    partial: int


@dataclass(frozen=True, kw_only=True)
class Instrument:
    """One instrument. `chromatic` semitones added to the written pitch give the sounding one; `low`..`high`
    its sounding range.
    """

    id: str
    name: str
    family: str  # "brass", "woodwind", "percussion" or "other"
    chromatic: int
    low: int
    high: int
    clef: str
    sound: str  # the sampled sound it is heard with
    tuning: str  # what is moved to tune
    also: tuple[str, ...] = ()
    overblows: tuple[int, ...] = ()
    fundamental: int | None = None  # brass: the open tube's first partial, sounding
    valves: int = 0
    slide: int = 0
    uk: str = ""  # the British name, where it is another
    ranges: tuple[
        tuple[str, str, str], ...
    ] = ()  # (level, lowest, highest written pitch): beginner, intermediate, advanced
    registers: tuple[tuple[str, str], ...] = ()  # (name, the written pitch where it begins), lowest first
    # brass: (name, semitones by which the open tube is higher) of each length of tube it can choose
    sides: tuple[tuple[str, int], ...] = (("", 0),)
    side_from: str = ""  # the written pitch from which the last side is usual
    mutes: tuple[str, ...] = ()  # brass: what is put in, or the hand
    knows: tuple[str, ...] = ()  # ids of other instruments that this player plays as well

    @property
    def said(self) -> str:
        """Its name in the language that is chosen."""
        return _(self.name)

    @property
    def hands(self) -> str:
        """What it is played with, for words about it: slide, valves, flute, recorder, reed, mallets or
        sticks.
        """
        if self.fundamental is not None:
            return "slide" if self.slide else "valves"
        if self.family == "woodwind":
            return next(
                (w for w in ("flute", "recorder") if w in (self.sound, self.id.split("-")[-1])), "reed"
            )
        if self.family == "percussion":
            return "sticks" if self.clef == "percussion" else "mallets"
        return "other"

    @property
    def has_break(self) -> bool:
        """Whether it overblows at the twelfth, so that between its registers nearly all fingers move."""
        return TWELFTH in self.overblows

    def fingerings(self, sounding_midi: int) -> tuple[tuple[int, int], ...]:
        """(semitones the tube is lowered by, partial) for each way to play a pitch on brass, the usual one
        first; () on others.
        """
        if self.fundamental is None:
            return ()
        return tuple((w.drop, w.partial) for w in self.ways(sounding_midi) if not w.side)

    def ways(self, sounding_midi: int) -> tuple[FingeringWay, ...]:
        """Every way to play a pitch on brass, other sides of the tube included, the usual one first; () on
        others.
        """
        if self.fundamental is None:
            return ()
        found = []
        for side, shift in self.sides:
            for drop in range(self.slide - (shift < 0) if self.slide else 1 + max(self.valve_drops)):
                for partial in (*PARTIALS, FLAT_PARTIAL) if self.slide and drop else PARTIALS:
                    if round(self.fundamental + shift - drop + 12 * math.log2(partial)) == sounding_midi:
                        found.append(FingeringWay(side, drop, partial))
        return tuple(sorted(found, key=lambda w: self._unusual(w, sounding_midi)))

    @property
    def valve_drops(self) -> dict[int, str]:
        """The valves by the semitones they lower by, the usual ones."""
        return VALVE_DROPS | FOURTH_DROPS if self.valves > len("123") else VALVE_DROPS

    def _unusual(self, way: FingeringWay, sounding_midi: int) -> tuple[float, ...]:
        """Sorts the ways to play a pitch: on the side that is usual there, then with the least tube. A horn's
        B♭ side leaves its flat fifth and tenth partials alone, valves the ninth where the tenth has the note;
        a trigger is for what would be far out on the slide.
        """
        if self.slide:
            return (way.drop + TRIGGER * len(way.side.split()), way.partial)
        usual = (
            self.sides[-1][0]
            if self.side_from and sounding_midi - self.chromatic >= note_midi(self.side_from)
            else ""
        )
        flat = way.partial in (5, 10) if way.side else way.partial == 9
        return (way.side != usual, flat, way.drop, way.partial)

    def way_name(self, way: FingeringWay) -> str:
        """How it is printed: "0", "1-2", "T 1-2", "3" (a position), "♯2" (raised), "F 2"."""
        raised = "♯" if way.partial == FLAT_PARTIAL else ""
        what = f"{raised}{way.drop + 1}" if self.slide else self.valve_drops[way.drop].replace("open", "0")
        return f"{way.side} {what}" if way.side else what

    def written_range(self, level: str) -> tuple[int, int] | None:
        """(lowest, highest) written MIDI number of a level: beginner, intermediate or advanced; None where
        the table has none.
        """
        return next(
            ((note_midi(low), note_midi(high)) for name, low, high in self.ranges if name == level), None
        )

    def register(self, written_midi: int) -> str:
        """The name of the register that a written pitch belongs to; "" where there are none."""
        return next(
            (name for name, first in reversed(self.registers) if written_midi >= note_midi(first)),
            self.registers[0][0] if self.registers else "",
        )

    @property
    def clef_sign(self) -> tuple[str, int, int]:
        """The clef as a score has it: (sign, line, octave change)."""
        return {"F": ("F", 4, 0), "C": ("C", 4, 0), "percussion": ("percussion", 2, 0)}.get(
            self.clef, ("G", 2, 0)
        )

    def one_finger_apart(self, a: int, b: int) -> bool:
        """Whether the usual fingerings of two sounding pitches differ in a single key, or, on the same
        partial, in a single valve.
        """
        if self.fundamental is None:
            return one_finger_apart(self.id, a - self.chromatic, b - self.chromatic)
        if self.slide:
            return False
        found = {(d, p) for d, p in self.fingerings(b)[:1]}
        valves = {drop: frozenset(name.split("-")) - {"open"} for drop, name in self.valve_drops.items()}
        return any(
            p == q and len(valves[d] ^ valves[e]) == 1 for d, p in self.fingerings(a)[:1] for e, q in found
        )

    def slide_place(self, sounding_midi: int, apart: float) -> int | None:
        """The position of a pitch, counted from 1, if one `apart` semitones off it (positive: higher) is the
        same partial with the slide in a wrong place; None where it is not, or there is no slide.
        """
        way = next(iter(self.ways(sounding_midi)), None) if self.slide else None
        if way is None or not -0.4 <= way.drop - apart <= self.slide - 0.6:
            return None
        return way.drop + 1

    def habit_of(self, a: int, b: int) -> str | None:
        """The id of another instrument that this player knows whose fingering of sounding pitch `a`, as
        written, gives `b` here; else None.
        """
        written, heard = a - self.chromatic, b - self.chromatic
        return next((other for other in self.knows if heard in by_habit(self.id, other, written)), None)

    def fingering_name(self, drop: int) -> str:
        """How a player says it: "valves 1-2", "open" or "position 3"."""
        if self.slide:
            return _("position {drop}").format(drop=drop + 1)
        return (
            "open"
            if drop == 0
            else _("valves {valve_drops}").format(valve_drops=self.valve_drops[drop])
            if "-" in self.valve_drops[drop]
            else _("valve {valve_drops}").format(valve_drops=self.valve_drops[drop])
        )

    def same_fingering(self, a: int, b: int) -> str | None:
        """The usual fingering of sounding pitch `a` if `b` is another partial of it (brass) or its overblown
        note (woodwind), else None.
        """
        if self.fundamental is not None:
            usual = self.fingerings(a)[:1]
            return next(
                (
                    self.fingering_name(d)
                    for d, _unused in usual
                    for e, _unused in self.fingerings(b)
                    if d == e and a != b
                ),
                None,
            )
        return _("the same fingers") if abs(a - b) in self.overblows else None


@functools.cache
def instruments() -> tuple[Instrument, ...]:
    """All instruments of the table."""
    data = parse_json((Path(__file__).parent / "table.json").read_text(encoding="utf-8"))
    entries: list[dict[str, Any]] = data["instruments"]
    for e in entries:
        e["ranges"] = [[level, *ends] for level, ends in e["ranges"].items()]
    return tuple(Instrument(**{k: _tuples(v) for k, v in e.items()}) for e in entries)


def _tuples(value: Any) -> Any:
    return tuple(_tuples(v) for v in value) if isinstance(value, list) else value


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", name.casefold().replace("♭", "b").replace("♯", "#")).strip()


@functools.lru_cache(maxsize=4096)
def find_instrument(name: str) -> Instrument | None:
    """By id, name or another usual name; also where the name holds more ("2nd Clarinet in Bb"). None where
    nothing fits.
    """
    return _find(_plain(name), same=True)


def _find(wanted: str, *, same: bool) -> Instrument | None:
    """The instrument whose name, or the longest of whose names, is in `wanted`: with `same` none of another
    size or key.
    """
    names = [(_plain(n), i) for i in instruments() for n in (i.id, i.name, i.uk, *i.also) if n]
    exact = next((i for n, i in names if n == wanted), None)
    if exact is not None:
        return exact
    inside = [
        (len(n), k, i)
        for k, (n, i) in enumerate(names)
        if (found := re.search(rf"\b{re.escape(n)}s?\b", wanted))
        and not (same and _another(wanted, found, i))
    ]
    return max(inside, key=lambda t: (t[0], -t[1]))[2] if inside else None


def _another(wanted: str, found: re.Match[str], instrument: Instrument) -> bool:
    """Whether a name that holds an instrument's is of another size or key: "trumpet in D", "bass oboe"."""
    own = " ".join(_plain(n) for n in (instrument.name, instrument.uk, *instrument.also))
    before, behind = wanted[: found.start()].split(), wanted[found.end() :].split()
    key = behind[1:2] if behind[:1] == ["in"] else [w for w in before[-1:] if re.fullmatch(KEY, w)]
    sizes = [w for w in before if w in SIZES]
    return any(re.search(rf"\b{re.escape(w)}\b", own) is None for w in (*key, *sizes))


def instrument_for(name: str, chromatic: int, low: int, high: int) -> Instrument:
    """The instrument of a part, by its name; one of another size or key with the part's own transposition;
    or a nameless one with that and the part's range.
    """
    found = find_instrument(name)
    if found is not None:
        return found
    sibling = _find(_plain(name), same=False)
    if sibling is not None:
        up = chromatic - sibling.chromatic
        moved = None if sibling.fundamental is None else sibling.fundamental + up
        return replace(
            sibling,
            name=name,
            chromatic=chromatic,
            low=sibling.low + up,
            high=sibling.high + up,
            fundamental=moved,
        )
    return Instrument(
        id="other",
        name=name or "Instrument",
        family="other",
        chromatic=chromatic,
        low=low,
        high=high,
        clef="G",
        sound="flute" if low >= 60 else "trombone",
        tuning="instrument",
    )


@functools.cache
def _names() -> frozenset[str]:
    return frozenset(i.name for i in instruments())


def said_instrument(name: str) -> str:
    """An instrument's name in the language that is chosen; other names of parts stay as they are.

    >>> said_instrument("Trumpet in B♭"), said_instrument("Solo")
    ('Trumpet in B♭', 'Solo')
    """
    return _(name) if name in _names() else name


def _nearly(name: str) -> list[str]:
    """The instruments one of whose words begins like a word of `name`, or is spelled nearly so."""
    own = {i.name: [w for w in _plain(i.name).split() if len(w) > 2] for i in instruments()}
    every = {w for words in own.values() for w in words}
    meant = [w for w in _plain(name).split() if len(w) > 2]
    close = {n for w in meant for n in difflib.get_close_matches(w, every, 2, 0.75)}
    return [n for n, words in own.items() if any(w in close or w.startswith(tuple(meant)) for w in words)]


def require_instrument(name: str) -> Instrument:
    """By name. Raises ScoreError with those that may be meant, else with the table."""
    found = find_instrument(name)
    if found is None and (near := _nearly(name)):
        raise ScoreError(
            _("There is no instrument “{name}” in the table. Is it one of these: {names}?").format(
                name=name, names=", ".join(near)
            )
        )
    if found is None:
        raise ScoreError(
            _("There is no instrument “{name}” in the table; there are {names}.").format(
                name=name, names=", ".join(i.name for i in instruments())
            )
        )
    return found
