"""Lines that were read, corrected by who looks them over: every correction gives other lines and leaves those
before as they were, so that each can be taken back.
"""

from __future__ import annotations

import copy
import dataclasses
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from jeweller.errors import ScoreError
from jeweller.i18n import _
from jeweller.notation.pitch import STEPS, key_alter
from jeweller.omr.line import TYPES, ReadBar, ReadLine, ReadNote
from jeweller.omr.music import LOWEST

Lines = tuple[ReadLine, ...]
HIGHEST, LOWEST_PLACE = 20, -12  # steps above the lowest line: no farther off is a note written
OCTAVE = 7
MOST_DOTS = 2
NAMES = {-2: "double_flat", -1: "flat", 0: "natural", 1: "sharp", 2: "double_sharp"}
ALTERS = {name: alter for alter, name in NAMES.items()}


@dataclass(frozen=True, order=True)
class Spot:
    """A note or rest of some lines: its line, its bar in it, its place in the bar."""

    line: int
    bar: int
    note: int


def spots(lines: Sequence[ReadLine]) -> list[Spot]:
    """Every note and rest, from the first to the last."""
    return [
        Spot(k, j, i)
        for k, line in enumerate(lines)
        for j, bar in enumerate(line.bars)
        for i in range(len(bar.notes))
    ]


def note_at(lines: Sequence[ReadLine], spot: Spot) -> ReadNote:
    """The note at a spot. Raises LookupError."""
    return lines[spot.line].bars[spot.bar].notes[spot.note]


def held_at(lines: Sequence[ReadLine], spot: Spot) -> tuple[tuple[str, int, int], int]:
    """(clef, sharps or, negative, flats) that hold in the bar of a spot."""
    clef, fifths = ("G", 2, 0), 0
    for k, line in enumerate(lines[: spot.line + 1]):
        for j, bar in enumerate(line.bars):
            if (k, j) > (spot.line, spot.bar):
                break
            clef = bar.clef or clef
            fifths = fifths if bar.fifths is None else bar.fifths
    return clef, fifths


def _changed(lines: Lines, spot: Spot, act: Callable[[ReadNote], None]) -> Lines:
    made = copy.deepcopy(lines)
    note = note_at(made, spot)
    act(note)
    note.sure, note.doubts = 1.0, []
    return made


def confirm(lines: Lines, spot: Spot) -> Lines:
    """It is right as it was read."""
    return _changed(lines, spot, lambda _note: None)


def step(lines: Lines, spot: Spot, by: int) -> Lines:
    """So many steps of the staff higher. Raises ScoreError for a rest."""
    if note_at(lines, spot).place is None:
        raise ScoreError(_("A rest has no height; type the letter of a note first."))

    def act(note: ReadNote) -> None:
        if note.place is not None:
            note.place = max(LOWEST_PLACE, min(HIGHEST, note.place + by))

    return _changed(lines, spot, act)


def name(lines: Lines, spot: Spot, letter: str) -> Lines:
    """The note of this letter that is nearest to where it was read; of a rest, to the middle line."""
    clef, _fifths = held_at(lines, spot)
    lowest = LOWEST.get((clef[0], clef[1]), 30) + OCTAVE * clef[2]
    at = note_at(lines, spot).place
    near = lowest + (4 if at is None else at)
    step_ = STEPS.index(letter)
    octave = (near - step_ + 3) // OCTAVE

    def act(note: ReadNote) -> None:
        note.place = OCTAVE * octave + step_ - lowest
        note.bars = 0

    return _changed(lines, spot, act)


def rest(lines: Lines, spot: Spot) -> Lines:
    """A rest of the same length."""

    def act(note: ReadNote) -> None:
        note.place, note.accidental, note.grace, note.tie_start, note.tie_stop = None, "", False, False, False

    return _changed(lines, spot, act)


def last(lines: Lines, spot: Spot, quarters: Fraction) -> Lines:
    """As long as the key says, without dots."""
    kind = next(t for k, t in enumerate(TYPES) if Fraction(4) / 2**k == quarters)

    def act(note: ReadNote) -> None:
        note.type, note.dots, note.bars = kind, 0, 0
        note.grace = False

    return _changed(lines, spot, act)


def dot(lines: Lines, spot: Spot) -> Lines:
    """One dot more; after two none."""

    def act(note: ReadNote) -> None:
        note.dots = (note.dots + 1) % (MOST_DOTS + 1)

    return _changed(lines, spot, act)


def alter(lines: Lines, spot: Spot, by: int) -> Lines:
    """A semitone up or down, by its accidental; none where the key says the same."""
    clef, fifths = held_at(lines, spot)
    before = note_at(lines, spot)
    if before.place is None:
        raise ScoreError(_("A rest has no height; type the letter of a note first."))
    diatonic = LOWEST.get((clef[0], clef[1]), 30) + OCTAVE * clef[2] + before.place
    of_key = key_alter(STEPS[diatonic % OCTAVE], fifths)
    now = ALTERS.get(before.accidental, of_key) + by

    def act(note: ReadNote) -> None:
        note.accidental = "" if now == of_key else NAMES[max(-2, min(2, now))]

    return _changed(lines, spot, act)


def toggle(lines: Lines, spot: Spot, what: str) -> Lines:
    """With or without a trill, a fermata, an articulation; a grace note or an ordinary one."""

    def act(note: ReadNote) -> None:
        if what == "trill":
            note.ornament = "" if note.ornament else "trill"
        elif what == "fermata":
            note.fermata = not note.fermata
        elif what == "grace":
            note.grace = not note.grace and note.place is not None
            note.type, note.dots, note.bars = "eighth", 0, 0
        elif what in note.articulations:
            note.articulations.remove(what)
        else:
            note.articulations.append(what)

    return _changed(lines, spot, act)


def _with_next(lines: Lines, spot: Spot) -> tuple[Lines, ReadNote, ReadNote]:
    """(other lines, the note of theirs at a spot, the next one). Raises ScoreError where there is none."""
    made = _changed(lines, spot, lambda _note: None)
    after = [note_at(made, s) for s in spots(made) if s > spot]
    second = next((n for n in after if not n.is_rest and not n.grace), None)
    if second is None:
        raise ScoreError(_("There is no note after this one."))
    return made, note_at(made, spot), second


def tie(lines: Lines, spot: Spot) -> Lines:
    """A tie to the next note, or none where there was one."""
    made, first, second = _with_next(lines, spot)
    first.tie_start = second.tie_stop = not first.tie_start
    return made


def slur(lines: Lines, spot: Spot) -> Lines:
    """A slur to the next note, or none where there was one; one that ends here goes on to the next."""
    made, first, second = _with_next(lines, spot)
    if first.slur_stops:
        first.slur_stops -= 1
        second.slur_stops += 1
    elif first.slur_starts:
        first.slur_starts = 0
        stop = next((note_at(made, s) for s in spots(made) if s > spot and note_at(made, s).slur_stops), None)
        if stop is not None:
            stop.slur_stops -= 1
    else:
        first.slur_starts, second.slur_stops = 1, second.slur_stops + 1
    return made


def triplet(lines: Lines, spot: Spot) -> Lines:
    """This note and the next two as a triplet, or no more."""
    made = copy.deepcopy(lines)
    row = [n for n in made[spot.line].bars[spot.bar].notes[spot.note :] if not n.grace and not n.chord]
    some = row[:3]
    if len(some) < 3:
        raise ScoreError(_("A triplet needs three notes in the bar."))
    on = not some[0].tuplet
    for note in some:
        note.tuplet, note.tuplet_begins, note.tuplet_ends = (3 if on else 0), False, False
        note.sure, note.doubts = 1.0, []
    some[0].tuplet_begins = some[-1].tuplet_ends = on
    return made


def add_after(lines: Lines, spot: Spot) -> tuple[Lines, Spot]:
    """One more note like this one behind it."""
    made = copy.deepcopy(lines)
    bar = made[spot.line].bars[spot.bar]
    like = bar.notes[spot.note]
    more = ReadNote(box=like.box, place=like.place, type=like.type, dots=like.dots)
    bar.notes.insert(spot.note + 1, more)
    return made, dataclasses.replace(spot, note=spot.note + 1)


def take_away(lines: Lines, spot: Spot) -> tuple[Lines, Spot | None]:
    """Without this note; the spot of the one that is looked at then."""
    made = copy.deepcopy(lines)
    bar = made[spot.line].bars[spot.bar]
    del bar.notes[spot.note]
    every = spots(made)
    return made, next((s for s in every if s >= spot), every[-1] if every else None)


def bar_line(lines: Lines, spot: Spot) -> tuple[Lines, Spot]:
    """A bar line behind this note; behind the last note of a bar none any more."""
    made = copy.deepcopy(lines)
    bars = made[spot.line].bars
    bar = bars[spot.bar]
    if spot.note + 1 == len(bar.notes):
        if spot.bar + 1 == len(bars):
            raise ScoreError(_("This is the last bar of its line."))
        other = bars.pop(spot.bar + 1)
        bar.notes += other.notes
        bar.marks += other.marks
        bar.signs += other.signs
        bar.right, bar.repeat_end, bar.double, bar.final = (
            other.right,
            other.repeat_end,
            other.double,
            other.final,
        )
        return made, spot
    middle = 0.5 * (bar.notes[spot.note].box.right + bar.notes[spot.note + 1].box.left)
    other = ReadBar(
        left=middle,
        right=bar.right,
        notes=bar.notes[spot.note + 1 :],
        repeat_end=bar.repeat_end,
        double=bar.double,
        final=bar.final,
    )
    del bar.notes[spot.note + 1 :]
    bar.right, bar.repeat_end, bar.double, bar.final = middle, False, False, False
    bars.insert(spot.bar + 1, other)
    return made, spot


def set_key(lines: Lines, spot: Spot, fifths: int) -> Lines:
    """Another key signature, from the bar of a spot on to where the next one was read."""
    return _from_here(lines, spot, lambda bar: setattr(bar, "fifths", fifths), lambda bar: bar.fifths)


def set_metre(lines: Lines, spot: Spot, metre: tuple[int, int]) -> Lines:
    """Another metre, from the bar of a spot on."""
    return _from_here(lines, spot, lambda bar: setattr(bar, "metre", metre), lambda bar: bar.metre)


def _from_here(
    lines: Lines, spot: Spot, act: Callable[[ReadBar], None], held: Callable[[ReadBar], object]
) -> Lines:
    """What stands at the beginning of each line, and was the same as here, changes too."""
    made = copy.deepcopy(lines)
    every = [(k, j, bar) for k, line in enumerate(made) for j, bar in enumerate(line.bars)]
    before = next(
        (held(b) for k, j, b in reversed(every) if (k, j) <= (spot.line, spot.bar) and held(b) is not None),
        None,
    )
    for k, j, bar in every:
        if (k, j) == (spot.line, spot.bar):
            act(bar)
        elif (k, j) > (spot.line, spot.bar) and held(bar) is not None:
            if held(bar) != before:
                break
            act(bar)
    return made
