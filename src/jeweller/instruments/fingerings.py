"""Woodwind fingerings: which keys each written note takes, which notes are one finger apart, and what the
fingers of another instrument give.

Source: general knowledge of the instruments, held against rules by a test. Pitches are written MIDI numbers.
"""

from __future__ import annotations

import functools
import re
from pathlib import Path
from typing import Any

from jeweller.files import parse_json
from jeweller.i18n import _
from jeweller.notation.pitch import STEP_SEMITONE

Keys = frozenset[str]
MAIN = frozenset("1234567")  # the fingers that every woodwind has in common
# Keys that do not tell one note from another within a register: thumbs, register and octave keys, and the
# flute's little finger.
RESTING: dict[str, Keys] = {
    "flute": frozenset({"T", "E♭"}),
    "recorder": frozenset({"T", "Thalf"}),
    "oboe": frozenset({"8va", "8va2"}),
    "clarinet": frozenset({"T", "R"}),
    "saxophone": frozenset({"8va"}),
    "bassoon": frozenset({"W", "V"}),
}
REGISTER = frozenset({"T", "Thalf", "R", "8va", "8va2", "1half", "W", "V"})
THUMB = frozenset({"T", "Thalf", "TB♭"})
ALTER = {"♭": -1, "♯": 1, "": 0}


Charts = dict[str, dict[int, tuple[Keys, ...]]]


@functools.cache
def _file() -> dict[str, Any]:
    data: dict[str, Any] = parse_json((Path(__file__).parent / "fingerings.json").read_text(encoding="utf-8"))
    return data


@functools.cache
def _data() -> tuple[Charts, dict[str, str], Charts]:
    data = _file()
    charts, trills = (
        {
            name: {note_midi(n): tuple(frozenset(f.split()) for f in ways) for n, ways in notes.items()}
            for name, notes in data[what].items()
        }
        for what in ("charts", "trills")
    )
    return charts, data["instruments"], trills


def note_midi(name: str) -> int:
    """The MIDI number of a pitch by name, as \"B♭3\"."""
    match = re.fullmatch(r"([A-G])([♭♯]?)(\d)", name)
    if match is None:
        raise ValueError(_("{name} is no note").format(name=name))
    return 12 * (int(match[3]) + 1) + STEP_SEMITONE[match[1]] + ALTER[match[2]]


def chart(instrument: str) -> dict[int, tuple[Keys, ...]]:
    """The fingerings of an instrument (by its id) for each written note, the usual one first; empty where
    none is known.
    """
    return _chart(instrument, _data()[0])


def trill_chart(instrument: str) -> dict[int, tuple[Keys, ...]]:
    """Fingerings that serve as the upper note of a trill alone, as `chart` gives the others."""
    return _chart(instrument, _data()[2])


def keys_by_finger(instrument: str) -> tuple[Keys, ...]:
    """The keys that one finger works, for each finger that works several: from one to another it slides.

    >>> any({"C", "E♭"} <= keys for keys in keys_by_finger("oboe"))
    True
    """
    name = _data()[1].get(instrument, "").partition(" ")[0]
    return tuple(frozenset(keys) for keys in _file()["fingers"].get(name, {}).values())


@functools.cache
def count_holes(instrument: str) -> int:
    """How many fingers close holes: seven on a recorder, else six.

    >>> count_holes("alto-recorder"), count_holes("flute")
    (7, 6)
    """
    return 7 if any("7" in keys for ways in chart(instrument).values() for keys in ways) else 6


def _chart(instrument: str, charts: Charts) -> dict[int, tuple[Keys, ...]]:
    name, _unused, shift = _data()[1].get(instrument, "").partition(" ")
    notes = charts.get(name, {})
    return {n + int(shift): ways for n, ways in notes.items()} if shift else notes


def one_finger_apart(instrument: str, a: int, b: int) -> bool:
    """Whether the usual fingerings of two written notes differ by one key, which is none that only changes
    the register.
    """
    notes = chart(instrument)
    if a not in notes or b not in notes:
        return False
    apart = notes[a][0] ^ notes[b][0]
    return len(apart) == 1 and not apart & REGISTER


def by_habit(instrument: str, other: str, note: int) -> frozenset[int]:
    """What sounds (written notes of `instrument`) where a player fingers `note` as on `other`; empty where
    the fingers are the same or give no note.
    """
    here, there = chart(instrument), chart(other)
    if note not in here or note not in there:
        return frozenset()
    fingers = _main(other, there[note][0])
    if fingers is None or fingers in {_main(instrument, way) for way in here[note]}:
        return frozenset()
    # Who knows no hole for the thumb keeps it where it rests.
    thumb = not _thumbed(other) or bool(there[note][0] & THUMB)
    return frozenset(
        n
        for n, ways in here.items()
        if _main(instrument, ways[0]) == fingers
        and (not _thumbed(instrument) or bool(ways[0] & THUMB) == thumb)
    )


@functools.cache
def _thumbed(instrument: str) -> bool:
    """Whether the thumb tells notes apart on an instrument."""
    return any(way & THUMB for ways in chart(instrument).values() for way in ways)


def _main(instrument: str, keys: Keys) -> Keys | None:
    """The main fingers of a fingering, where nothing else tells it from others."""
    rest = keys - RESTING[_data()[1][instrument].split(" ")[0]]
    return rest if rest <= MAIN else None
