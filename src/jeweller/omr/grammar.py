"""What makes a bar add up: tuplets whose numbers are not printed; and what a bar that adds up tells of its
signs.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from fractions import Fraction

from jeweller.omr.line import ReadNote, normal_of

UNNUMBERED = 0.7  # how sure a tuplet is that nothing but the length of its bar tells
MOST_GROUPS = 8
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


def settle_lengths(
    bars: Sequence[Sequence[ReadNote]], lengths: Sequence[Fraction], *, drawn: bool = False
) -> None:
    """Fills the bars of a piece, and takes back doubts about how long their notes are where a bar adds up by
    what is printed in it: had one of its signs another length, it would not. A tuplet that only fills its bar
    is sure where the page is `drawn` (nothing is overlooked there) and all of its bars add up.

    >>> from jeweller.omr.primitives import Box
    >>> notes = [ReadNote(box=Box(0, 0, 1, 1), place=4, type="half") for _ in range(2)]
    >>> notes[0].doubt("rest", 0.7)
    >>> settle_lengths([notes], [Fraction(4)])
    >>> notes[0].sure, notes[0].doubts
    (1.0, [])
    """
    for notes, length in zip(bars, lengths, strict=True):
        fill_bar(notes, length)
    filled = [_filled(notes) == length for notes, length in zip(bars, lengths, strict=True)]
    guessed = [any("tuplet" in n.doubts for n in notes) for notes in bars]
    # a pickup and the bar that goes with it are shorter
    tuplets = OF_LENGTH | {"tuplet"} if drawn and all(filled[1:-1]) else OF_LENGTH
    for notes, adds_up, guess in zip(bars, filled, guessed, strict=True):
        for note in notes:
            if note.grace:
                note.settle(frozenset({"flag"}))  # however it is printed, it takes no time of the bar
            elif adds_up and (drawn or not guess):
                note.settle(tuplets)


def _filled(notes: Sequence[ReadNote]) -> Fraction:
    return sum((n.quarters for n in notes if not n.chord), Fraction(0))


def _even_runs(group: Sequence[ReadNote]) -> list[list[ReadNote]]:
    """The whole of a beamed group, where it is three or six even notes; else every three even neighbours."""
    if len(group) in (3, 6) and len({n.quarters for n in group}) == 1:
        return [list(group)]
    threes = [list(group[k : k + 3]) for k in range(len(group) - 2)]
    return [run for run in threes if len({n.quarters for n in run}) == 1]
