"""What makes a bar add up: tuplets whose numbers are not printed; and what a bar that adds up tells of its
signs.
"""

from __future__ import annotations

import copy
import itertools
from collections.abc import Sequence
from fractions import Fraction

from jeweller.notation.metre import Metre
from jeweller.omr.line import ReadBar, ReadLine, ReadNote, normal_of
from jeweller.omr.spacing import CLEAR, NoteRoom, likely_changes

UNNUMBERED = 0.7  # how sure a tuplet is that nothing but the length of its bar tells
MOST_GROUPS = 8
USUAL, MOST_BEATS, SHORTEST_UNIT = (4, 4), 12, 8  # metres
LEAST_BARS, FEW, MOST = 4, 0.3, 0.6  # bars that tell a metre; shares of them
MENDED, EITHER = 0.5, 0.7  # how sure a length is that was changed, and another that might have been
FITS = 4.0  # nats: tuplets that cost less stand in the room that they need
OF_LENGTH = frozenset({"head", "flag", "rest", "dot"})  # doubts about how long a note is


def fill_bar(notes: Sequence[ReadNote], length: Fraction) -> None:
    """Makes even beamed notes, three or six, tuplets where a bar is too long by just so much.

    >>> from jeweller.omr.primitives import Box
    >>> def note(kind, group=-1): return ReadNote(box=Box(0, 0, 1, 1), place=4, type=kind, group=group)
    >>> bar = [note("quarter"), *(note("eighth", 1) for _ in range(3)), note("half")]
    >>> fill_bar(bar, Fraction(4))
    >>> sum(n.quarters for n in bar)
    Fraction(4, 1)
    """
    over = _filled(notes) - length
    if over <= 0:
        return
    groups: dict[int, list[ReadNote]] = {}
    for note in notes:
        if note.group >= 0 and not note.grace and not note.chord and not note.tuplet:
            groups.setdefault(note.group, []).append(note)
    may = [run for group in groups.values() for run in _even_runs(group)][:MOST_GROUPS]
    for count in range(1, len(may) + 1):
        for chosen in itertools.combinations(may, count):
            if len({id(n) for g in chosen for n in g}) < sum(map(len, chosen)):
                continue  # one note in two of them
            spared = sum(
                (sum(n.quarters for n in g) * (1 - Fraction(normal_of(len(g)), len(g))) for g in chosen),
                Fraction(0),
            )
            if spared == over:
                for group in chosen:
                    for note in group:
                        note.tuplet = len(group)
                        note.doubt("tuplet", UNNUMBERED)
                    group[0].tuplet_begins = group[-1].tuplet_ends = True
                return


def settle(lines: Sequence[ReadLine]) -> list[ReadLine]:
    """The lines of one piece as the likeliest music that they can be: metres, lengths, tuplets and doubts put
    right by what adds up.
    """
    made = copy.deepcopy(list(lines))
    bars = [bar for line in made for bar in line.bars]
    drawn = all(line.drawn for line in made)
    if not drawn:
        settle_openings(made)
        settle_metres(bars)
    lengths: list[Fraction] = []
    metre = USUAL
    for bar in bars:
        metre = bar.metre or metre
        lengths.append(Metre(*metre).length)
    settle_lengths(bars, lengths, drawn=drawn)
    return made


def settle_openings(lines: Sequence[ReadLine]) -> None:
    """Clef and key hold from line to line: a line that begins otherwise than those around it, with no double
    bar before it or at its end, was misread.

    >>> from jeweller.omr.primitives import Box
    >>> box = Box(0, 0, 1, 1)
    >>> lines = [ReadLine(box=box, space=5, bars=[ReadBar(left=0, right=9, fifths=k)]) for k in (3, 2, 3)]
    >>> settle_openings(lines)
    >>> [line.bars[0].fifths for line in lines]
    [3, 3, 3]
    """
    openings = [line.bars[0] for line in lines if line.bars]
    last = [line.bars[-1] for line in lines if line.bars]
    for k, bar in enumerate(openings):
        # the lines before and behind; of the first and the last line the two that are next to it
        beside = [openings[j] for j in (k - 1, k + 1) if 0 <= j < len(openings)]
        if len(beside) == 1:
            beside += [openings[j] for j in (k - 2, k + 2) if 0 <= j < len(openings)]
        changes = (k > 0 and last[k - 1].double) or last[k].double
        if len(beside) != 2 or changes:
            continue
        one, other = beside
        before = (bar.fifths, bar.clef)
        if one.fifths is not None and one.fifths == other.fifths and (bar.fifths is not None or not k):
            bar.fifths = one.fifths
        if one.clef is not None and one.clef == other.clef:
            bar.clef = one.clef
        if bar.notes and before != (bar.fifths, bar.clef):
            bar.notes[0].doubt("opening", MENDED)
    for end, upper, lower in zip(last, openings, openings[1:], strict=False):
        keys = {upper.fifths, lower.fifths}
        if len(keys) == 2 and None not in keys and not end.double:  # one was misread: which is not known
            for bar in (upper, lower):
                if bar.notes:
                    bar.notes[0].doubt("key", EITHER)


def settle_metres(bars: Sequence[ReadBar]) -> None:
    """Puts right a metre by which hardly a bar adds up, where by another one most do.

    >>> from jeweller.omr.primitives import Box
    >>> def bar(): return ReadBar(left=0, right=9, notes=[
    ...     ReadNote(box=Box(k, 0, k, 1), place=4, type="eighth") for k in range(6)])
    >>> bars = [bar() for _ in range(8)]
    >>> bars[0].metre = (3, 8)
    >>> settle_metres(bars)
    >>> bars[0].metre
    (6, 8)
    """
    begins = [k for k, bar in enumerate(bars) if bar.metre is not None or k == 0]
    for begin, end in zip(begins, [*begins[1:], len(bars)], strict=True):
        read = bars[begin].metre or USUAL
        sums = [_filled(bar.notes) for bar in bars[begin:end] if any(not n.is_rest for n in bar.notes)]
        if len(sums) < LEAST_BARS or sums.count(Metre(*read).length) > FEW * len(sums):
            continue
        usual = max(set(sums), key=sums.count)
        if sums.count(usual) < MOST * len(sums):
            continue
        units = [read[1]] if read[1] <= SHORTEST_UNIT else []
        for unit in (*units, USUAL[1], SHORTEST_UNIT):
            beats = usual * unit / 4
            if beats.denominator == 1 and 1 < beats <= MOST_BEATS:
                bars[begin].metre = (int(beats), unit)
                if bars[begin].notes:
                    bars[begin].notes[0].doubt("metre", MENDED)
                break


def settle_lengths(bars: Sequence[ReadBar], lengths: Sequence[Fraction], *, drawn: bool = False) -> None:
    """Makes the bars of a piece add up where it can be told how, and takes back doubts about how long their
    notes are where a bar adds up by what is printed in it: had one of its signs another length, it would not.
    A tuplet that only fills its bar is sure where the page is `drawn` (nothing is overlooked there) and all
    of its bars add up.

    >>> from jeweller.omr.primitives import Box
    >>> notes = [ReadNote(box=Box(0, 0, 1, 1), place=4, type="half") for _ in range(2)]
    >>> notes[0].doubt("rest", 0.7)
    >>> settle_lengths([ReadBar(left=0, right=9, notes=notes)], [Fraction(4)])
    >>> notes[0].sure, notes[0].doubts
    (1.0, [])
    """
    made = [False] * len(bars)
    if drawn:
        for bar, length in zip(bars, lengths, strict=True):
            fill_bar(bar.notes, length)
    else:
        made = _mend(bars, lengths)
    filled = [_missing(bar, length) == 0 for bar, length in zip(bars, lengths, strict=True)]
    # a pickup and the bar that goes with it are shorter
    tuplets = OF_LENGTH | {"tuplet"} if drawn and all(filled[1:-1]) else OF_LENGTH
    for bar, adds_up, mended in zip(bars, filled, made, strict=True):
        for note in bar.notes:
            if note.grace:
                note.settle(frozenset({"flag"}))  # however it is printed, it takes no time of the bar
            elif adds_up and not mended:
                note.settle(tuplets)


def _mend(bars: Sequence[ReadBar], lengths: Sequence[Fraction]) -> list[bool]:
    """Changes what fits the room of the notes best, with a doubt; which bars it did so in."""
    missing = [_missing(bar, length) for bar, length in zip(bars, lengths, strict=True)]
    room = NoteRoom.learn([bar for bar, away in zip(bars, missing, strict=True) if not away])
    made = [False] * len(bars)
    for k, (bar, length) in enumerate(zip(bars, lengths, strict=True)):
        short_may_be = k in (0, len(bars) - 1) or bar.repeat_end or bar.repeat_start or bar.double
        if not missing[k] or (missing[k] > 0 and short_may_be):
            continue
        likely = likely_changes(bar, length, room) if room is not None else []
        if (
            not likely
        ):  # several things went wrong, or there is too little to learn room from: measured better
            fill_bar(bar.notes, length)
            made[k] = not _missing(bar, length)
            continue
        best = likely[0]
        best.apply()
        made[k] = True
        others = [change for change in likely[1:] if change.cost < best.cost + CLEAR]
        if not others and best.cost < FITS and all(tuplet for *_how, tuplet in best.notes):
            continue  # only its number is not printed, as many engravers leave it out
        for change, sure in ((best, MENDED), *((other, EITHER) for other in others[:1])):
            for note, *_how in change.notes:
                note.doubt("tuplet" if note.tuplet else "flag", sure)
    return made


def _missing(bar: ReadBar, length: Fraction) -> Fraction:
    """What a bar lacks (quarters; negative: has too much); nothing where it is rests for whole bars."""
    row = [n for n in bar.notes if not n.grace]
    whole = len(row) == 1 and row[0].is_rest and row[0].type == "whole"
    return Fraction(0) if whole or not row else length - _filled(row)


def _filled(notes: Sequence[ReadNote]) -> Fraction:
    return sum((n.quarters for n in notes if not n.chord), Fraction(0))


def _even_runs(group: Sequence[ReadNote]) -> list[list[ReadNote]]:
    """The whole of a beamed group, where it is three or six even notes; else every three even neighbours."""
    if len(group) in (3, 6) and len({n.quarters for n in group}) == 1:
        return [list(group)]
    threes = [list(group[k : k + 3]) for k in range(len(group) - 2)]
    return [run for run in threes if len({n.quarters for n in run}) == 1]
