"""How far apart notes are printed tells how long they are: which of the signs of a bar that does not add up
was most likely misread.

An engraver gives a note room by its length, stretched alike within a bar. From the bars of a piece that add
up it is learnt how much; in one that does not, every small change that would make it add up is tried, and the
one that fits the room best is the likeliest (a beam or a flag that was not seen, a dot too many).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from jeweller.omr.line import TYPES, ReadBar, ReadNote, quarters_of

LEAST_ROOMS = 12  # notes from which room is learnt
LEAST_ROOM = 0.3  # of what a quarter has: less has none
UNEVEN = 0.16  # how far (log) the room of a note usually is from what its length asks for
# nats that a change costs, for how seldom it is what happened
BEAM_MISSED, FLAG_MISSED, DOT_MISSED, TUPLET, LONGER, DOT_TOO_MANY = 1.0, 2.0, 2.0, 3.0, 3.5, 3.0
BEAMED_ALONE, BEAM_PART_MISSED, MOST_TUPLETS = 0.0, 2.5, 4
SURE_OF_OWN = 1.5  # nats, where one of the notes was read without a doubt
CLEAR = 4.0  # nats by which one change has to be better than the next
LIKELY = 9.0  # nats: what costs more is no reading
MOST_NOTES = 40
FLAGGED_NEXT = ("quarter", "eighth", "16th")  # one flag or beam more makes them shorter


@dataclass(frozen=True)
class Change:
    """A small change of some notes of a bar: (note, type, dots, tuplet) of each, and what it costs (nats)."""

    notes: tuple[tuple[ReadNote, str, int, int], ...]
    cost: float

    def apply(self) -> None:
        """Makes it."""
        for note, kind, dots, tuplet in self.notes:
            note.type, note.dots, note.tuplet = kind, dots, tuplet
        tuplets: dict[int, list[ReadNote]] = {}
        for note, _kind, _dots, tuplet in self.notes:
            if tuplet:
                tuplets.setdefault(note.group, []).append(note)
        for group in tuplets.values():
            group[0].tuplet_begins = group[-1].tuplet_ends = True


@dataclass(frozen=True)
class NoteRoom:
    """The room that a length is given: `level` + `slope` * log2(quarters), in points."""

    level: float
    slope: float

    @classmethod
    def learn(cls, bars: Sequence[ReadBar]) -> NoteRoom | None:
        """From bars that add up; None from too few notes.

        >>> from jeweller.omr.primitives import Box
        >>> def at(x, kind): return ReadNote(box=Box(x, 0, x + 1, 1), place=4, type=kind)
        >>> bar = ReadBar(left=0, right=60, notes=[at(0, "quarter"), at(20, "quarter"), at(40, "quarter")])
        >>> NoteRoom.learn([bar] * 6).of(Fraction(1))
        20.0
        """
        rows = [(math.log2(float(n.quarters)), room) for bar in bars for n, room in rooms(bar)]
        if len(rows) < LEAST_ROOMS:
            return None
        lengths, room = np.array(rows).T
        usual = {q: float(np.median(room[lengths == q])) for q in np.unique(lengths)}
        weight = np.array([float((lengths == q).sum()) for q in usual])
        x, y = np.array(list(usual)), np.array(list(usual.values()))
        if len(usual) == 1:
            return cls(float(y[0] - 0.3 * y[0] * x[0]), float(0.3 * y[0]))
        slope = max(0.0, float(np.polyfit(x, y, 1, w=np.sqrt(weight))[0]))
        return cls(float(np.average(y - slope * x, weights=weight)), slope)

    def of(self, quarters: Fraction) -> float:
        return max(LEAST_ROOM * self.level, self.level + self.slope * math.log2(float(quarters)))


def rooms(bar: ReadBar) -> list[tuple[ReadNote, float]]:
    """The notes of a bar that take time, each with the room behind it, up to the next or to the bar's end."""
    row = [n for n in bar.notes if not n.grace and not n.chord and not n.bars]
    ends = [n.box.left for n in row[1:]] + [bar.right] * bool(row)
    return [(n, end - n.box.left) for n, end in zip(row, ends, strict=True) if end > n.box.left]


def likely_changes(bar: ReadBar, length: Fraction, room: NoteRoom) -> list[Change]:
    """The changes that make a bar add up, the likeliest first."""
    row = rooms(bar)
    if not 1 < len(row) <= MOST_NOTES:
        return []
    away = sum((n.quarters for n, _room in row), Fraction(0)) - length
    found: dict[frozenset[tuple[int, str, int, int]], Change] = {}  # one may be come to in several ways
    for notes, prior in _tried([n for n, _room in row]):
        new = {id(n): quarters_of(kind, dots, tuplet) for n, kind, dots, tuplet in notes}
        if sum((n.quarters - new[id(n)] for n, *_how in notes), Fraction(0)) != away:
            continue
        surely = any(not n.doubts for n, *_how in notes)
        misfit = _misfit([(new.get(id(n), n.quarters), space) for n, space in row], room)
        change = Change(tuple(notes), prior + misfit + SURE_OF_OWN * surely)
        what = frozenset((id(n), kind, dots, tuplet) for n, kind, dots, tuplet in notes)
        if change.cost < LIKELY and (what not in found or change.cost < found[what].cost):
            found[what] = change
    return sorted(found.values(), key=lambda change: change.cost)


def _misfit(row: Sequence[tuple[Fraction, float]], room: NoteRoom) -> float:
    """Nats by which notes of some lengths fit the room that each has, all of it stretched alike."""
    off = np.array([math.log(space / room.of(quarters)) for quarters, space in row])
    off = (off - np.median(off)) / UNEVEN
    return float(np.minimum(0.5 * off**2, 4.5).sum())


def _tried(row: list[ReadNote]) -> Iterator[tuple[list[tuple[ReadNote, str, int, int]], float]]:
    """(changes of some notes, what that costs beforehand)."""

    def by(note: ReadNote, step: int) -> tuple[ReadNote, str, int, int]:
        return note, TYPES[TYPES.index(note.type) + step], note.dots, note.tuplet

    def may(note: ReadNote, step: int) -> bool:
        return note.type in TYPES and 0 <= TYPES.index(note.type) + step < len(TYPES) - 1

    for k, note in enumerate(row):
        if may(note, 1):
            yield [by(note, 1)], FLAG_MISSED if note.type in FLAGGED_NEXT else LONGER
        if may(note, -1):
            yield [by(note, -1)], LONGER
        yield [(note, note.type, note.dots + 1, note.tuplet)], DOT_MISSED
        if note.dots:
            yield [(note, note.type, note.dots - 1, note.tuplet)], DOT_TOO_MANY
        for count in (2, 3, 4):
            some = row[k : k + count]
            together = len(some) == count and len({n.group for n in some}) == 1
            if together and all(n.type in FLAGGED_NEXT and not n.is_rest for n in some):
                yield [by(n, 1) for n in some], BEAM_PART_MISSED
        three = row[k : k + 3]
        if len(three) == 3 and len({(n.type, n.dots, n.group) for n in three}) == 1 and _may_be_tuplet(note):
            yield [(n, n.type, n.dots, 3) for n in three], TUPLET
    groups: dict[int, list[ReadNote]] = {}
    for note in row:
        if note.group >= 0:
            groups.setdefault(note.group, []).append(note)
    for group in groups.values():
        for step, cost in ((1, BEAM_MISSED), (-1, LONGER)):
            if len(group) > 1 and all(n.type in FLAGGED_NEXT and may(n, step) for n in group):
                yield [by(n, step) for n in group], cost
    # three that are beamed by themselves are hardly anything else; where one is a triplet others may be
    even = [
        group
        for group in groups.values()
        if len(group) in (3, 6) and len({(n.type, n.dots) for n in group}) == 1 and _may_be_tuplet(group[0])
    ]
    for count in range(1, min(len(even), MOST_TUPLETS) + 1):
        for chosen in itertools.combinations(even, count):
            yield [(n, n.type, n.dots, len(g)) for g in chosen for n in g], BEAMED_ALONE


def _may_be_tuplet(note: ReadNote) -> bool:
    return not note.tuplet and not note.is_rest and note.type in TYPES and TYPES.index(note.type) > 1
