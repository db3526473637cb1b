"""The scale wall: for each player the scales that stand, by key, form and speed. A stone is set by a check
that passed, or by the teacher's ear and marked so; old ones are tested again.
"""

from __future__ import annotations

import datetime
import random
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jeweller.errors import DrillError
from jeweller.exercises.make import make_exercise
from jeweller.exercises.request import ExerciseRequest
from jeweller.exercises.scales import read_tonic, tonic_fifths
from jeweller.i18n import N_, _
from jeweller.instruments.table import Instrument
from jeweller.notation.model import Part, Score
from jeweller.notation.pitch import key_alter, key_name
from jeweller.phrases import key_said
from jeweller.practice.settings import WALL
from jeweller.report_format import TakeReport

# The columns: what a pattern book's request is, by name.
FORMS: dict[str, tuple[str, dict[str, Any]]] = {
    "five": (N_("five notes"), {"kind": "scale", "scale": "major", "span": "five notes"}),
    "major": (N_("major"), {"kind": "scale", "scale": "major", "span": "one octave"}),
    "major2": (N_("major, two octaves"), {"kind": "scale", "scale": "major", "span": "two octaves"}),
    "chord": (N_("broken chord"), {"kind": "arpeggio", "scale": "major", "span": "one octave"}),
    "harmonic": (N_("harmonic minor"), {"kind": "scale", "scale": "harmonic minor", "span": "one octave"}),
    "melodic": (N_("melodic minor"), {"kind": "scale", "scale": "melodic minor", "span": "one octave"}),
}
FLATS = ("C", "F", "B♭", "E♭", "A♭", "D♭", "G♭", "G", "D", "A", "E", "B")
CIRCLE = ("C", "G", "D", "A", "E", "B", "G♭", "D♭", "A♭", "E♭", "B♭", "F")
ORDERS = {
    "flats": N_("flats first"),
    "circle": N_("round the circle"),
    "music": N_("the keys of the music in hand"),
    "own": N_("an order of one's own"),
}
SPEEDS = (50, 60, 72, 80, 92, 104, 120, 132)
CHECKED, EAR = "check", "ear"


@dataclass(frozen=True)
class Slot:
    """A place of the wall: a written key note and a form."""

    tonic: str
    form: str

    @property
    def name(self) -> str:
        """By which it is kept."""
        return f"{self.tonic}|{self.form}"

    @property
    def said(self) -> str:
        """
        >>> Slot("B♭", "major").said
        'B♭ major'
        """
        return self.key if self.form == "major" else f"{self.key}, {_(FORMS[self.form][0])}"

    @property
    def minor(self) -> bool:
        return "minor" in FORMS[self.form][1]["scale"]

    @property
    def key(self) -> str:
        """
        >>> Slot("B♭", "five").key
        'B♭ major'
        """
        return key_said(f"{self.tonic} {'minor' if self.minor else 'major'}")

    @property
    def fifths(self) -> int:
        """Of its key signature.

        >>> Slot("B♭", "major").fifths, Slot("E", "harmonic").fifths
        (-2, 1)
        """
        tonic = read_tonic(self.tonic)
        assert tonic is not None  # a slot names a key note
        fifths = tonic_fifths(tonic) - (3 if self.minor else 0)
        return fifths if fifths >= -7 else fifths + 12  # G♭ minor is printed as F♯ minor


@dataclass(frozen=True, kw_only=True)
class Stone:
    """What stands in a place: the fastest speed (beats a minute) that passed, when it was last heard, by
    check or by ear, from memory or reading; `loose` where the last test of it did not pass.
    """

    slot: Slot
    bpm: float
    day: datetime.date
    by: str
    reading: str
    loose: bool = False


def keys_in_order(order: str, music: Sequence[Part] = (), own: str = "") -> list[str]:
    """The key notes as written, in an order by name. Of `music` the keys it is in, most used first; what an
    order does not name follows as flats first has it.

    >>> keys_in_order("own", own="D, Bb x")[:3]
    ['D', 'B♭', 'C']
    """
    if order == "circle":
        return list(CIRCLE)
    first: list[str] = []
    if order == "music":
        counted = Counter(
            key_name(bar.fifths, "major").rsplit(" ", 1)[0] for part in music for bar in part.bars
        )
        first = [tonic for tonic, _n in counted.most_common() if tonic in FLATS]
    elif order == "own":
        for word in own.replace(",", " ").split():
            tonic = word[:1].upper() + word[1:].replace("b", "♭").replace("#", "♯")
            if tonic in FLATS and tonic not in first:
                first.append(tonic)
    return [*first, *(t for t in FLATS if t not in first)]


def make_scale(slot: Slot, instrument: Instrument, bpm: float) -> Score:
    """The music of a place for an instrument, in its written key. Raises DrillError where it has not the
    notes.
    """
    if read_tonic(slot.tonic) is None or slot.form not in FORMS:
        raise DrillError(_("There is no such scale."))
    request = ExerciseRequest(
        tonic=slot.tonic, concert=False, rhythm="quarters", bpm=round(bpm), **FORMS[slot.form][1]
    )
    made = make_exercise(request, [instrument])
    return Score(slot.said, made.score.parts, "")


def stones_of(entries: Iterable[Mapping[str, Any]]) -> dict[Slot, Stone]:
    """What stands by the entries of a journal, oldest first. What cannot be read is passed over."""
    out: dict[Slot, Stone] = {}
    for entry in entries:
        try:
            tonic, form = str(entry["slot"]).split("|")
            slot, day = Slot(tonic, form), datetime.date.fromisoformat(str(entry["day"]))
            bpm, passed = float(entry["bpm"]), bool(entry["passed"])
        except (KeyError, ValueError, TypeError, OverflowError):
            continue
        if form not in FORMS:
            continue
        before = out.get(slot)
        if not passed:
            if before is not None and bpm <= before.bpm:
                out[slot] = Stone(
                    slot=slot, bpm=before.bpm, day=day, by=before.by, reading=before.reading, loose=True
                )
            continue
        faster = before is None or before.loose or bpm >= before.bpm
        out[slot] = Stone(
            slot=slot,
            bpm=bpm if faster or before is None else before.bpm,
            day=day,
            by=str(entry.get("by", CHECKED)) if faster or before is None else before.by,
            reading=str(entry.get("reading", "")) if faster or before is None else before.reading,
        )
    return out


def new_today(entries: Sequence[Mapping[str, Any]], today: datetime.date) -> int:
    """How many places got their first stone today, not counting a testing session."""
    first: dict[str, Mapping[str, Any]] = {}
    for entry in entries:
        if entry.get("passed") and entry.get("slot") not in first:
            first[str(entry.get("slot"))] = entry
    return sum(e.get("day") == today.isoformat() and not e.get("session") for e in first.values())


def may_set(
    entries: Sequence[Mapping[str, Any]], slot: Slot, today: datetime.date, *, session: bool = False
) -> bool:
    """Whether a stone may be set here today: new ones are few a day, so that they stay."""
    return session or slot in stones_of(entries) or new_today(entries, today) < WALL.new_a_day


def draw_test(stones: Iterable[Stone], today: datetime.date, draw: random.Random) -> Stone | None:
    """An old stone by chance, the likelier the longer ago it was heard; a loose one first; None where nothing
    is old enough.
    """
    rows = sorted(stones, key=lambda s: s.slot.name)
    loose = [s for s in rows if s.loose]
    if loose:
        return draw.choice(loose)
    old = [(s, (today - s.day).days) for s in rows if (today - s.day).days >= WALL.old_days]
    return draw.choices([s for s, _n in old], [n for _s, n in old])[0] if old else None


def slot_of(entry: Mapping[str, Any]) -> Slot | None:
    """The place of an entry of the journal, None where it names none."""
    tonic, _bar, form = str(entry.get("slot", "")).partition("|")
    return Slot(tonic, form) if form in FORMS and read_tonic(tonic) is not None else None


def last_key(entries: Sequence[Mapping[str, Any]]) -> str:
    """The key that was practised last, as it is said; "" before the first.

    >>> last_key([{"slot": "B♭|major", "day": "2024-02-29", "bpm": 60, "passed": True}])
    'B♭ major'
    """
    slot = next((s for s in map(slot_of, reversed(entries)) if s is not None), None)
    return slot.key if slot is not None else ""


def key_before(entries: Sequence[Mapping[str, Any]], slot: Slot) -> Slot | None:
    """The last place that was practised in another key."""
    places = [s for s in map(slot_of, reversed(entries)) if s is not None]
    return next((s for s in places if s.fifths != slot.fifths), None)


def signs_carried(report: TakeReport, slot: Slot, before: Slot | None) -> list[str]:
    """The notes of a take of a place that belong to the key before and not to this one, as they are named:
    F♯ in F major after G major.
    """
    if before is None:
        return []
    out = []
    for f in report["findings"]:
        heard = str(f["detail"].get("heard_letter") or "")
        if f["kind"] not in ("missed_accidental", "added_accidental") or not heard:
            continue
        then, now = (
            heard[0] + {-1: "♭", 0: "", 1: "♯"}[key_alter(heard[0], s.fifths)] for s in (before, slot)
        )
        if heard == then != now and heard not in out:
            out.append(heard)
    return out
